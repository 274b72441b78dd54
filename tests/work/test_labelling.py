"""Labels are proposed from whatever knows them, the surest first, and each says where it comes from."""

from datetime import datetime
from typing import Any

import numpy as np
import pytest

from lauftakt.core.log.model import Channel, Log
from lauftakt.store.models import Car, Driver, HandIn, LayoutRow
from lauftakt.store.runs import Labels, named
from lauftakt.work.labelling import person_in, propose
from tests.work.conftest import Team

CAME = datetime(2026, 6, 1, 12, 0)
TIME = np.arange(3.0)


def channel(name: str, role: str | None) -> Channel:
    return Channel(name, "1", role, TIME, TIME)


def proposed(team: Team, file_name: str, meta: dict[str, str] | None = None, **how: Any) -> Labels:
    channels = how.pop("channels", ())
    with team.database.begin() as session:
        named(session, Driver, team.id, "Ines")
        named(session, Driver, team.id, "Ines Maria")
        named(session, Car, team.id, "Coupé 2")
        hand_in = HandIn(team_id=team.id, file_name=file_name, created_at=CAME, **how)
        return propose(session, team.id, hand_in, Log(channels, meta or {}), LayoutRow(team_id=team.id, name="New"))


def test_a_files_name_says_much(team: Team) -> None:
    found = proposed(team, "2026-05-16_0940 quali wet ines maria coupé 2.csv")
    assert (found.driver, found.car, found.kind, found.conditions) == ("Ines Maria", "Coupé 2", "qualifying", "wet")
    assert found.started == datetime(2026, 5, 16, 9, 40)
    assert set(found.told_by.values()) == {"name", "corners"}


def test_the_file_goes_before_its_name(team: Team) -> None:
    meta = {
        "driver": "Okan", "car": "Roadster", "kind": "race", "conditions": "Dry", "date": "2026-04-01T10:00:00",
        "event": "Spring", "tyres": "Slick", "notes": "windy",
    }  # fmt: skip
    found = proposed(team, "2026-05-16 quali wet ines coupé 2.csv", meta)
    assert (found.driver, found.car, found.kind, found.conditions) == ("Okan", "Roadster", "race", "dry")
    assert (found.event, found.tyres, found.notes) == ("Spring", "Slick", "windy")
    assert found.started == datetime(2026, 4, 1, 10, 0)
    assert set(found.told_by.values()) == {"file", "corners"}


def test_who_handed_in_goes_before_the_file(team: Team) -> None:
    assert proposed(team, "a.csv", {"driver": "Okan"}, driver_name="Wanda").driver == "Wanda"
    with team.database.begin() as session:
        ines = named(session, Driver, team.id, "Ines").id
    found = proposed(team, "a.csv", {"driver": "Okan"}, driver_id=ines, link_id=1)
    assert (found.driver, found.told_by["driver"]) == ("Ines", "link")


def test_what_nobody_knows_is_not_made_up(team: Team) -> None:
    found = proposed(team, "log17.csv")
    assert (found.driver, found.kind, found.told_by["kind"]) == ("log17", "practice", "assumed")
    assert (found.car, found.event, found.conditions, found.tyres, found.started) == (None, None, None, None, None)
    assert set(found.told_by) == {"driver", "kind", "layout"}


@pytest.mark.parametrize(("off", "wanted"), [(3720.0, "08:38"), (12.0, "09:40"), (None, "09:40")])
def test_a_loggers_wrong_clock_is_put_right(team: Team, off: float | None, wanted: str) -> None:
    found = proposed(team, "a.csv", {"date": "2026-05-16T09:40:00"}, clock_off_s=off)
    assert found.started is not None
    assert found.started.strftime("%H:%M") == wanted
    assert found.told_by["started"] == ("logger's clock" if wanted == "08:38" else "file")


def test_only_positions_place_a_run_by_positions(team: Team) -> None:
    beside = (channel("Lat Accel", "lateral_acceleration"), channel("latched", None))
    assert proposed(team, "a.csv", channels=beside).told_by["layout"] == "corners"
    positions = (channel("Breite", "latitude"), channel("Länge", "longitude"))
    assert proposed(team, "a.csv", channels=positions).told_by["layout"] == "position"


@pytest.mark.parametrize(
    ("name", "moment"),
    [
        ("ines 20260516-0940.csv", datetime(2026, 5, 16, 9, 40)),
        ("2026.05.16.csv", datetime(2026, 5, 16)),
        ("2026-05-16 2599.csv", datetime(2026, 5, 16)),
        ("2026-13-40.csv", None),
        ("run 7.csv", None),
    ],
)
def test_days_in_names(team: Team, name: str, moment: datetime | None) -> None:
    assert proposed(team, name).started == moment


@pytest.mark.parametrize(
    ("file", "name"),
    [
        ("03_first_last.csv", "First Last"),
        ("2026-05-16 Mara Lindqvist race 2.csv", "Mara Lindqvist"),
        ("okan-yıldız_quali.mf4", "Okan-Yıldız"),
        ("LogRun07.csv", None),
        ("20260516_094500.gpx", None),
        ("ellerholm_park_coupe_ines.csv", "Ines"),
        ("JÖRG.parquet", "Jörg"),
        ("PetraVanDijk_lap3.csv", "Petra Van Dijk"),
        ("session-3.csv", None),
    ],
)
def test_a_name_is_found_in_a_files_name(file: str, name: str | None) -> None:
    assert person_in(file, ["Ellerholm Park", "Coupe", f"Circuit of {file}"]) == name
