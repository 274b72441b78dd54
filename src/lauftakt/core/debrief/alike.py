"""Whether two runs of a driver can be held against each other, and what differs where they can."""

from collections.abc import Sequence
from dataclasses import dataclass

from lauftakt.core.laps.conditions import Conditions, conditions_of


@dataclass(frozen=True)
class Setting:
    """In what a run was driven.

    Attributes
    ----------
    layout : number of the layout
    day : ISO date
    car, car_name : None where nobody said
    tyres, conditions : in the coach's words, None where nobody said
    """

    layout: int
    day: str
    car: int | None = None
    car_name: str = ""
    tyres: str | None = None
    conditions: str | None = None

    @property
    def grip(self) -> Conditions:
        """``dry``, ``damp`` or ``wet``: what makes laps of one car on one layout another matter."""
        return conditions_of(self.conditions)

    @property
    def trim(self) -> tuple[int, int | None, str | None, str]:
        """Layout, car, tyres and grip: runs of one trim are told as one."""
        return self.layout, self.car, self.tyres, self.grip


@dataclass(frozen=True)
class Difference:
    """In what else than the driving two runs differ, and how each was: ``what`` is ``conditions``, ``car`` or
    ``tyres``."""

    what: str
    own: str
    theirs: str


def differences(own: Setting, theirs: Setting) -> tuple[Difference, ...]:
    """In what else than the driving a run differs from its reference, as far as both are known."""
    pairs: list[tuple[str, str, str]] = [("conditions", own.grip, theirs.grip)]
    if own.car is not None and theirs.car is not None and own.car != theirs.car:
        pairs.append(("car", own.car_name, theirs.car_name))
    if own.tyres and theirs.tyres:
        pairs.append(("tyres", own.tyres, theirs.tyres))
    return tuple(Difference(what, mine, other) for what, mine, other in pairs if mine != other)


_IN = {"dry": "in the dry", "damp": "in the damp", "wet": "in the wet"}


def across(found: Sequence[Difference]) -> str:
    """The first words about two runs that differ in more than the driving; empty where they do not.

    ``In the wet, against a lap in the dry: ``
    """
    told = []
    for one in found:
        if one.what == "conditions":
            told.append(f"{_IN[one.own]}, against a lap {_IN[one.theirs]}")
        else:
            where = "in another car" if one.what == "car" else "on other tyres"
            told.append(f"{where} ({one.own} against {one.theirs})")
    text = ", ".join(told)
    return f"{text[:1].upper()}{text[1:]}: " if text else ""


def apart(before: Setting, after: Setting) -> str | None:
    """Why two runs do not compare at all; None where they do."""
    if before.layout != after.layout:
        return "The run after it was driven on another circuit."
    if before.car is not None and after.car is not None and before.car != after.car:
        return f"The run after it was driven in another car ({after.car_name})."
    if before.grip != after.grip:
        return f"Conditions differ: {before.conditions or 'dry'} before, {after.conditions or 'dry'} after."
    return None


def remark(before: Setting, after: Setting) -> str | None:
    """What differs between two runs that compare, and is to be kept in mind; None where nothing does."""
    told = []
    if before.tyres and after.tyres and before.tyres != after.tyres:
        told.append(f"other tyres ({after.tyres} instead of {before.tyres})")
    if before.day != after.day:
        told.append("another day")
    return ", ".join(told) or None


def differs(before: Setting, after: Setting) -> tuple[str, ...]:
    """What is another than before: ``layout``, ``car``, ``tyres``, ``conditions``, in this order."""
    pairs = (
        ("layout", before.layout, after.layout),
        ("car", before.car, after.car),
        ("tyres", before.tyres, after.tyres),
        ("conditions", before.grip, after.grip),
    )
    return tuple(name for name, first, second in pairs if first != second)
