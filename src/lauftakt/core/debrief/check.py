"""Whether what a driver was asked to do was done by another run, and whether it paid."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from types import MappingProxyType

import numpy as np
from numpy.typing import NDArray

from lauftakt.core.circuit.layout import Layout
from lauftakt.core.debrief.change import FEWEST_LAPS, Change, Pair, change_of, size_of
from lauftakt.core.debrief.family import holm
from lauftakt.core.debrief.luck import expected_luck, goes_with, passage_doubt
from lauftakt.core.debrief.target import RESOLVED, Target, figure_entry, values_of
from lauftakt.core.registry import PASSAGE_TIME
from lauftakt.core.run import AnalysedRun

Array = NDArray[np.float64]

REACHED_PAID, REACHED, MOVED, NO_CHANGE, WORSE, UNJUDGED = (
    "reached_paid", "reached", "moved", "no_change", "worse", "cannot_judge",
)  # fmt: skip
KEPT, LOST = "kept", "lost"
# Why something cannot be judged.
FEW, TRAFFIC, UNKNOWN = "few", "traffic", "unknown"
# A driver who changes nothing is told otherwise in so many cases at most, whatever is looked at and how often.
LEVEL = 0.05
# Of that the first look spends most: the next run is what a cue is given for. Every further one a share of the rest.
FIRST_LOOK, LATER_LOOKS = 0.8, 0.6


@dataclass(frozen=True)
class Asked:
    """A cue, or a keep, with its target on the layout of the runs."""

    key: int
    target: Target
    keep: bool = False


@dataclass(frozen=True)
class Dots:
    """A figure's values in the clean laps of a run, by lap number."""

    numbers: tuple[int, ...]
    values: Array


@dataclass(frozen=True)
class Elsewhere:
    """A passage that nothing was asked in and that is slower beyond doubt, s."""

    passage: str
    change: Change


@dataclass(frozen=True)
class Answer:
    """What became of a cue or a keep.

    Attributes
    ----------
    key : of what was asked
    answer : ``reached_paid``, ``reached``, ``moved``, ``no_change``, ``worse`` or ``cannot_judge``; for a keep
        ``kept``, ``lost`` or ``cannot_judge``
    why : where it cannot be judged: ``few`` (laps), ``traffic`` or ``unknown`` (the figure is not in the logs), or what
        the caller says does not compare
    before, after : the target's figure in all clean laps
    figure, time : how it changed, and the time in the passage, s; None where too few laps tell
    met : whether the median meets the target
    """

    key: int
    answer: str
    why: str | None
    before: Dots
    after: Dots
    figure: Change | None
    time: Change | None
    met: bool


@dataclass(frozen=True)
class Check:
    """Answers in the order of what was asked, and passages that pay for it."""

    answers: tuple[Answer, ...]
    elsewhere: tuple[Elsewhere, ...]


def level_of_look(look: int) -> float:
    """What may be spent on a look, the first being 1: all looks together spend the level (Lan and DeMets, "Discrete
    sequential boundaries for clinical trials", Biometrika 70, 1983)."""
    rest = LEVEL * (1.0 - FIRST_LOOK)
    return LEVEL * FIRST_LOOK if look <= 1 else rest * (1.0 - LATER_LOOKS) * LATER_LOOKS ** (look - 2)


def check(
    before: AnalysedRun,
    after: AnalysedRun,
    layout: Layout,
    asked: Sequence[Asked],
    *,
    losses: Mapping[str, tuple[float, float]] = MappingProxyType({}),
    look: int = 1,
    apart: str | None = None,
) -> Check:
    """What became of what was asked.

    Parameters
    ----------
    before : the run after which it was asked
    after : a later run of the same driver on the same layout
    layout : of both
    asked : all cues and keeps of that debrief
    losses : of all passages when it was asked, s, with their doubt (:func:`losses_of`): by these passages were picked
    look : how often it is looked at by now, this one included
    apart : why the two runs do not compare, where they do not

    Notes
    -----
    A figure must meet its target and have changed beyond what laps and runs scatter by themselves
    (:func:`lauftakt.core.debrief.change.change_of`), after what is expected because the worst passages were picked
    (:mod:`lauftakt.core.debrief.luck`). Cues share one level (Holm, Scandinavian Journal of Statistics 6, 1979), and so
    do looks. Whether it paid is asked only of what was reached, at the level that was left for it.
    """
    names = list(losses)
    lucky = expected_luck([losses[name][0] for name in names], [losses[name][1] for name in names])
    runs = _Runs(before, after, layout, frozenset(one.target.passage for one in asked),
                 dict(zip(names, lucky.tolist(), strict=True)))  # fmt: skip
    found = [_looked_at(runs, one, apart) for one in asked]
    level = level_of_look(look)
    cues = [index for index, one in enumerate(asked) if not one.keep]
    keeps = [index for index, one in enumerate(asked) if one.keep]
    answers = dict(zip(cues, _of_cues([asked[i] for i in cues], [found[i] for i in cues], level), strict=True))
    answers |= dict(zip(keeps, _of_keeps([found[i] for i in keeps], level), strict=True))
    return Check(tuple(answers[index] for index in range(len(asked))), () if apart else tuple(_elsewhere(runs, level)))


def losses_of(run: AnalysedRun, layout: Layout, against: AnalysedRun | None) -> dict[str, tuple[float, float]]:
    """Median loss of a run in each passage, s, with what laps and the run leave open; the passages of which that is
    known.

    Parameters
    ----------
    run : of the driver
    layout : of both
    against : run of the reference driver; None: against the own best passages
    """
    found = {}
    for passage in layout.passages:
        times = values_of(run, layout, passage.name, None, PASSAGE_TIME)[1]
        theirs = times if against is None else values_of(against, layout, passage.name, None, PASSAGE_TIME)[1]
        doubt = passage_doubt(times)
        if len(theirs) and np.isfinite(doubt) and doubt > 0.0:
            level = float(theirs.min()) if against is None else float(np.median(theirs))
            found[passage.name] = float(np.median(times)) - level, doubt
    return found


def slipped_back(
    reached: AnalysedRun, later: AnalysedRun, layout: Layout, target: Target, touched: frozenset[str], level: float
) -> bool | None:
    """Whether a figure that met its target in one run misses it in a later one, beyond what laps and runs scatter.

    Parameters
    ----------
    reached, later : runs of one driver on one layout
    layout : of both
    target : that was met
    touched : passages in which anything was asked; the others tell what changed by itself
    level : so often it may be said of a driver who changed nothing

    Returns
    -------
    None where fewer than four clean laps of either tell.
    """
    runs = _Runs(reached, later, layout, touched, {})
    pair = runs.pair(target.passage, target.corner, target.figure)
    least = RESOLVED.get(figure_entry(target.figure).quantity, 1e-6)
    change = change_of(pair, runs.others(target.figure), least, proportional=is_share(target.figure))
    if change is None:
        return None
    return change.likely(-target.sign) <= level and not target.met(change.after)


@dataclass(frozen=True)
class _Runs:
    """Both runs, the passages in which something was asked, and what was bad luck in the first, s."""

    before: AnalysedRun
    after: AnalysedRun
    layout: Layout
    touched: frozenset[str]
    luck: Mapping[str, float]
    _known: dict[tuple[str, str | None, str], tuple[Dots, Dots]] = field(default_factory=dict)

    def dots(self, passage: str, corner: str | None, figure: str) -> tuple[Dots, Dots]:
        key = passage, corner, figure
        if key not in self._known:
            sides = [values_of(run, self.layout, passage, corner, figure) for run in (self.before, self.after)]
            first, second = (Dots(tuple(numbers), values) for numbers, values in sides)
            self._known[key] = first, second
        return self._known[key]

    def pair(self, passage: str, corner: str | None, figure: str) -> Pair:
        first, second = self.dots(passage, corner, figure)
        return Pair.of(first.values, second.values)

    def others(self, figure: str, but: str | None = None) -> list[Pair]:
        """The same figure where nothing was asked; of places as metres beside their own apex, which is no matter."""
        return [
            self.pair(passage.name, corner, figure)
            for passage in self.layout.passages
            if passage.name not in self.touched and passage.name != but
            for corner in ([None] if figure == PASSAGE_TIME else passage.corners)
        ]

    def relation(self, figure: str) -> float:
        """How closely a figure goes with the passage's time from lap to lap, over all corners of the first run."""
        if figure == PASSAGE_TIME:
            return 1.0
        figures, times = [], []
        for passage in self.layout.passages:
            for corner in passage.corners:
                figures.append(self.dots(passage.name, corner, figure)[0].values)
                times.append(self.dots(passage.name, None, PASSAGE_TIME)[0].values)
        return goes_with(figures, times)


def is_share(figure: str) -> bool:
    """Whether another grip changes a figure by a share of itself: the time in a passage, speeds and accelerations."""
    return figure == PASSAGE_TIME or figure_entry(figure).quantity in ("speed", "acceleration")


def _looked_at(runs: _Runs, one: Asked, apart: str | None) -> Answer:
    """Both runs in a target, not judged yet."""
    target = one.target
    before, after = runs.dots(target.passage, target.corner, target.figure)
    blank = Answer(one.key, UNJUDGED, apart, before, after, None, None, False)
    pair = Pair.of(before.values, after.values)
    times = runs.pair(target.passage, None, PASSAGE_TIME)
    if apart is not None:
        return blank
    if not pair.told:
        return replace(blank, why=_too_few(runs, times, before, after))
    least = RESOLVED.get(figure_entry(target.figure).quantity, 1e-6)
    luck = runs.luck.get(target.passage, 0.0)
    scatter = size_of(times.before)
    by_luck = luck if target.figure == PASSAGE_TIME else 0.0
    if target.figure != PASSAGE_TIME and scatter > 0.0:
        by_luck = luck / scatter * runs.relation(target.figure) * pair.scatter(least)
    shared = is_share(target.figure)
    figure = change_of(pair, runs.others(target.figure), least, by_luck, proportional=shared)
    time = figure if target.figure == PASSAGE_TIME else _time(runs, target.passage)
    assert figure is not None
    return replace(blank, figure=figure, time=time, met=target.met(figure.after))


def _time(runs: _Runs, passage: str) -> Change | None:
    """How the time in a passage changed."""
    pair = runs.pair(passage, None, PASSAGE_TIME)
    luck = runs.luck.get(passage, 0.0)
    return change_of(pair, runs.others(PASSAGE_TIME, passage), RESOLVED["time"], luck, proportional=True)


def _too_few(runs: _Runs, times: Pair, before: Dots, after: Dots) -> str:
    counting = min(len(runs.before.counting), len(runs.after.counting))
    if min(len(before.numbers), len(after.numbers)) >= FEWEST_LAPS or times.told:
        return UNKNOWN
    return TRAFFIC if counting >= FEWEST_LAPS else FEW


def _of_cues(asked: Sequence[Asked], found: Sequence[Answer], level: float) -> list[Answer]:
    changes = [answer.figure for answer in found]
    signs = [one.target.sign for one in asked]
    moved = holm([c.likely(s) if c else None for c, s in zip(changes, signs, strict=True)], level)
    # Away from the target, and slower, are one family: both are told as worse.
    back = holm(
        [
            *(c.likely(-s) if c else None for c, s in zip(changes, signs, strict=True)),
            *(answer.time.likely(1.0) if answer.time else None for answer in found),
        ],
        level,
    )
    away, slower = back[: len(found)], back[len(found) :]
    judged = []
    for answer, there, gone, lost in zip(found, moved, away, slower, strict=True):
        if answer.figure is None:
            judged.append(answer)
        elif there is not None and answer.met:
            paid = answer.time is not None and answer.time.likely(-1.0) <= there
            judged.append(replace(answer, answer=REACHED_PAID if paid else REACHED))
        elif gone is not None or lost is not None:
            judged.append(replace(answer, answer=WORSE))
        else:
            judged.append(replace(answer, answer=NO_CHANGE if there is None else MOVED))
    return judged


def _of_keeps(found: Sequence[Answer], level: float) -> list[Answer]:
    """A keep is lost where its passage became slower, or its figure went, beyond doubt."""
    lost = holm([None if answer.time is None else answer.time.likely(1.0) for answer in found], level)
    return [
        answer if answer.figure is None else replace(answer, answer=KEPT if gone is None else LOST)
        for answer, gone in zip(found, lost, strict=True)
    ]


def _elsewhere(runs: _Runs, level: float) -> list[Elsewhere]:
    """Passages that nothing was asked in and that are slower beyond doubt."""
    names = [passage.name for passage in runs.layout.passages if passage.name not in runs.touched]
    changes = [_time(runs, name) for name in names]
    sure = holm([None if change is None else change.likely(1.0) for change in changes], level)
    found = [
        Elsewhere(name, change)
        for name, change, clear in zip(names, changes, sure, strict=True)
        if change is not None and clear is not None
    ]
    return sorted(found, key=lambda one: -one.change.change)
