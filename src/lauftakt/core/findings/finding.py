"""Findings: where a driver loses time as a habit, how much, in which part, why, and how sure that is."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
import scipy
from numpy.typing import NDArray
from scipy.special import stdtrit

from lauftakt.core.circuit.layout import Layout
from lauftakt.core.comparison.car import ShownCar, shown_car
from lauftakt.core.comparison.grip import slowed_everywhere
from lauftakt.core.comparison.parts import PARTS
from lauftakt.core.findings.causes import Explanation, explain
from lauftakt.core.findings.own_best import against_own_best
from lauftakt.core.findings.pairing import (
    FEW,
    Contender,
    Side,
    clean_passages,
    common_error,
    corner_parts,
    drives,
    known_figures,
    lone_error,
    median_error,
    passage_places,
)
from lauftakt.core.findings.prices import brought_in, price
from lauftakt.core.findings.ranking import ranked
from lauftakt.core.findings.statement import Finding, scaled, stated
from lauftakt.core.laps.lap import Lap
from lauftakt.core.run import AnalysedRun
from lauftakt.core.technique.windows import Window, windows

Array = NDArray[np.float64]
# What findings are computed by; kept ones of another version are computed anew.
FINDINGS_VERSION = 5
# Less is below what a coach could tell or a driver change.
LEAST_LOSS_S = 0.025
# A lap has a dozen passages: so rare must chance be in each that a twin has a finding in less than one day of ten.
MOST_LIKELY = 0.9975
RANKS = 0.004


def find(
    contenders: Sequence[Contender],
    reference: int,
    layout: Layout,
    only: int | None = None,
    lap: int | None = None,
    *,
    by_run: bool = False,
) -> tuple[list[Finding], list[Finding]]:
    """Findings and strengths of every driver against the reference.

    Parameters
    ----------
    contenders : runs on one layout
    reference : index of the run whose best lap is the reference
    layout : with passages
    only : index of the one passage that is wanted, or None for all
    lap : number of the reference lap, or None for the reference run's best
    by_run : whether findings are put forward for each run of a driver, instead of for the driver

    Returns
    -------
    findings, strengths : ranked by time within each driver; the reference driver is measured against the own best
        passages

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
    reference_lap = _reference_lap(base.run, lap)
    if reference_lap is None:
        return [], []
    findings: list[Finding] = []
    strengths: list[Finding] = []
    cars = cars_of(contenders)
    positions = range(len(layout.passages)) if only is None else [only]
    for index, contender in enumerate(contenders):
        if not contender.run.counting:
            continue
        if index == reference or contender.driver == base.driver:
            findings += against_own_best(index, contender, layout, positions, cars[index])
            continue
        lost, won = _of_run(index, contender, layout, positions, reference_lap, base, cars[index])
        findings += lost
        strengths += won
    return ranked(findings, 1, by_run=by_run), ranked(strengths, -1, by_run=by_run)


def _reference_lap(run: AnalysedRun, number: int | None) -> Lap | None:
    """The lap that others are measured against: the one asked for, else the run's best."""
    if number is None:
        return run.best_lap
    return next((lap for lap in run.laps if lap.number == number and lap.number in run.traces), None)


@dataclass(frozen=True)
class _Match:
    """One driver's clean passages beside the reference driver's.

    ``target`` is what the driver is measured against, ``loss`` the median's distance to it with ``u``; ``to_lap`` and
    ``u_lap`` the same against the reference lap; ``everywhere`` what less grip costs here, which is taken out.
    """

    index: int
    contender: Contender
    base: Contender
    lap: Lap
    position: int
    own: Side
    theirs: Side
    target: float
    loss: float
    u: float
    to_lap: float
    u_lap: float
    everywhere: float


def _of_run(
    index: int, contender: Contender, layout: Layout, positions: Sequence[int], lap: Lap, base: Contender,
    car: ShownCar | None,
) -> tuple[list[Finding], list[Finding]]:  # fmt: skip
    lost: list[Finding] = []
    won: list[Finding] = []
    likely: list[_Match] = []
    places = windows(layout)
    slower = slowed_everywhere(contender.run, base.run, layout)
    if slower and len(positions) == len(layout.passages):
        lost += _everywhere(index, contender, lap, base, layout, slower)
    alone = lone_error(contender.run, layout)
    for position in positions:
        match = _match(index, contender, lap, base, layout, position, slower, alone)
        if match is None:
            continue
        verdict = _verdict(match)
        if verdict:
            (lost if verdict > 0 else won).append(_state(match, layout, places, car))
        elif match.loss < -max(2.0 * match.u, LEAST_LOSS_S) and match.to_lap < 0.0:
            likely.append(match)
    if lost and likely and not won:
        # Nobody hears only bad news: what is likely, though not beyond all chance, is told where nothing else is.
        won.append(_state(min(likely, key=lambda match: match.loss / match.u), layout, places, car))
    return lost, won


def _match(
    index: int, contender: Contender, lap: Lap, base: Contender, layout: Layout, position: int, slower: float,
    alone: float,
) -> _Match | None:  # fmt: skip
    """The two drivers in one passage; None where one of them has no clean passage.

    ``slower`` is the share of time that is lost everywhere, ``alone`` what one or two passages may be off by.
    """
    own = clean_passages(contender.run, layout, position)
    theirs = clean_passages(base.run, layout, position)
    # The reference lap's passage over the line counts only where the lap it runs into counts: not an in lap.
    clean = lap.number in theirs.numbers
    lap_time = float(base.run.passage_s[lap.number][position]) if clean else float("nan")
    few = len(theirs.numbers) < FEW
    if not len(own.numbers) or not (np.isfinite(lap_time) or (len(theirs.numbers) and not few)):
        return None
    # What less grip costs everywhere is said once, and is no habit of this passage.
    everywhere = slower * float(np.median(theirs.times if len(theirs.times) else lap_time))
    own = replace(own, times=own.times - everywhere)
    middle = float(np.median(own.times))
    target = lap_time if few else float(np.median(theirs.times))
    shared = np.hypot(common_error(own), common_error(theirs))
    own_error = median_error(own.times) if len(own.times) >= FEW else alone
    return _Match(
        index=index,
        contender=contender,
        base=base,
        lap=lap,
        position=position,
        own=own,
        theirs=theirs,
        target=target,
        loss=middle - target,
        u=float(np.sqrt(own_error**2 + shared**2 + (0.0 if few else median_error(theirs.times) ** 2))),
        to_lap=middle - (lap_time if np.isfinite(lap_time) else target),
        u_lap=float(np.hypot(own_error, shared)),
        everywhere=everywhere,
    )


def _verdict(match: _Match) -> int:
    """1 where the driver loses here as a habit, -1 where they gain, 0 where nothing can be said."""
    factor = _border(len(match.own.times), len(match.theirs.times))
    sure = _sure(match.own.times, match.theirs.times, match.loss)
    border = max((2.0 if sure else factor) * match.u, LEAST_LOSS_S)
    for sign in (1, -1):
        if sign * match.loss > border and sign * match.to_lap > 2 * match.u_lap:
            return sign
    return 0


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
    return bool(scipy.stats.mannwhitneyu(own, theirs, alternative=side).pvalue < RANKS)


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
    places = windows(layout)
    for position in range(len(layout.passages)):
        sides = [clean_passages(side.run, layout, position).numbers for side in (contender, base)]
        if all(sides):
            for parts in corner_parts(contender.run, sides[0], base.run, sides[1], layout, position, places).values():
                raw = {part: raw[part] + parts[part] for part in PARTS}
    u = float(np.hypot(median_error(np.array(list(own.values()))), median_error(np.array(theirs))))
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
            parts=scaled(raw, loss),
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


def cars_of(contenders: Sequence[Contender]) -> list[ShownCar | None]:
    """For each run, the car as it showed itself in all runs that were driven with it."""
    named = {contender.car for contender in contenders}
    by_name = {
        name: shown_car([c.run.signals for c in contenders if c.car == name and c.run.signals is not None])
        for name in named
    }
    return [by_name[contender.car] for contender in contenders]


def _state(match: _Match, layout: Layout, places: Sequence[Window], car: ShownCar | None) -> Finding:
    own, contender, loss = match.own, match.contender, match.loss
    passage = layout.passages[match.position]
    theirs = match.theirs.numbers if len(match.theirs.numbers) >= FEW else [match.lap.number]
    by_corner = corner_parts(contender.run, own.numbers, match.base.run, theirs, layout, match.position, places)
    parts = scaled({part: sum(parts[part] for parts in by_corner.values()) for part in PARTS}, loss)
    sign = 1.0 if loss > 0 else -1.0
    corner = max(by_corner, key=lambda name: sign * sum(by_corner[name].values()), default=None)
    told = None
    if loss > 0 and corner is not None and car is not None:
        told = _explained(match, theirs, layout, places, corner, car)
    said = stated(match.index, contender, passage, own, match.target, match.u, parts, corner, told)
    carried = _carried(match, theirs, layout, places, car) if car is not None else None
    return replace(said, loss_to_lap_s=match.to_lap, carried_s=carried)


def _explained(
    match: _Match, theirs: list[int], layout: Layout, places: Sequence[Window], corner: str, car: ShownCar
) -> Explanation:
    """What the parts of the driving cost in a passage."""
    which = [window.corner for window in places].index(corner)
    own, run, base = match.own, match.contender.run, match.base.run
    low, high, apexes = passage_places(layout, match.position, places)
    sides = drives(run, own.numbers, match.position), drives(base, theirs, match.position)
    both, prices = price(car, *sides, low, high, apexes)
    # What less grip costs everywhere is said once, and taken out of what the corner's speed costs here.
    prices.u.setdefault("use", 0.0)
    cost = {**prices.cost, "use": prices.cost.get("use", 0.0) - match.everywhere}
    prices = replace(prices, cost=cost, everywhere_s=match.everywhere)
    direction = next(c for c in layout.corners if c.name == corner).direction
    figures = known_figures(run, own.numbers, which), known_figures(base, theirs, which)
    least = match.u if len(own.numbers) < FEW else 0.0
    same = match.contender.car == match.base.car
    return explain(both, prices, *figures, match.loss, direction, least_u_s=least, same_car=same)


def _carried(match: _Match, theirs: list[int], layout: Layout, places: Sequence[Window], car: ShownCar) -> float | None:
    """What the speed at the passage's end costs in the one that follows, s; None where nobody drove on."""
    following = match.position + 1
    if following == len(layout.passages) and not layout.centre.closed:
        return None
    following %= len(layout.passages)
    own = clean_passages(match.contender.run, layout, following).numbers
    others = list(clean_passages(match.base.run, layout, following).numbers) or theirs
    low, high, apexes = passage_places(layout, following, places)
    sides = [drives(run, numbers, following) for run, numbers in ((match.contender.run, own), (match.base.run, others))]
    if not all(side.rows for side in sides):
        return None
    return brought_in(car, sides[0], sides[1], low, high, apexes)
