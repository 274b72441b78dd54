"""Which laps answer a question that is often asked: quick fillings of a line-up."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lauftakt.core.laps.conditions import Conditions

# A driver's laps that are slower than the best by more than this share are no tries at the same.
NEAR = 0.015
# What a driver usually does shows in three laps; more hide the picture.
FEW = 3
# As many strips as are told apart at a glance.
MOST = 12


@dataclass(frozen=True)
class Candidate:
    """A timed lap that could join a line-up.

    Attributes
    ----------
    run, number : which lap
    driver, car, event : whose, with what, on which day; the car may not be known
    time_s : lap time
    conditions : in which it was driven
    """

    run: int
    number: int
    driver: int
    car: int | None
    event: int
    time_s: float
    conditions: Conditions = "dry"

    @property
    def key(self) -> tuple[int, int]:
        return self.run, self.number


@dataclass(frozen=True)
class Asked:
    """What a filling is about; None where it does not matter.

    Attributes
    ----------
    event, driver, other, run : of which day, of whom, of which run
    reference : the reference of the day, where one is known
    within_share, within_s : how much slower than the best a lap near it may be, as a share of its time, or in seconds
    """

    event: int | None = None
    driver: int | None = None
    other: int | None = None
    run: int | None = None
    reference: Candidate | None = None
    within_share: float = NEAR
    within_s: float | None = None


@dataclass(frozen=True)
class Filling:
    """Laps in the order in which they are shown, and which of them the others are measured against."""

    laps: tuple[Candidate, ...]
    reference: Candidate


def _quickest(laps: Iterable[Candidate]) -> list[Candidate]:
    return sorted(laps, key=lambda lap: (lap.time_s, lap.run, lap.number))


def _filling(laps: Sequence[Candidate], reference: Candidate | None = None) -> Filling | None:
    """The reference comes first, and is the quickest unless another is named."""
    if not laps:
        return None
    first = reference or _quickest(laps)[0]
    return Filling((first, *[lap for lap in laps if lap.key != first.key])[:MOST], first)


def _of(laps: Iterable[Candidate], *, event: int | None = None, driver: int | None = None) -> list[Candidate]:
    return [
        lap
        for lap in laps
        if (event is None or lap.event == event) and (driver is None or lap.driver == driver)
    ]  # fmt: skip


def drivers_bests(laps: Sequence[Candidate], asked: Asked) -> Filling | None:
    """The best lap of each driver of a day, against the reference of the day, else the quickest of them."""
    best: dict[int, Candidate] = {}
    for lap in _quickest(_of(laps, event=asked.event)):
        best.setdefault(lap.driver, lap)
    return _filling(list(best.values()), asked.reference)


def near_best(laps: Sequence[Candidate], asked: Asked) -> Filling | None:
    """One driver's laps of a day within a share or some seconds of the best of them."""
    own = _quickest(_of(laps, event=asked.event, driver=asked.driver))
    if not own:
        return None
    best = own[0].time_s
    most = best * (1.0 + asked.within_share) if asked.within_s is None else best + asked.within_s
    return _filling([lap for lap in own if lap.time_s <= most])


def first_and_last(laps: Sequence[Candidate], asked: Asked) -> Filling | None:
    """The first three laps of a run and the last three, as they were driven, against the quickest of the last."""
    own = sorted((lap for lap in laps if lap.run == asked.run), key=lambda lap: lap.number)
    many = min(FEW, len(own) // 2)
    if not many:
        return None
    return _filling([*own[:many], *own[-many:]], _quickest(own[-many:])[0])


def today_and_ever(laps: Sequence[Candidate], asked: Asked) -> Filling | None:
    """A driver's best lap of a day against the best one that was ever driven with its car in like conditions; where the
    car is not known, against the driver's own best of another day."""
    today = _quickest(_of(laps, event=asked.event, driver=asked.driver))
    if not today:
        return None
    own = today[0]
    rivals = [lap for lap in laps if lap.key != own.key and lap.conditions == own.conditions]
    if own.car is not None:
        rivals = [lap for lap in rivals if lap.car == own.car and (lap.event != own.event or lap.driver != own.driver)]
    else:
        rivals = [lap for lap in rivals if lap.driver == own.driver and lap.event != own.event]
    return _filling([own, _quickest(rivals)[0]], _quickest(rivals)[0]) if rivals else None


def best_of_two(laps: Sequence[Candidate], asked: Asked) -> Filling | None:
    """The three best laps of each of two drivers on a day, against the quickest of all."""
    both = [_quickest(_of(laps, event=asked.event, driver=who))[:FEW] for who in (asked.driver, asked.other)]
    if asked.driver == asked.other or not all(both):
        return None
    return _filling([*both[0], *both[1]])


FILLINGS: Mapping[str, Callable[[Sequence[Candidate], Asked], Filling | None]] = {
    "bests": drivers_bests,
    "near_best": near_best,
    "first_and_last": first_and_last,
    "today_and_ever": today_and_ever,
    "best_of_two": best_of_two,
}


def fill(kind: str, laps: Sequence[Candidate], asked: Asked) -> Filling | None:
    """A line-up that answers a question.

    Parameters
    ----------
    kind : of :data:`FILLINGS`
    laps : all that count, on one layout
    asked : whom and which day it is about

    Returns
    -------
    See :class:`Filling`; None where there are no laps for it.

    Raises
    ------
    KeyError
        for a kind that is none.
    """
    return FILLINGS[kind](laps, asked)


def winners(laps: Sequence[Candidate], passage_s: Mapping[tuple[int, int], NDArray[np.float64]]) -> Filling | None:
    """The laps that were the quickest of all in some passage, those first that won most, against the quickest lap.

    Parameters
    ----------
    laps : of a day
    passage_s : (p,) seconds in each passage, of each lap by run and number; NaN where a lap does not tell
    """
    rows = np.array([passage_s[lap.key] for lap in laps]) if laps else np.zeros((0, 0))
    told = [index for index in range(rows.shape[1]) if np.isfinite(rows[:, index]).any()]
    won: dict[tuple[int, int], int] = {}
    for passage in told:
        best = laps[int(np.nanargmin(rows[:, passage]))].key
        won[best] = won.get(best, 0) + 1
    found = sorted((lap for lap in laps if lap.key in won), key=lambda lap: (-won[lap.key], lap.time_s))
    return _filling(found, _quickest(laps)[0]) if found else None
