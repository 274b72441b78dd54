"""What a cue aims at: a figure of technique at a passage, with a value and the way towards it."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from statistics import median

import numpy as np
from numpy.typing import NDArray

from lauftakt.core.circuit.layout import Layout
from lauftakt.core.circuit.passages import passage_range
from lauftakt.core.comparison.spread import median_doubt
from lauftakt.core.findings.names import Evidence
from lauftakt.core.findings.pairing import clean_passages
from lauftakt.core.findings.statement import Finding
from lauftakt.core.registry import FIGURES, OF_PASSAGES, PASSAGE_TIME, FigureEntry
from lauftakt.core.run import AnalysedRun
from lauftakt.core.technique.windows import windows

Array = NDArray[np.float64]
Bools = NDArray[np.bool_]

HIGH, LOW = "high", "low"
# What a log resolves, and what a driver cannot feel: by what a figure measures, SI.
RESOLVED = {
    "distance": 0.5, "width": 0.3, "speed": 0.1, "time": 0.01, "acceleration": 0.1, "share": 0.01, "turn_rate": 0.01,
    "plain": 0.25,
}  # fmt: skip
# Less than so many times that is not worth asking for.
WORTH_ASKING = 3.0
# A figure's way must be so many standard errors of its usual value: no cue hangs on what the laps scatter by.
SURE = 2.0
# Where own laps show nothing better: a step of so much of the way to the reference.
STEP = 0.5
# In the better laps, but not the very best one, a driver does it at least so well: the share of laps that are worse.
OFTEN = 0.8

# An own passage lends its figure where the driver arrives as fast as usually, on the same line, m/s and m; a brake
# point is brought to the usual arrival where it is not further off than that, by a braking of at least so much.
SAME_ARRIVAL_MS, SAME_LINE_M = 1.0 / 3.6, 1.0
CORRECTED_MS, LEAST_BRAKING_MS2 = 8.0 / 3.6, 2.0
# What own laps show must be at least such a share of the way to the reference, or a step is asked for instead.
SHARE_OF_WAY = 0.25
# Which way a figure is more daring; a turn-in is so either way, and what is not named here is not.
RISKY = {
    "brake_point_m": HIGH, "entry_speed": HIGH, "min_speed": HIGH, "mean_speed": HIGH, "exit_speed": HIGH,
    "throttle_pickup_m": LOW, "full_throttle_m": LOW, PASSAGE_TIME: LOW,
}  # fmt: skip
# The figures by which a cause is worked on, the telling one first, and the way; what depends on a corner's direction is
# turned below.
_BY_CAUSE: dict[str, tuple[tuple[str, str], ...]] = {
    "early_brake": (("brake_point_m", HIGH),),
    "braked_too_late": (("brake_point_m", LOW),),
    "soft_brake": (("mean_braking", HIGH),),
    "slow_brake_rise": (("brake_rise_s", LOW),),
    "early_release": (("brake_release_m", HIGH),),
    "late_release": (("brake_release_m", LOW),),
    "interrupted_brake": (("brake_steadiness", HIGH), ("brake_applications", LOW)),
    "over_slow": (("min_speed", HIGH),),
    "needless_lift": (("min_speed", HIGH),),
    "coasting": (("coast_s", LOW),),
    "late_throttle": (("full_throttle_m", LOW), ("throttle_pickup_m", LOW)),
    "hesitant_throttle": (("throttle_lifts", LOW), ("full_throttle_m", LOW)),
    "early_turn_in": (("turn_in_m", HIGH),),
    "late_turn_in": (("turn_in_m", LOW),),
    "oversteer": (("countersteer_s", LOW),),
    "locked_wheel": (("locked_s", LOW),),
    "understeer": (("min_speed", HIGH),),
}


# Figures that move together: who does what one of them asks for has done the other's bidding, too.
_TOGETHER = (
    {"brake_point_m", "entry_speed"},
    {"brake_release_m", "entry_speed", "min_speed", "mean_speed"},
    {"min_speed", "mean_speed", "exit_speed"},
    {"throttle_pickup_m", "full_throttle_m", "coast_s", "roll_s", "throttle_lifts", "exit_speed"},
    {"brake_steadiness", "brake_applications"},
)


@dataclass(frozen=True)
class Target:
    """A figure at a passage, the value that is wanted, and whether more (``high``) or less (``low``) is.

    ``corner`` is None where the figure is of the whole passage. Places are metres from the start line of the lap.
    """

    figure: str
    passage: str
    corner: str | None
    value: float
    direction: str

    @property
    def sign(self) -> float:
        return 1.0 if self.direction == HIGH else -1.0

    @property
    def quantity(self) -> str:
        return figure_entry(self.figure).quantity

    def brings_along(self, other: "Target") -> bool:
        """Whether who reaches this one needs not be asked for the other: the same place, by a figure that moves with
        it, or by the passage's whole time."""
        if self.passage != other.passage or (self.corner != other.corner and None not in (self.corner, other.corner)):
            return False
        both = {self.figure, other.figure}
        return PASSAGE_TIME in both or any(both <= group for group in _TOGETHER)

    def met(self, value: float) -> bool:
        """Whether a value is as wanted, as far as a log resolves it."""
        return self.sign * (value - self.value) >= -RESOLVED.get(self.quantity, 0.0)


@dataclass(frozen=True)
class Proposal:
    """A target that follows from what laps show.

    Attributes
    ----------
    cause : of the loss that it is to mend; None where it is asked for by time alone
    target : what is asked
    now : median over the clean laps
    lap : number of the own lap that shows it; None where none does
    shown : ``own best`` (done in the quickest own passage), ``own laps`` (in the better ones), ``step`` (a step towards
        the reference), ``coach`` (a value that the coach wrote)
    theirs : what the reference usually does, where it is known
    brought : by how much the own lap's figure was moved because it arrived slower than usually
    beyond : by how much the target is more daring than the reference; only a coach asks for that
    """

    cause: str | None
    target: Target
    now: float
    lap: int | None
    shown: str
    theirs: float | None = None
    brought: float = 0.0
    beyond: float = 0.0

    def by_coach(self, value: float, theirs: float | None) -> "Proposal":
        """The same with a value that the coach wrote; ``theirs`` is the reference's, where it is known."""
        target = replace(self.target, value=value)
        risk = RISKY.get(target.figure, target.direction if target.figure == "turn_in_m" else None)
        past = 0.0 if theirs is None or risk is None else (value - theirs) * (1.0 if risk == HIGH else -1.0)
        beyond = past if past > RESOLVED.get(target.quantity, 0.0) else 0.0
        return replace(self, target=target, lap=None, shown="coach", theirs=theirs, brought=0.0, beyond=beyond)


def figure_entry(code: str) -> FigureEntry:
    """A figure of a corner or a passage.

    Raises
    ------
    KeyError
        for a code that is none.
    """
    return OF_PASSAGES[code] if code in OF_PASSAGES else FIGURES[code]


def is_place(code: str) -> bool:
    """Whether a figure is a place along the circuit."""
    return figure_entry(code).quantity == "distance"


def values_of(
    run: AnalysedRun, layout: Layout, passage: str, corner: str | None, figure: str
) -> tuple[list[int], Array]:
    """A figure in every clean lap of a run.

    Parameters
    ----------
    run : on the layout
    layout : with the passage and the corner
    passage, corner : names; no corner for the passage's own time
    figure : code of the registry

    Returns
    -------
    numbers, values : of laps that count and were not held up there; NaN where the figure is not known

    Raises
    ------
    KeyError
        for a passage or corner that the layout does not have.
    """
    index = passage_index(layout, passage)
    side = clean_passages(run, layout, index)
    if figure == PASSAGE_TIME:
        return list(side.numbers), side.times
    which = corner_index(layout, corner)
    found = []
    for number in side.numbers:
        row = None if run.technique is None else run.technique.at(number, which)
        value = None if row is None else getattr(row, figure)
        found.append(np.nan if value is None else float(value))
    return list(side.numbers), np.array(found, dtype=float)


def passage_index(layout: Layout, name: str) -> int:
    for index, passage in enumerate(layout.passages):
        if passage.name == name:
            return index
    raise KeyError(name)


def corner_index(layout: Layout, name: str | None) -> int:
    for index, corner in enumerate(layout.corners):
        if corner.name == name:
            return index
    raise KeyError(name)


def proposals(
    finding: Finding, run: AnalysedRun, layout: Layout, reference: AnalysedRun | None = None
) -> list[Proposal]:
    """What can be asked of a driver after a finding, the dearest cause first, the passage's time last.

    Parameters
    ----------
    finding : of a passage, a loss
    run : of the driver
    layout : of both runs
    reference : run of the reference driver, None where the driver is measured against the own best passages
    """
    if finding.passage is None:
        return []
    found: list[Proposal] = []
    for evidence in finding.causes:
        if evidence.cost_s <= 0.0 or finding.corner is None:
            continue
        one = _by_cause(evidence, finding, run, layout, reference)
        if one is not None and all(one.target.figure != other.target.figure for other in found):
            found.append(one)
    by_time = by_figure(run, layout, finding.passage, None, PASSAGE_TIME, LOW)
    return [*found, by_time] if by_time is not None else found


def _by_cause(
    evidence: Evidence, finding: Finding, run: AnalysedRun, layout: Layout, reference: AnalysedRun | None
) -> Proposal | None:
    assert finding.passage is not None
    for figure, direction in _figures_of(evidence, layout, finding.corner):
        theirs = None if reference is None else usual(reference, layout, finding.passage, finding.corner, figure)
        found = by_figure(
            run, layout, finding.passage, finding.corner, figure, direction, cause=evidence.cause, theirs=theirs
        )
        if found is not None:
            return found
    return None


def usual(run: AnalysedRun, layout: Layout, passage: str, corner: str | None, figure: str) -> float | None:
    """What a run usually does; None unless at least half of its laps tell."""
    values = values_of(run, layout, passage, corner, figure)[1]
    known = values[np.isfinite(values)]
    return float(np.median(known)) if len(known) and 2 * len(known) >= len(values) else None


def _figures_of(evidence: Evidence, layout: Layout, corner: str | None) -> tuple[tuple[str, str], ...]:
    """The figures that a cause is worked on by, and the way."""
    left = next((one.direction == "left" for one in layout.corners if one.name == corner), True)
    if evidence.cause == "unused_width":
        # The inside of a left-hand bend lies to the left, where offsets are positive.
        return (("offset_apex", HIGH if left else LOW),)
    if evidence.cause == "wrong_gear" and evidence.own is not None and evidence.theirs is not None:
        return (("gear", HIGH if evidence.theirs > evidence.own else LOW),)
    if evidence.cause == "late_throttle" and evidence.figure == "throttle_pickup_m":
        return (("throttle_pickup_m", LOW),)
    return _BY_CAUSE.get(evidence.cause, ())


def by_figure(
    run: AnalysedRun,
    layout: Layout,
    passage: str,
    corner: str | None,
    figure: str,
    direction: str,
    *,
    cause: str | None = None,
    theirs: float | None = None,
) -> Proposal | None:
    """A target for a figure: what the driver did in the own best passage, else in the better ones, else a step towards
    the reference; None where nothing of that is worth asking for.

    It never goes beyond the reference: a driver is asked for no later brake point, no higher speed and no earlier
    throttle than somebody showed who was quicker there. An own passage lends its figure only where it compares (see
    :func:`comparable`).

    Parameters
    ----------
    run, layout, passage, corner, figure : see :func:`values_of`
    direction : ``high`` or ``low``
    cause : of the loss that it is to mend
    theirs : the reference's value, where it is known
    """
    numbers, values = values_of(run, layout, passage, corner, figure)
    times = values_of(run, layout, passage, None, PASSAGE_TIME)[1]
    if not np.isfinite(values).any():
        return None
    sign = 1.0 if direction == HIGH else -1.0
    now = float(median(values[np.isfinite(values)].tolist()))
    resolved = RESOLVED.get(figure_entry(figure).quantity, 0.0)
    least = WORTH_ASKING * resolved
    if figure != PASSAGE_TIME:
        least = max(least, SURE * (median_doubt(values) or 0.0))
    lent = at_usual_arrival(run, layout, passage, corner, figure, numbers, values)
    known = np.isfinite(lent) & comparable(run, layout, passage, corner, figure, numbers)
    if theirs is not None:
        known &= sign * (lent - theirs) <= resolved

    def told(value: float, lap: int | None, shown: str, brought: float = 0.0) -> Proposal:
        return Proposal(cause, Target(figure, passage, corner, value, direction), now, lap, shown, theirs, brought)

    def own(which: int, shown: str) -> Proposal:
        return told(float(lent[which]), numbers[which], shown, float(lent[which] - values[which]))

    if theirs is not None:
        least = max(least, SHARE_OF_WAY * sign * (theirs - now))
    known &= np.isfinite(times)
    if known.any():
        best = int(np.argmin(np.where(known, times, np.inf)))
        if sign * (lent[best] - now) >= least:
            return own(best, "own best")
        often = float(np.quantile(sign * lent[known], OFTEN)) * sign
        if sign * (often - now) >= least:
            near = int(np.argmin(np.where(known, np.abs(lent - often), np.inf)))
            return own(near, "own laps")
    if theirs is not None and sign * (theirs - now) >= least:
        # Half a gear is none, and neither is half a lift.
        step = theirs if figure_entry(figure).quantity == "plain" else now + STEP * (theirs - now)
        return told(step, None, "step")
    return None


def arrivals(run: AnalysedRun, layout: Layout, passage: str, corner: str | None, numbers: Sequence[int]) -> Array:
    """(n,) m/s, how fast a driver arrives at a corner, or at a passage where no corner is given; NaN where nobody
    knows."""
    signals = run.signals
    if signals is None:
        return np.full(len(numbers), np.nan)
    low = passage_range(layout, passage_index(layout, passage))[0]
    if corner is not None:
        low = windows(layout)[corner_index(layout, corner)].low
    rows = {number: row for row, number in enumerate(signals.numbers)}
    found = [
        np.interp(low, signals.places, signals.speed[rows[number]]) if number in rows else np.nan for number in numbers
    ]
    return np.array(found, dtype=float)


def comparable(
    run: AnalysedRun, layout: Layout, passage: str, corner: str | None, figure: str, numbers: Sequence[int]
) -> Bools:
    """Which laps may lend a figure to others of the run.

    Parameters
    ----------
    run, layout, passage, corner, figure : see :func:`values_of`
    numbers : of clean laps

    Returns
    -------
    (n,) false for a lap that follows an out lap, one in which the driver arrived faster or slower than usually (but
    for a brake point, which is brought to the usual arrival), and one on another line.
    """
    fresh = {lap.number + 1 for lap in run.laps if lap.kind == "out"}
    found = np.array([number not in fresh for number in numbers], dtype=bool)
    arrival = arrivals(run, layout, passage, corner, numbers)
    if np.isfinite(arrival).any():
        most = CORRECTED_MS if figure == "brake_point_m" else SAME_ARRIVAL_MS
        found &= np.abs(arrival - np.nanmedian(arrival)) <= most
    if corner is not None and figure not in ("offset_apex", "turn_in_m"):
        for place in ("offset_turn_in", "offset_apex"):
            offset = values_of(run, layout, passage, corner, place)[1]
            if np.isfinite(offset).any():
                found &= ~(np.abs(offset - np.nanmedian(offset)) > SAME_LINE_M)
    return found


def at_usual_arrival(
    run: AnalysedRun, layout: Layout, passage: str, corner: str | None, figure: str, numbers: Sequence[int],
    values: Array,
) -> Array:  # fmt: skip
    """A figure as it would be had the driver arrived as fast as usually.

    Who arrives slower may brake later, without having learnt anything. The speed that was missing is brought back: the
    brake comes on earlier by the way that this lap's braking needs for the difference in energy. Who arrives faster
    showed what was done; nothing later is made of it. Other figures stay.

    Parameters
    ----------
    run, layout, passage, corner, figure : see :func:`values_of`
    numbers, values : of the clean laps, (n,)

    Returns
    -------
    (n,), NaN where arrival or braking of a lap is not known
    """
    if figure != "brake_point_m":
        return values
    arrival = arrivals(run, layout, passage, corner, numbers)
    braking = values_of(run, layout, passage, corner, "mean_braking")[1]
    if not np.isfinite(arrival).any():
        return values
    missing = (float(np.nanmedian(arrival)) ** 2 - arrival**2) / 2.0 / np.maximum(braking, LEAST_BRAKING_MS2)
    return np.asarray(values - np.maximum(missing, 0.0))


def best_passage(numbers: Sequence[int], times: Array) -> int | None:
    """The lap with the quickest passage; None where there is none."""
    known = np.isfinite(times)
    return numbers[int(np.nanargmin(times))] if known.any() else None


def unwrapped(layout: Layout, at: float, corner: str | None) -> float:
    """A place inside the lap as metres from the start line of the lap that the corner's figures belong to."""
    window = next((one for one in windows(layout) if one.corner == corner), None)
    if window is None or not layout.centre.closed:
        return at
    return at + layout.length * round((window.apex - at) / layout.length)
