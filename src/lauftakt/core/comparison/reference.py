"""The reference of a day: the one rule by which every screen, sheet and command finds whom to measure against."""

from collections.abc import Hashable, Iterable, Sequence
from dataclasses import dataclass

from lauftakt.core.laps.conditions import CONDITIONS, Conditions


@dataclass(frozen=True)
class Standing:
    """A run of a day with its best lap that counts.

    Attributes
    ----------
    run, driver : names of any kind
    best_s : s
    conditions : in which it was driven
    instructor : whether its driver is only a reference, and nobody's student
    car : a name of any kind, None where nobody said
    """

    run: int
    driver: Hashable
    best_s: float
    conditions: Conditions = "dry"
    instructor: bool = False
    car: Hashable | None = None


@dataclass(frozen=True)
class Group:
    """Runs of a day that are compared with each other, the quickest first, and the one whose best lap they are
    measured against unless a coach chose another."""

    conditions: Conditions
    runs: tuple[Standing, ...]
    reference: Standing


def reference_of(runs: Sequence[Standing]) -> Standing | None:
    """Whose best lap the others are measured against where a coach has not said.

    An instructor's goes before any student's, as long as some student may have driven the same car: that lap shows
    what the car can do in good hands, and stays the measure when a student beats it by luck. Otherwise it is the
    quickest.

    Parameters
    ----------
    runs : of one day, in like conditions

    Returns
    -------
    None without any runs.
    """
    students = {run.car for run in runs if not run.instructor}

    def comparable(run: Standing) -> bool:
        return not students or run.car is None or None in students or run.car in students

    ordered = _quickest(runs)
    return next((run for run in ordered if run.instructor and comparable(run)), ordered[0] if ordered else None)


def groups_of(runs: Iterable[Standing], *, own_bests: bool = False) -> list[Group]:
    """A day's runs by what they are compared within: their conditions, the dry ones first.

    Parameters
    ----------
    runs : of one day, those with a lap that counts
    own_bests : measure every driver against the own best lap instead of somebody else's
    """
    known = list(runs)
    found: list[Group] = []
    for conditions in CONDITIONS:
        alike = _quickest(run for run in known if run.conditions == conditions)
        parts = _by_driver(alike) if own_bests else [alike]
        for part in parts:
            reference = part[0] if own_bests and part else reference_of(part)
            if reference is not None:
                found.append(Group(conditions, tuple(part), reference))
    return found


def _quickest(runs: Iterable[Standing]) -> list[Standing]:
    return sorted(runs, key=lambda run: (run.best_s, run.run))


def _by_driver(runs: Sequence[Standing]) -> list[list[Standing]]:
    found: dict[Hashable, list[Standing]] = {}
    for run in runs:
        found.setdefault(run.driver, []).append(run)
    return list(found.values())
