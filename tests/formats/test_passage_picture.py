"""A passage as pictures, and sentences as text: for paper, phone and screen alike."""

import xml.etree.ElementTree as ET
from dataclasses import replace

import numpy as np
import pytest

from lauftakt.core.findings.words import Quantity
from lauftakt.formats.passage_picture import Drawn, Panel, Scene, Sign, passage_curves, passage_map
from lauftakt.formats.spoken import Reader, from_rows, to_rows
from tests.day import Day

HOSTILE = '<script>x()</script> & "Tor"'


def scene(day: Day, low: float, high: float) -> Scene:
    places = np.linspace(low, high, 120)
    wave = np.sin(places / 30.0)
    return Scene(
        day.layout,
        places,
        [
            Drawn("usual", wave, {"speed": 30.0 + 5.0 * wave}),
            Drawn("best", wave + 0.5, {"speed": 31.0 + 5.0 * wave}),
            Drawn("reference", np.full(120, np.nan), {"speed": np.full(120, np.nan)}),
        ],
        [Sign("mark", HOSTILE, (low + high) / 2), Sign("target", "", low + 30.0), Sign("corner", "5", high - 40.0)],
    )


def test_pictures_are_drawings_and_nothing_else(day: Day) -> None:
    drawn = passage_map(scene(day, 1900.0, 2150.0))
    found = ET.fromstring(drawn)
    assert HOSTILE in [each.text for each in found.iter() if each.tag.endswith("text")]
    assert not [each for each in found.iter() if each.tag.endswith(("script", "image", "style"))]
    assert "nan" not in drawn
    # One line for each lap whose line is known, besides the road and its edges.
    lines = [each.get("stroke-width") for each in found.iter() if each.tag.endswith("path")]
    assert (lines.count("1.3"), lines.count("2.8"), lines.count("6.5")) == (1, 1, 0)


def test_places_are_even_on_both_sides_of_the_start_line(day: Day) -> None:
    length = day.layout.length
    drawn = passage_curves(scene(day, length - 300.0, length + 260.0), [Panel("speed", "speed, km/h", 3.6)], ("m", 1.0))
    told = [each.text for each in ET.fromstring(drawn).iter() if each.tag.endswith("text")]
    figures = [int(text) for text in told if text and text.isdigit() and len(text) > 1]
    assert "0" in told
    assert {value for value in figures if value > 1000} <= {4000, 4200}
    assert all(value % 20 == 0 for value in figures)
    assert "km/h" in drawn


def test_what_is_not_known_is_not_drawn(day: Day) -> None:
    empty = replace(scene(day, 100.0, 300.0), laps=[Drawn("usual", np.full(120, np.nan), {})])
    assert passage_curves(empty, [Panel("speed", "speed", 1.0)], ("m", 1.0)) == ""
    assert passage_map(empty).startswith("<svg")


@pytest.mark.parametrize(
    ("system", "told"),
    [
        ("metric", "T5: brake 12\u00a0m later, 98\u00a0km/h, in gear 3, 1.20\u00a0g"),
        ("imperial", "T5: brake 39\u00a0ft later, 61\u00a0mph, in gear 3, 1.20\u00a0g"),
    ],
)
def test_sentences_are_told_in_the_readers_units(system: str, told: str) -> None:
    said = (
        "T5: brake ", Quantity(12.0, "distance"), " later, ", Quantity(27.3, "speed"), ", in gear ",
        Quantity(3.0, "plain"), ", ", Quantity(11.768, "acceleration"),
    )  # fmt: skip
    reader = Reader(system)  # type: ignore[arg-type]
    assert reader.text(said) == told
    assert from_rows(to_rows(said)) == said
    assert reader.figure(-0.02, "time") == "−0.02\u00a0s"
