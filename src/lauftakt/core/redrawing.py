"""An analysed run as it would be on a changed drawing of its layout, without placing it anew: a look before keeping."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from lauftakt.core.circuit.layout import Layout
from lauftakt.core.laps.held import SaidOfTraffic, corrected
from lauftakt.core.laps.lap import Lap, reach
from lauftakt.core.laps.recutting import Recut, recut, rows_at
from lauftakt.core.pipeline import with_held_up
from lauftakt.core.run import AnalysedRun, put_together
from lauftakt.core.technique.figures import Technique
from lauftakt.core.technique.signals import Signals
from lauftakt.core.technique.windows import windows

Array = NDArray[np.float64]


def on_redrawn(
    run: AnalysedRun, old: Layout, new: Layout, start_m: float, said: Sequence[SaidOfTraffic] = ()
) -> AnalysedRun:
    """A run on a changed drawing of the road it was placed on.

    Parameters
    ----------
    run : on the old layout
    old, new : before and after (:func:`lauftakt.core.circuit.editing.redrawn`)
    start_m : where the new start line lies on the old layout
    said : what people said of traffic in the run

    Returns
    -------
    The run with its laps cut anew, and its signals, passages and figures on the new layout. What
    :func:`lauftakt.core.pipeline.analyse_run` says, but for laps of which too little was kept
    (:func:`lauftakt.core.laps.recutting.recut`).
    """
    cut = recut(run.laps, run.traces, old, new, start_m)
    signals = run.signals
    if signals is not None and new.centre is not old.centre:
        signals = _moved(signals, run, cut, old, new)
    laps: Sequence[Lap] = cut.laps if signals is None else with_held_up(cut.laps, signals, new)
    laps = corrected(laps, cut.traces, said, new.length)
    return put_together(
        laps,
        cut.traces,
        signals,
        None if signals is None else Technique(signals, windows(new)),
        new,
        scale=run.scale,
        speed_scale=run.speed_scale,
        delay_s=run.delay_s,
        warnings=run.warnings,
    )


def _moved(signals: Signals, run: AnalysedRun, cut: Recut, old: Layout, new: Layout) -> Signals | None:
    """Signals at the new layout's places; None where no lap is left."""
    numbers = tuple(number for number in signals.numbers if number in cut.traces)
    if not numbers:
        return None
    kept = [signals.numbers.index(number) for number in numbers]

    def at(rows: Array) -> Array:
        found = rows_at(rows, signals.numbers, run.laps, old, cut.places)[kept]
        return np.array([_filled(row) for row in found])

    return replace(
        signals,
        numbers=numbers,
        places=reach(new),
        time=np.array([cut.traces[number].reach_time for number in numbers]),
        speed=at(signals.speed),
        offset=at(signals.offset),
        brake=at(signals.brake),
        throttle=at(signals.throttle),
        ahead=at(signals.ahead),
        aside=at(signals.aside),
        others={role: at(rows) for role, rows in signals.others.items()},
    )


def _filled(row: Array) -> Array:
    """A row with the nearest value where nothing was driven; what was not measured at all stays so."""
    known = np.isfinite(row)
    if known.all() or not known.any():
        return row
    index = np.arange(len(row))
    return np.interp(index, index[known], row[known])
