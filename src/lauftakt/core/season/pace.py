"""What one run says of a driver's pace: the figures that days are compared by."""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lauftakt.core.circuit.layout import Layout
from lauftakt.core.comparison.spread import median_doubt, spread_of
from lauftakt.core.findings.pairing import clean_passages
from lauftakt.core.run import AnalysedRun
from lauftakt.core.season.crest import lightness_of

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Scattered:
    """A time over the clean laps of a run.

    Attributes
    ----------
    median_s : s
    doubt_s : its standard deviation, None under three laps
    spread_s, low_s, high_s : how far laps lie apart with its 95 % interval, None under three laps
    laps : how many told
    """

    median_s: float
    doubt_s: float | None
    spread_s: float | None
    low_s: float | None
    high_s: float | None
    laps: int


@dataclass(frozen=True)
class RunPace:
    """A run's pace.

    Attributes
    ----------
    lap : of the laps that count; None where none does
    best_s, best_u_s : the best lap, and what its crossing of the line leaves open
    passages : by name, of the clean laps
    slowest_ms : by corner, median lowest speed, m/s
    lightness_ms2 : by corner, how much more the car presses on the road there, m/s^2; negative over a crest
    driven : timed laps, whether they count or not
    mean_ms : the layout's length by the best lap's time, m/s
    """

    lap: Scattered | None
    best_s: float | None
    best_u_s: float | None
    passages: Mapping[str, Scattered]
    slowest_ms: Mapping[str, float]
    lightness_ms2: Mapping[str, float]
    driven: int
    mean_ms: float | None


def pace_of(run: AnalysedRun, layout: Layout) -> RunPace:
    """The pace of a run on its layout.

    Parameters
    ----------
    run : with its held-up parts; they are left out of the passages that they touch
    layout : it was placed on
    """
    counting = run.counting
    best = run.best_lap
    passages = {}
    for index, passage in enumerate(layout.passages):
        found = scattered(clean_passages(run, layout, index).times)
        if found is not None:
            passages[passage.name] = found
    return RunPace(
        lap=scattered(np.array([lap.time_s for lap in counting], dtype=float)),
        best_s=None if best is None else best.time_s,
        best_u_s=None if best is None else best.time_u_s,
        passages=passages,
        slowest_ms=_slowest(run, layout),
        lightness_ms2=lightness_of(run, layout),
        driven=sum(lap.time_s is not None for lap in run.laps),
        mean_ms=None if best is None or not best.time_s else layout.length / best.time_s,
    )


def scattered(times: Array) -> Scattered | None:
    """Median and spread of (n,) times; None where there is none."""
    known = times[np.isfinite(times)]
    if not len(known):
        return None
    spread = spread_of(known)
    return Scattered(
        median_s=float(np.median(known)),
        doubt_s=median_doubt(known),
        spread_s=None if spread is None else spread.value,
        low_s=None if spread is None else spread.low,
        high_s=None if spread is None else spread.high,
        laps=len(known),
    )


def _slowest(run: AnalysedRun, layout: Layout) -> dict[str, float]:
    """Median lowest speed in each corner over the laps that count, m/s."""
    found = {}
    for index, corner in enumerate(layout.corners):
        rows = [run.technique.at(lap.number, index) for lap in run.counting] if run.technique is not None else []
        speeds = [row.min_speed for row in rows if row is not None and np.isfinite(row.min_speed)]
        if speeds:
            found[corner.name] = float(np.median(speeds))
    return found
