"""Where a driver is steady: the spread of the time and of every figure of technique, passage by passage."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from lauftakt.core.circuit.layout import Layout
from lauftakt.core.comparison.spread import FEWEST, Spread, median_doubt, spread_of
from lauftakt.core.comparison.trend import Trend, alone, trend
from lauftakt.core.findings.pairing import Side, clean_passages, common_error
from lauftakt.core.laps.lap import LapTrace
from lauftakt.core.laps.times import passage_times
from lauftakt.core.registry import FIGURES
from lauftakt.core.run import AnalysedRun

Array = NDArray[np.float64]

# Less than this, of a passage's time or in seconds, no coach would talk about.
LEVEL_SHARE = 0.004
LEVEL_S = 0.05
# A figure this much looser than it usually is with this driver is what a coach looks at first.
LOOSE = 1.5
# The height of the brake's peak, told as a share of the run's hardest braking.
BRAKE_PEAK = "brake_peak"
# Figures whose spread is told: all but the time, which is the passage's.
SPREAD = (*(code for code in FIGURES if code != "time"), BRAKE_PEAK)
# Spreads that nobody would call loose, however much more they are than elsewhere.
_NONE = {
    "brake_point_m": 2.0, "brake_rise_s": 0.03, "brake_peak": 0.04, "brake_release_m": 2.0, "turn_in_m": 2.0,
    "min_speed": 0.3, "throttle_pickup_m": 3.0, "full_throttle_m": 3.0,
}  # fmt: skip
# What hands and feet do: one of these may be the reason why a time scatters.
DEEDS = tuple(_NONE)


@dataclass(frozen=True)
class SteadyCorner:
    """Spreads of the figures in a corner, by their codes; without those that too few laps have."""

    corner: str
    figures: dict[str, Spread]


@dataclass(frozen=True)
class SteadyPassage:
    """How steadily and how fast one driver takes a passage.

    Attributes
    ----------
    name, from_m, to_m : of the passage; the latter wraps at the line
    numbers, times : the laps that count and were not held up there, and their seconds
    time : spread of the times, s, without what placing adds to it; None of fewer than three laps
    loss_s, loss_u_s : median against ``against``, and its standard deviation; None where nothing is to compare with
    against : ``reference`` (the reference driver's median passage), ``reference lap`` or ``own best``
    level_s : within this a loss or a spread is none that a coach would talk about
    fast, steady : which side of it the driver is on; None where it cannot be said
    fast_sure, steady_sure : whether that is beyond doubt
    change : of the time from lap to lap
    apart : laps whose time stands alone
    corners : spreads of the figures, corner by corner
    loosest : of a passage that is not steady, corner and code of the figure that is looser here than elsewhere with
        this driver; None where none is
    """

    name: str
    from_m: float
    to_m: float
    numbers: tuple[int, ...]
    times: Array
    time: Spread | None
    loss_s: float | None
    loss_u_s: float | None
    against: str
    level_s: float
    fast: bool | None
    steady: bool | None
    fast_sure: bool
    steady_sure: bool
    change: Trend
    apart: tuple[int, ...]
    corners: tuple[SteadyCorner, ...]
    loosest: tuple[str, str] | None


def steady_passages(
    run: AnalysedRun,
    layout: Layout,
    *,
    reference: AnalysedRun | None = None,
    lap: LapTrace | None = None,
) -> list[SteadyPassage]:
    """How steady and how fast a driver is in every passage of the lap.

    Parameters
    ----------
    run : of the driver
    layout : of the run and what it is compared with
    reference : run of the reference driver; None where the driver is the reference, or the reference is ``lap`` only
    lap : the reference lap, which stands in where the reference driver has fewer than three clean passages

    Returns
    -------
    One for each passage of the layout, in its order.
    """
    found = [_passage(run, layout, index, reference, lap) for index in range(len(layout.passages))]
    usual = _usual(found)
    return [_with_loosest(passage, usual) for passage in found]


def strong_first(passages: Sequence[SteadyPassage]) -> list[SteadyPassage]:
    """Those that are judged, the strong ones first: fast and steady, fast, steady, neither; the steadier first."""
    judged = [each for each in passages if each.fast is not None and each.steady is not None and each.time]
    return sorted(judged, key=lambda each: (not each.fast, not each.steady, each.time.value if each.time else 0.0))


def _passage(
    run: AnalysedRun, layout: Layout, index: int, reference: AnalysedRun | None, lap: LapTrace | None
) -> SteadyPassage:
    passage = layout.passages[index]
    side = clean_passages(run, layout, index)
    time = spread_of(side.times, _own_error(side.draws))
    theirs = None if reference is None else clean_passages(reference, layout, index)
    loss, doubt, against = _loss(side, theirs, None if lap is None else float(passage_times(lap, layout)[index]))
    usual = float(np.median(side.times)) if len(side.times) else 0.0
    level = max(LEVEL_S, LEVEL_SHARE * usual)
    fast = None if loss is None else loss <= level
    steady = None if time is None else time.value <= level
    corners = tuple(_corner(run, side.numbers, layout, name) for name in passage.corners)
    return SteadyPassage(
        name=passage.name,
        from_m=passage.from_m,
        to_m=passage.to_m,
        numbers=tuple(side.numbers),
        times=side.times,
        time=time,
        loss_s=loss,
        loss_u_s=doubt,
        against=against,
        level_s=level,
        fast=fast,
        steady=steady,
        fast_sure=loss is not None and doubt is not None and abs(loss - level) > 2 * doubt,
        steady_sure=time is not None and not time.low <= level <= time.high,
        change=trend(np.array(side.numbers, float), side.times),
        apart=tuple(int(n) for n in np.array(side.numbers, int)[alone(side.times)]),
        corners=corners,
        loosest=None,
    )


def _own_error(draws: Array) -> float:
    """Standard deviation that placing adds between the laps of a run: what they share moves all of them alike."""
    if draws.ndim < 2 or len(draws) < 2 or not draws.shape[1]:
        return 0.0
    return float(np.sqrt(np.mean(np.var(draws, axis=0, ddof=1))))


def _loss(side: Side, theirs: Side | None, lap_s: float | None) -> tuple[float | None, float | None, str]:
    """Median loss in a passage, its standard deviation, and against what."""
    alone_here = theirs is None and lap_s is None
    against = "own best" if alone_here else "reference" if theirs and len(theirs.times) >= FEWEST else "reference lap"
    level, level_u = np.nan, 0.0
    if against == "own best":
        level = float(side.times.min()) if len(side.times) else np.nan
    elif against == "reference" and theirs is not None:
        level, level_u = float(np.median(theirs.times)), median_doubt(theirs.times) or 0.0
    elif lap_s is not None:
        level = lap_s
    if len(side.times) < FEWEST or not np.isfinite(level):
        return None, None, against
    # What the laps of a run have in common falls out against an own lap, not against another run's.
    shared = 0.0 if alone_here else common_error(side)
    others = 0.0 if theirs is None else common_error(theirs)
    own = median_doubt(side.times) or 0.0
    doubt = float(np.sqrt(own**2 + level_u**2 + shared**2 + others**2))
    return float(np.median(side.times)) - level, doubt, against


def _corner(run: AnalysedRun, numbers: Sequence[int], layout: Layout, name: str) -> SteadyCorner:
    which = next(i for i, corner in enumerate(layout.corners) if corner.name == name)
    rows = [] if run.technique is None else [run.technique.at(number, which) for number in numbers]
    spreads = {}
    for code in SPREAD:
        hardest = _hardest(run) if code == BRAKE_PEAK else 1.0
        values = [None if row is None else _number(getattr(row, code), hardest) for row in rows]
        if (found := spread_of(values)) is not None:
            spreads[code] = found
    return SteadyCorner(name, spreads)


def _hardest(run: AnalysedRun) -> float:
    """What the height of a brake's peak is a share of: pedals and pressures of two cars compare in nothing else."""
    if run.scale.brake_role is not None and run.scale.brake:
        return float(run.scale.brake)
    assert run.signals is not None
    driven = np.isfinite(run.signals.time)
    return max(float(np.percentile(run.signals.brake[driven], 99)), 1e-9) if driven.any() else 1.0


def _number(value: float | int | None, of: float) -> float | None:
    return None if value is None else float(value) / of


def _usual(passages: Sequence[SteadyPassage]) -> dict[str, float]:
    """The median spread of every figure over the corners."""
    found: dict[str, list[float]] = {}
    for passage in passages:
        for corner in passage.corners:
            for code, one in corner.figures.items():
                found.setdefault(code, []).append(one.value)
    return {code: float(np.median(values)) for code, values in found.items() if len(values) >= FEWEST}


def _with_loosest(passage: SteadyPassage, usual: dict[str, float]) -> SteadyPassage:
    ratios = [
        (one.value / max(usual.get(code, 0.0), _NONE[code] / LOOSE), corner.corner, code)
        for corner in passage.corners
        for code in DEEDS
        if (one := corner.figures.get(code)) is not None and one.value > _NONE[code]
    ]
    most = max(ratios, default=None)
    if passage.steady is not False or most is None or most[0] < LOOSE:
        return passage
    return replace(passage, loosest=(most[1], most[2]))
