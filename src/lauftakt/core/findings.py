"""Findings: where a driver loses time as a habit, how much, in which part, why, and how sure that is."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from statistics import median

import numpy as np
from numpy.typing import NDArray
from scipy.special import stdtrit
from scipy.stats import mannwhitneyu

from lauftakt.core.analysis import AnalysedRun
from lauftakt.core.causes import Evidence, judge
from lauftakt.core.comparing import time_at
from lauftakt.core.conditions import slowed_everywhere
from lauftakt.core.laps import Lap, passage_range
from lauftakt.core.layout import Layout, Passage
from lauftakt.core.technique import Figures, windows

Array = NDArray[np.float64]

MEDIAN_FACTOR = 1.25
LEAST_LOSS_S = 0.025
FORWARD = 3
FEW = 3
MOST_LIKELY = 0.9975
RANKS = 0.004
PARTS = ("entry", "middle", "exit", "straight")


@dataclass(frozen=True)
class Contender:
    """A run with who drove it."""

    run: AnalysedRun
    driver: str


@dataclass(frozen=True)
class Finding:
    """A computed statement about one driver in one passage.

    Attributes
    ----------
    run : index of the run
    driver : who
    passage, corner : names; the corner is where most is lost; None for a finding about the whole lap
    from_m, to_m : the passage, metres from the start line
    loss_s, loss_u_s : s, median over clean passages against the reference driver's median, and its standard deviation
    loss_to_lap_s : s, the same against the reference lap
    parts : loss in entry, middle, exit and following straight, s; they add up to ``loss_s``
    cause, second_cause : codes, see :mod:`lauftakt.core.causes`; None for strengths
    seen_in : numbers of the laps with a loss beyond ``loss_u_s``
    clean : how many clean passages there are
    best_lap, best_loss_s : the driver's own best passage
    put_forward : among the three of a driver that cost most
    evidence : what the cause rests on
    """

    run: int
    driver: str
    passage: str | None
    corner: str | None
    from_m: float
    to_m: float
    loss_s: float
    loss_u_s: float
    loss_to_lap_s: float
    parts: dict[str, float]
    cause: str | None
    second_cause: str | None
    seen_in: tuple[int, ...]
    clean: int
    best_lap: int
    best_loss_s: float
    put_forward: bool = False
    evidence: tuple[Evidence, ...] = ()


@dataclass(frozen=True)
class _Side:
    """Clean passages of one run in one passage: lap numbers, times, and draws of their common error."""

    numbers: list[int]
    times: Array
    draws: Array


def find(
    contenders: Sequence[Contender], reference: int, layout: Layout, only: int | None = None
) -> tuple[list[Finding], list[Finding]]:
    """Findings and strengths of every driver against the reference.

    Parameters
    ----------
    contenders : runs on one layout
    reference : index of the run whose best lap is the reference
    layout : with passages
    only : index of the one passage that is wanted, or None for all

    Returns
    -------
    findings, strengths : ranked by time within each driver; none about the reference driver

    Notes
    -----
    In each passage the median over a driver's clean passages is compared with the reference lap and with the reference
    driver's own median. Each median's standard error is 1.25 s / sqrt(n) (asymptotic for normal scatter; Kendall and
    Stuart, "The Advanced Theory of Statistics", vol. 1); what positions leave unknown about both runs is added. A habit
    must exceed twice that against both. Since a lap has a dozen passages and a driver few laps, more is asked for: the
    99.75 % quantile of Student's t for as many laps, or a rank test below 0.4 %, so that a driver who does nothing
    different gets a finding in less than one case out of ten.
    """
    base = contenders[reference]
    lap = base.run.best_lap
    if lap is None:
        return [], []
    findings: list[Finding] = []
    strengths: list[Finding] = []
    positions = range(len(layout.passages)) if only is None else [only]
    for index, contender in enumerate(contenders):
        if index == reference or contender.driver == base.driver or not contender.run.counting:
            continue
        lost, won = _of_run(index, contender, layout, positions, lap, base)
        findings += lost
        strengths += won
    return _ranked(findings, 1), _ranked(strengths, -1)


def clean_passages(run: AnalysedRun, layout: Layout, index: int) -> _Side:
    """Passages of :func:`clean_laps` that were driven to their end."""
    low, high = passage_range(layout, index)
    numbers = [n for n in clean_laps(run, low, high, layout.length) if np.isfinite(run.passage_s[n][index])]
    draws = [run.passage_draws_s[number][index] for number in numbers]
    return _Side(
        numbers,
        np.array([run.passage_s[number][index] for number in numbers]),
        np.array(draws) if draws else np.zeros((0, 0)),
    )


def clean_laps(run: AnalysedRun, low: float, high: float, length: float) -> list[int]:
    """Numbers of the laps that count and were not held up between two places.

    Parameters
    ----------
    run : with its laps
    low, high : metres from the start line of the lap; what reaches into a neighbouring lap needs that lap to count, too
    length : of the lap, m
    """
    counting = {lap.number: lap for lap in run.counting}
    reached = [0, *([-1] if low < 0 else []), *([1] if high > length else [])]
    return [
        number
        for number in counting
        if all(number + step in counting for step in reached)
        and not any(_held(counting[number + step], low, high, step * length) for step in reached)
    ]


def _held(lap: Lap, low: float, high: float, shift: float) -> bool:
    """Whether a lap, ``shift`` metres further on, was held up between two places."""
    return any(a + shift < high and b + shift > low for a, b in lap.held_up)


def _median_error(times: Array) -> float:
    """Standard error of the median of (n,) times."""
    if len(times) < 2:
        return 0.0
    return float(MEDIAN_FACTOR * np.std(times, ddof=1) / np.sqrt(len(times)))


def _common_error(side: _Side) -> float:
    """Standard deviation of the error that all passages of a run share, seconds."""
    return float(np.sqrt(np.mean(side.draws.mean(axis=0) ** 2))) if side.draws.size else 0.0


def _of_run(
    index: int, contender: Contender, layout: Layout, positions: Sequence[int], lap: Lap, base: Contender
) -> tuple[list[Finding], list[Finding]]:
    lost: list[Finding] = []
    won: list[Finding] = []
    slower = slowed_everywhere(contender.run, base.run, layout)
    if slower and len(positions) == len(layout.passages):
        lost += _everywhere(index, contender, lap, base, layout, slower)
    for position in positions:
        passage = layout.passages[position]
        own = clean_passages(contender.run, layout, position)
        theirs = clean_passages(base.run, layout, position)
        # The reference lap's passage over the line counts only where the lap it runs into counts: not an in lap.
        clean = lap.number in theirs.numbers
        lap_time = float(base.run.passage_s[lap.number][position]) if clean else float("nan")
        if not len(own.numbers) or not (np.isfinite(lap_time) or len(theirs.numbers)):
            continue
        # What less grip costs everywhere is said once, and is no habit of this passage.
        own = replace(own, times=own.times - slower * float(np.median(theirs.times if len(theirs.times) else lap_time)))
        middle = float(np.median(own.times))
        few = len(theirs.numbers) < FEW
        if few and not np.isfinite(lap_time):
            continue
        target = lap_time if few else float(np.median(theirs.times))
        to_lap = middle - (lap_time if np.isfinite(lap_time) else target)
        shared = np.hypot(_common_error(own), _common_error(theirs))
        own_error = _median_error(own.times) if len(own.times) >= FEW else _lone_error(contender.run, layout)
        u = float(np.sqrt(own_error**2 + shared**2 + (0.0 if few else _median_error(theirs.times) ** 2)))
        u_lap = float(np.hypot(own_error, shared))
        loss = middle - target
        factor = _border(len(own.times), len(theirs.times))
        sure = _sure(own.times, theirs.times, loss)
        border = max((2.0 if sure else factor) * u, LEAST_LOSS_S)
        losing = loss > border and to_lap > 2 * u_lap
        winning = -loss > border and -to_lap > 2 * u_lap
        if not losing and not winning:
            continue
        finding = _state(index, contender, layout, position, passage, own, theirs, loss, u, to_lap, target, lap, base)
        (lost if losing else won).append(finding)
    return lost, won


def _sure(own: Array, theirs: Array, loss: float) -> bool:
    """Whether ranks alone tell the two drivers apart.

    Somebody who makes a mistake in six of ten laps scatters so much that the median's standard error says little, while
    most of his laps are slower than any of the other's: half of them clearly so, or more than chance by ranks (Mann and
    Whitney, Annals of Mathematical Statistics 18, 1947).
    """
    if min(len(own), len(theirs)) < FEW:
        return False
    sign = 1.0 if loss > 0 else -1.0
    beyond = sign * own > (sign * theirs).max() + 2.0 * np.std(theirs, ddof=1)
    if len(theirs) > FEW and beyond.mean() >= 0.5:
        return True
    side = "greater" if loss > 0 else "less"
    return bool(mannwhitneyu(own, theirs, alternative=side).pvalue < RANKS)


def _everywhere(
    index: int, contender: Contender, lap: Lap, base: Contender, layout: Layout, slower: float
) -> list[Finding]:
    """One finding about the whole lap where a run has less grip everywhere."""
    own = {one.number: one.time_s for one in contender.run.counting if one.time_s is not None}
    theirs = [one.time_s for one in base.run.counting if one.time_s is not None]
    if not own or not theirs or lap.time_s is None:
        return []
    target = float(np.median(theirs))
    loss = slower * target
    raw = dict.fromkeys(PARTS, 0.0)
    for position in range(len(layout.passages)):
        sides = [clean_passages(side.run, layout, position).numbers for side in (contender, base)]
        if all(sides):
            for parts in corner_parts(contender.run, sides[0], base.run, sides[1], layout, position).values():
                raw = {part: raw[part] + parts[part] for part in PARTS}
    u = float(np.hypot(_median_error(np.array(list(own.values()))), _median_error(np.array(theirs))))
    losses = {number: time - target for number, time in own.items()}
    best = min(losses, key=lambda number: losses[number])
    return [
        Finding(
            run=index,
            driver=contender.driver,
            passage=None,
            corner=None,
            from_m=0.0,
            to_m=layout.length,
            loss_s=loss,
            loss_u_s=u,
            loss_to_lap_s=slower * lap.time_s,
            parts=_scaled(raw, loss),
            cause="car_or_conditions",
            second_cause=None,
            seen_in=tuple(number for number, value in losses.items() if value > u),
            clean=len(losses),
            best_lap=best,
            best_loss_s=losses[best],
        )
    ]


def _border(own: int, theirs: int) -> float:
    """How many standard errors a loss must exceed."""
    freedom = max(min(own, theirs if theirs >= FEW else own) - 1, 1) * 1.6
    return max(2.0, float(stdtrit(freedom, MOST_LIKELY)))


def _lone_error(run: AnalysedRun, layout: Layout) -> float:
    """What one or two passages may be off by: the usual scatter of this run where it is known, else 0.05 s."""
    spreads = [
        float(np.std(side.times, ddof=1))
        for side in (clean_passages(run, layout, i) for i in range(len(layout.passages)))
        if len(side.times) >= FEW
    ]
    return float(np.median(spreads)) if spreads else 0.05


def _state(
    index: int, contender: Contender, layout: Layout, position: int, passage: Passage, own: _Side, theirs: _Side,
    loss: float, u: float, to_lap: float, target: float, lap: Lap, base: Contender,
) -> Finding:  # fmt: skip
    theirs_numbers = theirs.numbers if len(theirs.numbers) >= FEW else [lap.number]
    by_corner = corner_parts(contender.run, own.numbers, base.run, theirs_numbers, layout, position)
    parts = _scaled({part: sum(parts[part] for parts in by_corner.values()) for part in PARTS}, loss)
    sign = 1.0 if loss > 0 else -1.0
    corner = max(by_corner, key=lambda name: sign * sum(by_corner[name].values()), default=None)
    causes: list[Evidence] = []
    if loss > 0 and corner is not None:
        order = [w.corner for w in windows(layout)]
        which = order.index(corner)
        causes = judge(
            _known(contender.run, own.numbers, which),
            _known(base.run, theirs_numbers, which),
            by_corner[corner],
            next(c for c in layout.corners if c.name == corner).direction,
        )
    losses = own.times - target
    best = int(np.argmin(own.times))
    codes = [e.cause for e in causes] or ["unclear"]
    return Finding(
        run=index,
        driver=contender.driver,
        passage=passage.name,
        corner=corner,
        from_m=passage.from_m,
        to_m=passage.to_m,
        loss_s=loss,
        loss_u_s=u,
        loss_to_lap_s=to_lap,
        parts=parts,
        cause=codes[0] if loss > 0 else None,
        second_cause=codes[1] if loss > 0 and len(codes) > 1 else None,
        seen_in=tuple(n for n, value in zip(own.numbers, losses * sign, strict=True) if value > u),
        clean=len(own.numbers),
        best_lap=own.numbers[best],
        best_loss_s=float(losses[best]),
        evidence=tuple(causes[:2]),
    )


def _scaled(raw: dict[str, float], loss: float) -> dict[str, float]:
    """Parts that add up to a loss: scaled, or, where medians of parts hardly add up to anything, shifted."""
    total = sum(raw.values())
    if abs(total) > 0.4 * abs(loss) and total * loss > 0:
        return {part: value * loss / total for part, value in raw.items()}
    return {part: value + (loss - total) / len(raw) for part, value in raw.items()}


def _known(run: AnalysedRun, numbers: list[int], which: int) -> list[Figures]:
    assert run.technique is not None
    return [found for number in numbers if (found := run.technique.at(number, which)) is not None]


def corner_parts(
    run: AnalysedRun, numbers: list[int], base: AnalysedRun, base_numbers: list[int], layout: Layout, position: int
) -> dict[str, dict[str, float]]:
    """Median loss in entry, middle, exit and straight of each corner of a passage, s.

    Entry lasts to the reference's brake release, middle to its throttle pick-up, exit to the corner's exit, straight to
    the passage's end.
    """
    low, high = passage_range(layout, position)
    by_name = {window.corner: (i, window) for i, window in enumerate(windows(layout))}
    names = [name for name in layout.passages[position].corners if name in by_name]
    found: dict[str, dict[str, float]] = {}
    begin = low
    for order, name in enumerate(names):
        which, window = by_name[name]
        # The passage's first apex decides the lap; later corners of a passage over the line belong to the same drive.
        shift = layout.length if window.apex < low else 0.0
        last = order == len(names) - 1
        end = high if last else min(window.high + shift, high)
        figures = _known(base, base_numbers, which)
        release = _middle([f.brake_release_m for f in figures], window.entry) + shift
        pickup = _middle([f.throttle_pickup_m for f in figures], max(window.apex, release - shift)) + shift
        out = min(max(window.exit + shift, begin), end)
        edges = np.maximum.accumulate(np.clip([begin, release, pickup, out, end], begin, end))
        edges[1:4] = np.minimum(edges[1:4], out)
        times = [_spans(run, number, edges) for number in numbers]
        theirs = [_spans(base, number, edges) for number in base_numbers]
        losses = np.nanmedian(times, axis=0) - np.nanmedian(theirs, axis=0)
        found[name] = dict(zip(PARTS, (float(v) for v in losses), strict=True))
        begin = end
    return found


def _middle(values: list[float | None], instead: float) -> float:
    known = [value for value in values if value is not None]
    return median(known) if known and 2 * len(known) >= len(values) else instead


def _spans(run: AnalysedRun, number: int, edges: Array) -> Array:
    return np.diff(time_at(run.traces[number], edges))


def _ranked(findings: list[Finding], sign: int) -> list[Finding]:
    """Ranked by time within a driver, at most three of each put forward."""
    result: list[Finding] = []
    for driver in dict.fromkeys(finding.driver for finding in findings):
        own = sorted((f for f in findings if f.driver == driver), key=lambda f: -sign * f.loss_s)
        result += [replace(f, put_forward=rank < FORWARD) for rank, f in enumerate(own)]
    return result
