"""Whether two runs of a driver can be held against each other, and what differs where they can."""

from dataclasses import dataclass

from lauftakt.core.laps.counting import is_wet


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
    def grip(self) -> str:
        """``dry``, ``damp`` or ``wet``: what makes laps of one car on one layout another matter."""
        said = self.conditions or ""
        if is_wet({"conditions": said}):
            return "wet"
        return "damp" if "damp" in said.lower().split() else "dry"

    @property
    def trim(self) -> tuple[int, int | None, str | None, str]:
        """Layout, car, tyres and grip: runs of one trim are told as one."""
        return self.layout, self.car, self.tyres, self.grip


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
