"""Corners over a crest, where the car presses less on the road: by vertical acceleration, else by logged heights."""

import numpy as np
from numpy.typing import NDArray

from lauftakt.core.circuit.layout import Layout
from lauftakt.core.comparison.spread import median_doubt
from lauftakt.core.run import AnalysedRun
from lauftakt.core.technique.signals import Signals

Array = NDArray[np.float64]

# A vertical acceleration is averaged so far around the apex, a height's bend is taken over so much, m to either side.
AROUND_M, BEND_M = 30.0, 40.0
# By so much less, m/s^2, a car presses on the road where drivers speak of a crest (an eighth of gravity).
LIGHT_MS2 = -1.2
# A sensor that shows so much on average measures gravity, too, with its own sign, m/s^2.
GRAVITY_SHOWN = 4.9
SURE = 2.0
# What is read of a log.
ROLES = ("vertical_acceleration", "altitude")


def lightness_of(run: AnalysedRun, layout: Layout) -> dict[str, float]:
    """By how much more the car presses on the road at each apex than over the lap, m/s^2: negative over a crest.

    Parameters
    ----------
    run : with vertical acceleration or altitude among its channels
    layout : of the run

    Returns
    -------
    By corner, median over the laps that count; without corners of which it is not known to twice its doubt.
    """
    signals = run.signals
    rows = [] if signals is None else [signals.numbers.index(lap.number) for lap in run.counting]
    if signals is None or not rows:
        return {}
    found = {}
    for corner in layout.corners:
        laps = _pressed(signals, rows, corner.apex_m)
        doubt = median_doubt(laps)
        if doubt is not None and abs(float(np.nanmedian(laps))) > SURE * doubt:
            found[corner.name] = float(np.nanmedian(laps))
    return found


def _pressed(signals: Signals, rows: list[int], apex: float) -> Array:
    vertical = signals.others.get("vertical_acceleration")
    if vertical is not None:
        inside = np.abs(signals.places - apex) <= AROUND_M
        usual = np.nanmedian(vertical[rows], axis=1)
        sign = -1.0 if float(np.nanmedian(usual)) < -GRAVITY_SHOWN else 1.0
        return np.asarray(sign * (np.nanmean(vertical[rows][:, inside], axis=1) - usual))
    heights = signals.others.get("altitude")
    if heights is None:
        return np.zeros(0)
    inside = np.abs(signals.places - apex) <= BEND_M
    away = signals.places[inside] - apex
    found = []
    for row in rows:
        height, speed = heights[row, inside], signals.speed[row, inside]
        known = np.isfinite(height)
        if known.sum() > len(away) // 2:
            # The path's bend upwards times speed squared: what is added to gravity (Newton).
            bend = 2.0 * float(np.polyfit(away[known], height[known], 2)[0])
            found.append(bend * float(np.nanmedian(speed)) ** 2)
    return np.array(found)
