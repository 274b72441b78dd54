"""Personal records: the quickest laps of a driver in the order in which they came, with their doubt."""

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

# Differences up to so many standard deviations are level.
SURE = 2.0


@dataclass(frozen=True)
class Timed:
    """A run's best lap: time and standard deviation, s; None where nobody can say how well it is known."""

    key: int
    best_s: float
    best_u_s: float | None


@dataclass(frozen=True)
class Record:
    """A lap that was quicker than all before it.

    Attributes
    ----------
    key : of the run
    best_s, best_u_s : s
    by_s, by_u_s : by how much it is quicker than the one before, None for the first; the doubt None where it is not
        known
    level : whether the two are level within their doubt; without a doubt nothing is said to be quicker
    """

    key: int
    best_s: float
    best_u_s: float | None
    by_s: float | None
    by_u_s: float | None
    level: bool


def records_of(runs: Iterable[Timed]) -> list[Record]:
    """Records of a driver on one layout in one trim.

    Parameters
    ----------
    runs : in the order in which they were driven

    Notes
    -----
    The doubt is that of the two crossings of the line, as each run's log leaves it open.
    """
    found: list[Record] = []
    for run in runs:
        last = found[-1] if found else None
        if last is None:
            found.append(Record(run.key, run.best_s, run.best_u_s, None, None, False))
        elif run.best_s < last.best_s:
            by = last.best_s - run.best_s
            known = last.best_u_s is not None and run.best_u_s is not None
            u = float(np.hypot(last.best_u_s or 0.0, run.best_u_s or 0.0)) if known else None
            found.append(Record(run.key, run.best_s, run.best_u_s, by, u, u is None or by <= SURE * u))
    return found
