"""A layout driven the other way round."""

import numpy as np
import pytest

from lauftakt.core.circuit.turning import turned
from tests.day import Day


def test_turning_twice_gives_the_same_road(day: Day) -> None:
    layout = day.layout
    other = turned(layout, "back")
    assert other.runs_against(layout)
    assert other.length == pytest.approx(layout.length)
    places = np.arange(0.0, layout.length, 50.0)
    x, y, heading = layout.centre.at(places)
    back_x, back_y, back = other.centre.at(layout.length - places)
    assert np.allclose(x, back_x, atol=0.02)
    assert np.allclose(y, back_y, atol=0.02)
    assert np.allclose(np.cos(heading - back), -1.0, atol=1e-3)
    again = turned(other, layout.name)
    assert not again.runs_against(layout)
    assert again.start == layout.start
    assert np.allclose(again.centre.x, layout.centre.x)


def test_limits_and_marks_are_turned(day: Day) -> None:
    from dataclasses import replace

    grid = day.layout.grid()
    drawn = replace(
        day.layout, left_limit=5.0 + np.sin(grid / 100), right_limit=-4.0 + 0 * grid, marks=(("tree", 100.0),)
    )
    other = turned(drawn, "back")
    at = 300.0
    left = np.interp(drawn.length - at, grid, drawn.left_limit)
    assert np.interp(at, other.grid(), other.right_limit) == pytest.approx(-left, abs=1e-3)
    assert other.left_limit == pytest.approx(4.0)
    assert other.marks == (("tree", drawn.length - 100.0),)
