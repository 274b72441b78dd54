"""Which cues work: of those that could be judged, how many were reached, paid, and stayed."""

from collections.abc import Iterable
from dataclasses import dataclass
from functools import partial

import scipy

from lauftakt.core.season.course import BACK, DONE, GONE, STAYS, UNCLEAR, WAITING

CONFIDENCE = 0.95
# Of fewer judged cues no share is told.
FEWEST = 3


@dataclass(frozen=True)
class Asked:
    """One cue that was given: what it asks for, its stage, and whether it paid in any later run."""

    about: str
    stage: str
    paid: bool


@dataclass(frozen=True)
class Working:
    """Cues that ask for the same.

    Attributes
    ----------
    about : what they ask for
    given, judged, reached, paid, lost : how many; lost are those that were reached and are not there now
    share, low, high : of the judged ones that were reached, with its 95 % interval; None for fewer than three
    """

    about: str
    given: int
    judged: int
    reached: int
    paid: int
    lost: int
    share: float | None
    low: float | None
    high: float | None


def working_of(cues: Iterable[Asked]) -> list[Working]:
    """Cues by what they ask for, the most often asked first.

    Notes
    -----
    The interval of a share is Jeffreys' (Brown, Cai and DasGupta, "Interval estimation for a binomial proportion",
    Statistical Science 16, 2001).
    """
    groups: dict[str, list[Asked]] = {}
    for cue in cues:
        groups.setdefault(cue.about, []).append(cue)
    found = []
    for about, group in groups.items():
        judged = [cue for cue in group if cue.stage not in (WAITING, UNCLEAR)]
        reached = [cue for cue in judged if cue.stage in (DONE, STAYS, BACK, GONE)]
        share = low = high = None
        if len(judged) >= FEWEST:
            share = len(reached) / len(judged)
            missed = len(judged) - len(reached)
            shares = partial(scipy.stats.beta.ppf, a=len(reached) + 0.5, b=missed + 0.5)
            low = float(shares((1 - CONFIDENCE) / 2)) if reached else 0.0
            high = float(shares((1 + CONFIDENCE) / 2)) if missed else 1.0
        found.append(
            Working(
                about=about,
                given=len(group),
                judged=len(judged),
                reached=len(reached),
                paid=sum(cue.paid for cue in reached),
                lost=sum(cue.stage == GONE for cue in reached),
                share=share,
                low=low,
                high=high,
            )
        )
    return sorted(found, key=lambda one: (-one.given, one.about))
