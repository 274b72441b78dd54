"""What is told of laps that went otherwise than planned: the car stood, nothing was logged, it left the circuit."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from lauftakt.core.arrays import spans
from lauftakt.core.circuit.edges import in_pit_lane
from lauftakt.core.circuit.layout import Layout
from lauftakt.core.laps.counting import longest_pause_s, standing_s
from lauftakt.core.laps.cutting import AWAY
from lauftakt.core.laps.lap import Lap
from lauftakt.core.log.model import Warning
from lauftakt.core.placing.placed import LONGEST_PAUSE_S, Placed

# Who was in the pit lane drove so many metres of it.
PIT_M = 30.0
# More places make a list that nobody reads.
MOST_PLACES = 6


def located(placed: Placed, laps: Sequence[Lap], length: float) -> list[Warning]:
    """The warnings of a placed run, with the lap and the place of what was not believed of its speed.

    Parameters
    ----------
    placed : the run on its layout
    laps : as they were cut
    length : of a lap, m
    """
    if not placed.guessed.any():
        return list(placed.warnings)
    found = []
    for first, _ in spans(placed.guessed):
        lap = next((lap for lap in laps if lap.start_s <= placed.time[first] < lap.end_s), None)
        if lap is not None:
            found.append(f"lap {lap.number} at {placed.s[first] % length:.0f} m")
    more = f" and {len(found) - MOST_PLACES} more" if len(found) > MOST_PLACES else ""
    where = f" In {', '.join(found[:MOST_PLACES])}{more}." if found else ""
    return [replace(w, message=w.message + where) if w.code == "speed-lies" else w for w in placed.warnings]


def remarks(placed: Placed, laps: Sequence[Lap], layout: Layout) -> list[Warning]:
    """Warnings ``stopped``, ``gap-in-lap`` and ``pit-lane`` about the laps of a placed run.

    Parameters
    ----------
    placed : the run on its layout
    laps : as they were cut (:func:`lauftakt.core.laps.cutting.split_laps`)
    layout : with its pit lane, where one was drawn
    """
    stood, gaps, pits, lane = [], [], [], []
    boxed = _boxed(placed, layout)
    for lap in laps[1:-1] if len(laps) > 1 else laps:
        first, last = np.searchsorted(placed.time, [lap.start_s, lap.end_s])
        pause = longest_pause_s(placed.time[max(first - 1, 0) : last + 1])
        if lap.set_aside == "stopped":
            seconds = standing_s(placed.time[first:last], placed.speed[first:last])
            stood.append(f"lap {lap.number} ({seconds:.0f} s)")
        elif lap.kind == "part" and pause > LONGEST_PAUSE_S:
            gaps.append(f"lap {lap.number} ({pause:.0f} s)")
        elif lap.kind == "part" and (~placed.on_circuit[first:last]).mean() > AWAY:
            pits.append(f"lap {lap.number}")
        if np.sum(placed.speed[first : last - 1] * boxed[first : last - 1] * np.diff(placed.time[first:last])) > PIT_M:
            lane.append(f"lap {lap.number}")
    return [
        Warning(code, told.format(", ".join(found)))
        for code, found, told in (
            ("stopped", stood, "The car stood in {}: timed, but set aside."),
            ("gap-in-lap", gaps, "Nothing was logged for a while in {}: not timed across that."),
            ("in-pit-lane", lane, "Driven through the pit lane in {}."),
            (
                "pit-lane",
                [own for own in pits if own not in lane],
                "Left the circuit, as through the pit lane, in {}: not timed.",
            ),
        )
        if found
    ]


def _boxed(placed: Placed, layout: Layout) -> NDArray[np.bool_]:
    """Where the car was in the drawn pit lane."""
    x, y, heading = layout.centre.at(placed.s % layout.length if layout.centre.closed else placed.s)
    return in_pit_lane(layout, x - placed.n * np.sin(heading), y + placed.n * np.cos(heading), placed.n)
