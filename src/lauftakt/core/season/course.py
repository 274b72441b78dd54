"""What becomes of a cue over runs and days: reached, kept, lost again, back."""

from collections.abc import Sequence
from dataclasses import dataclass

from lauftakt.core.circuit.layout import Layout
from lauftakt.core.debrief.check import LOST, REACHED, REACHED_PAID, UNJUDGED, level_of_look, slipped_back
from lauftakt.core.debrief.target import Target
from lauftakt.core.run import AnalysedRun

WAITING, OPEN, DONE, STAYS, GONE, BACK, UNCLEAR = (
    "waiting", "open", "reached", "kept", "lost_again", "came_back", "cannot_judge",
)  # fmt: skip
REACHED_ANSWERS = (REACHED_PAID, REACHED)


@dataclass(frozen=True)
class Look:
    """A later run looked at.

    Attributes
    ----------
    key : of the run
    answer : against the run after which it was asked (:func:`lauftakt.core.debrief.check.check`)
    slipped : whether the figure went back beyond doubt from the run in which it was reached last and misses its target;
        None where it was not reached before, or too few laps tell
    """

    key: int
    answer: str
    slipped: bool | None = None


@dataclass(frozen=True)
class Course:
    """How far a cue has come.

    Attributes
    ----------
    stage : after the last look: ``waiting`` (no later run), ``open`` (not reached yet), ``reached``, ``kept`` (reached
        and not lost in a later run), ``lost_again``, ``came_back`` (reached again after that) or ``cannot_judge``
        (nothing could be judged so far)
    stages : after each look
    reached, lost : keys of the runs in which it was reached first and lost last, None where it was not
    held : in how many runs it was looked at since it was reached and was there
    """

    stage: str
    stages: tuple[str, ...]
    reached: int | None
    lost: int | None
    held: int


def course_of(looks: Sequence[Look], *, keep: bool = False) -> Course:
    """The course of a cue, or of a keep, over later runs in the order in which they were driven.

    A look that cannot be judged changes nothing. A keep is there from the beginning and can only be lost and come back.
    """
    stage = WAITING
    reached, lost, held = None, None, 0
    stages = []
    for look in looks:
        if look.answer == UNJUDGED and look.slipped is None:
            stage = UNCLEAR if stage == WAITING else stage
        elif keep:
            gone = look.answer == LOST
            lost = look.key if gone and stage != GONE else lost
            stage = GONE if gone else BACK if stage in (GONE, BACK) else STAYS
            held += not gone
        elif stage in (DONE, STAYS, BACK):
            if look.slipped:
                stage, lost, held = GONE, look.key, 0
            else:
                stage, held = (STAYS if stage == DONE else stage), held + 1
        elif look.answer in REACHED_ANSWERS:
            stage = BACK if lost is not None else DONE
            reached = look.key if reached is None else reached
        elif stage != GONE:
            stage = OPEN
        stages.append(stage)
    return Course(stage, tuple(stages), reached, lost, held)


def reached_in(looks: Sequence[Look]) -> int | None:
    """Index of the look in which a cue was reached and since which it was not lost; None where there is none."""
    found = None
    for index, look in enumerate(looks):
        if found is None and look.answer in REACHED_ANSWERS:
            found = index
        elif found is not None and look.slipped:
            found = None
    return found


def slipped_since(
    reached: AnalysedRun, later: AnalysedRun, layout: Layout, target: Target, touched: frozenset[str], looks: int
) -> bool | None:
    """Whether what was reached is gone again.

    Parameters
    ----------
    reached : the run in which it was reached
    later : a later run on the same layout
    layout : of both
    target : what was asked
    touched : passages in which anything was asked
    looks : how often that was looked at since, this one included

    Returns
    -------
    None where too few laps tell.
    """
    return slipped_back(reached, later, layout, target, touched, level_of_look(looks))
