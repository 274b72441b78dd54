"""At which kind of corner a school's time lies: students against the day's quickest, day by day."""

from collections.abc import Hashable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from scipy.special import stdtrit

from lauftakt.core.season.kinds import KINDS
from lauftakt.core.season.pace import Scattered

CONFIDENCE = 0.95
# Of fewer students nothing is said of the school.
FEWEST = 3


@dataclass(frozen=True)
class DayRun:
    """A run on a day: who drove, by what it compares with others (day, car, tyres, grip), the best lap, and the medians
    of its passages by name. ``student`` is False for those who are only measured against."""

    driver: Hashable
    beside: Hashable
    best_s: float
    passages: Mapping[str, Scattered]
    student: bool = True


@dataclass(frozen=True)
class Lying:
    """What lies in one kind of corner, or in one passage.

    Attributes
    ----------
    name : of the kind or the passage
    passages : how many there are
    loss_s, low_s, high_s : what a student loses there in a lap, mean over students with its 95 % interval
    students : how many tell
    """

    name: str
    passages: int
    loss_s: float
    low_s: float
    high_s: float
    students: int


def lying_of(runs: Sequence[DayRun], kinds: Mapping[str, str]) -> tuple[list[Lying], list[Lying]]:
    """Where the students' time lies.

    Parameters
    ----------
    runs : of one layout, over all days
    kinds : kind of each passage by name

    Returns
    -------
    kinds, passages : the dearest first; nothing where fewer than three students compare

    Notes
    -----
    Each run is held against the median passages of the quickest run of its day in the same car on the same tyres, so
    that grip and weather are the same for both; the runs of a student are taken together first. The interval is that of
    a mean over students (Student's t): it says how far another such group might lie off.
    """
    best: dict[Hashable, DayRun] = {}
    for run in runs:
        if run.beside not in best or run.best_s < best[run.beside].best_s:
            best[run.beside] = run
    losses: dict[Hashable, dict[str, list[float]]] = {}
    for run in runs:
        base = best[run.beside]
        if not run.student or run.driver == base.driver:
            continue
        own = losses.setdefault(run.driver, {})
        for name, side in run.passages.items():
            if name in base.passages and name in kinds:
                own.setdefault(name, []).append(side.median_s - base.passages[name].median_s)
    by_student = [{name: float(np.mean(each)) for name, each in own.items()} for own in losses.values()]
    names = list(dict.fromkeys(kinds))
    of_kinds = [
        found
        for kind in KINDS
        if (found := _over_students(by_student, kind, [name for name in names if kinds[name] == kind])) is not None
    ]
    passages = [found for name in names if (found := _over_students(by_student, name, [name])) is not None]
    return sorted(of_kinds, key=lambda one: -one.loss_s), sorted(passages, key=lambda one: -one.loss_s)


def _over_students(students: Sequence[Mapping[str, float]], name: str, passages: Sequence[str]) -> Lying | None:
    sums = [sum(own[each] for each in passages) for own in students if all(each in own for each in passages)]
    if len(sums) < FEWEST or not passages:
        return None
    mean = float(np.mean(sums))
    reach = (
        float(stdtrit(len(sums) - 1, (1 + CONFIDENCE) / 2)) * float(np.std(sums, ddof=1)) / float(np.sqrt(len(sums)))
    )
    return Lying(name, len(passages), mean, mean - reach, mean + reach, len(sums))
