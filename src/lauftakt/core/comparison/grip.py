"""Whether a run had less grip everywhere than another: rain, tyres or another car, not what a driver does somewhere."""

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from lauftakt.core.circuit.layout import Layout
from lauftakt.core.comparison.spread import median_doubt
from lauftakt.core.run import AnalysedRun
from lauftakt.core.technique.windows import windows

Array = NDArray[np.float64]
# Rain lies far below this share of the dry run's grip, a careful driver stays above (simulator, grip 0.72 to 1).
MUCH_LESS = 0.86
# In a single corner a cautious driver may be as slow as this.
LESS = 0.93
# Share of the corners in which there must be less grip.
EVERYWHERE = 0.9


def corner_grip(run: AnalysedRun, layout: Layout) -> Array:
    """Highest ordinary combined acceleration in each corner, (corners,) m/s^2: 95th percentile of each lap that counts,
    median over laps; NaN where none was driven."""
    return np.array([float(np.median(laps)) if len(laps) else np.nan for laps in grip_of_laps(run, layout)])


def grip_of_laps(run: AnalysedRun, layout: Layout) -> list[Array]:
    """What every lap that counts reached in each corner: 95th percentiles of combined acceleration, m/s^2, one array of
    laps for each corner, empty where none was driven."""
    signals = run.signals
    if signals is None:
        return [np.zeros(0) for _ in layout.corners]
    rows = [signals.numbers.index(lap.number) for lap in run.counting]
    combined = np.hypot(signals.ahead[rows], signals.aside[rows])
    found = []
    for window in windows(layout):
        inside = (signals.places >= window.entry) & (signals.places <= window.exit)
        reached = np.percentile(combined[:, inside], 95, axis=1) if inside.any() and rows else np.zeros(0)
        found.append(reached[np.isfinite(reached)])
    return found


@dataclass(frozen=True)
class CornerLevel:
    """What laps reach in a corner: median, m/s^2, its standard deviation, of how many; None where too few tell."""

    level: float | None
    level_u: float | None
    laps: int


def corner_level(laps: Array, share_u: float = 0.0) -> CornerLevel:
    """The level of a corner.

    Parameters
    ----------
    laps : (n,) what each lap reached there, m/s^2
    share_u : standard deviation, as a share, of what all laps have in common
        (:attr:`lauftakt.core.technique.signals.Signals.aside_share_u`)
    """
    level, level_u = float(np.median(laps)) if len(laps) else None, median_doubt(laps)
    if level is not None and level_u is not None:
        level_u = float(np.hypot(level_u, share_u * level))
    return CornerLevel(level, level_u, len(laps))


def beside(own: CornerLevel, other: CornerLevel) -> Literal["more", "less", "level"] | None:
    """Whether there was more grip in a corner than in another run: beyond twice the doubt of the difference."""
    if own.level is None or other.level is None or own.level_u is None or other.level_u is None:
        return None
    away = own.level - other.level
    if abs(away) <= 2 * float(np.hypot(own.level_u, other.level_u)):
        return "level"
    return "more" if away > 0 else "less"


def slowed_everywhere(run: AnalysedRun, reference: AnalysedRun, layout: Layout) -> float:
    """Share of the reference's time that a run loses everywhere because it has less grip, 0 where it has not.

    Parameters
    ----------
    run, reference : to compare
    layout : of both

    Returns
    -------
    The median over passages of the relative loss, where combined acceleration is lower by 14 % over the run and by 7 %
    in nine of ten corners. A careful driver stays above that; rain on the road lies far below.
    """
    if not run.grip_level or not reference.grip_level or run.grip_level > MUCH_LESS * reference.grip_level:
        return 0.0
    ratio = corner_grip(run, layout) / corner_grip(reference, layout)
    known = ratio[np.isfinite(ratio)]
    if len(known) < 3 or np.mean(known < LESS) < EVERYWHERE:
        return 0.0
    own, theirs = (
        np.nanmedian([side.passage_s[lap.number] for lap in side.counting], axis=0) for side in (run, reference)
    )
    share = (own - theirs) / theirs
    return max(float(np.median(share[np.isfinite(share)])), 0.0)
