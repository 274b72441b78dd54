"""Every role has its place in the registry, and one of which nothing was said is shown by its unit."""

from dataclasses import fields

import pytest

from lauftakt.core.log.roles import ROLES, Role
from lauftakt.core.registry import CHANNELS, COMPUTED, DERIVED, FIGURES, FREE, LOGGED, UNBELIEVED, ZERO, entry_of
from lauftakt.core.technique.figures import Figures


def test_every_role_is_drawn_or_says_where_the_car_was() -> None:
    placing = set(ROLES) - set(CHANNELS)
    assert placing == {
        "latitude", "longitude", "local_x", "local_y", "receiver_speed", "lap_number", "lap_distance", "lap_share",
    }  # fmt: skip
    assert set(LOGGED) <= set(ROLES)


@pytest.mark.parametrize(
    ("unit", "assumed", "quantity", "drawn"),
    [
        ("K", "degC", "temperature", FREE),
        ("Pa", "bar", "pressure", ZERO),
        ("1", "%", "share", ZERO),
        ("1", "1", "plain", FREE),
        ("rad/s", "rpm", "turning", FREE),
        ("rad/s", "deg/s", "turn_rate", FREE),
    ],
)
def test_a_new_role_is_shown_by_its_unit(unit: str, assumed: str, quantity: str, drawn: str) -> None:
    entry = entry_of(Role("new", unit, "something new", assumed, quantity))
    assert (entry.label, entry.quantity, entry.drawn) == ("something new", quantity, drawn)
    assert not entry.computed


def test_a_hill_is_metres_high_and_a_lap_kilometres_long() -> None:
    assert (CHANNELS["altitude"].quantity, CHANNELS["altitude"].drawn) == ("distance", FREE)


def test_every_channel_and_figure_is_told_once() -> None:
    assert set(LOGGED) <= set(ROLES)
    assert set(COMPUTED) | set(LOGGED) | {"delta", UNBELIEVED} == set(CHANNELS)
    assert {entry.drawn for entry in CHANNELS.values()} <= {"free", "zero", "signed", "steps"}
    assert {entry.told for entry in CHANNELS.values()} <= {"high", "low", "mean", "last"}
    assert set(FIGURES) <= {item.name for item in fields(Figures)}
    assert not set(DERIVED) & set(CHANNELS)
    for table in (CHANNELS | DERIVED, FIGURES):
        labels = [entry.label for entry in table.values()]
        assert len(labels) == len(set(labels))
