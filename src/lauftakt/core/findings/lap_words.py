"""What is said of one lap between two places: what it loses, why, and whether it was the lap or the reference."""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from statistics import median

from lauftakt.core.comparison.delta import Loss
from lauftakt.core.findings.causes import Explanation
from lauftakt.core.findings.habits import Habit
from lauftakt.core.findings.names import Evidence
from lauftakt.core.findings.words import ALIKE, Against, Quantity, Said, why

# A reference that is quicker than its driver usually is by less is no exception, s.
UNUSUAL_S = 0.03
# Nor is one that lies within the usual scatter.
SCATTERS = 1.5
# Of fewer laps nothing is usual.
FEW = 3


def of_lap(
    name: str, loss: Loss, told: Explanation | None, against: Against, habit: Habit | None,
    doubts: Mapping[str, float] | None = None,
) -> Said:  # fmt: skip
    """The sentences of a lap.

    Parameters
    ----------
    name : whose lap it is
    loss : against the reference lap
    told : why, where it loses beyond doubt
    against : the reference, as sentences name it
    habit : how the driver does over all laps, None where that is not known
    doubts : standard deviations of differences of figures, by their names; what lies inside is told without a number
    """
    if abs(loss.loss_s) <= 2 * loss.loss_u_s:
        doubt = Quantity(2 * loss.loss_u_s, "time")
        return (f"{name} is level with {against.name} here (within ± ", doubt, ").", *_but(name, habit))
    if loss.loss_s < 0:
        size: Said = (Quantity(-loss.loss_s, "time"), " (± ", Quantity(2 * loss.loss_u_s, "time", unit=False), ")")
        return (f"{name} gains ", *size, f" on {against.name} here.", *_but(name, habit))
    causes, brought = (told.causes, told.brought_in_s) if told is not None else ((), 0.0)
    causes = tuple(_as_known(one, doubts or {}) for one in causes)
    said = why(name, causes, brought, loss.loss_s, loss.loss_u_s, against)
    return (*said, *_over_laps(loss, habit))


def _as_known(evidence: Evidence, doubts: Mapping[str, float]) -> Evidence:
    """A cause without the number that is not known well enough to say it."""
    own, theirs, doubt = evidence.own, evidence.theirs, doubts.get(evidence.figure or "")
    if own is None or theirs is None or doubt is None or abs(own - theirs) > 2 * doubt:
        return evidence
    return replace(evidence, figure=None, own=None, theirs=None)


def _over_laps(loss: Loss, habit: Habit | None) -> Said:
    """Whether a loss is a habit."""
    if habit is None or habit.of < 2:
        return ()
    middle = Quantity(habit.median_loss_s, "time")
    if habit.losing == habit.of:
        alike = abs(loss.loss_s - habit.median_loss_s) <= max(ALIKE * loss.loss_s, 2 * loss.loss_u_s)
        if alike:
            return (f" About the same in all {habit.of} laps of this run.",)
        return (f" In all {habit.of} laps of this run, median ", middle, ".")
    if 2 * habit.losing >= habit.of:
        return (f" In {habit.losing} of the {habit.of} laps of this run, median ", middle, ".")
    return (f" Only in {habit.losing} of the {habit.of} laps of this run, so not a habit.",)


def _but(name: str, habit: Habit | None) -> Said:
    """What a lap that loses nothing hides."""
    if habit is None or 2 * habit.losing < habit.of or habit.of < FEW:
        return ()
    middle = Quantity(habit.median_loss_s, "time")
    return (f" But {name} loses here in {habit.losing} of the {habit.of} laps of this run, median ", middle, ".")


def of_reference(name: str, number: int, habit: Habit | None) -> Said:
    """Whether a reference lap is quicker or slower between two places than its driver usually is; nothing where it is
    not.

    Parameters
    ----------
    name, number : whose lap it is
    habit : of that driver's laps against the reference lap itself
    """
    if habit is None or habit.of < FEW:
        return ()
    usual = habit.median_loss_s
    if abs(usual) < max(UNUSUAL_S, SCATTERS * habit.scatter_s):
        return ()
    way = "quicker" if usual > 0 else "slower"
    return (f" Lap {number} of {name} is ", Quantity(abs(usual), "time"), f" {way} here than {name} usually is.")


def against_of(own: int, reference: int, name: str, number: int) -> Against:
    """What sentences call a reference: by its driver (``name``), or, where it is the own driver's, by its lap."""
    return Against.own_lap(number) if own == reference else Against.driver(name)


_MADE = {
    "median": ("{} median lap", "the median lap of all"),
    "sectors": ("{} best sectors in one lap", "the lap of everybody’s best sectors"),
    "passages": ("{} best passages in one lap", "the lap of everybody’s best passages"),
}


def made_name(kind: str, driver: str | None, *, own: bool = False) -> str:
    """What sentences call a lap that nobody drove as a whole.

    Parameters
    ----------
    kind : ``median``, ``sectors`` or ``passages``
    driver : whose laps it is made of; None where they are several drivers'
    own : whether it is measured against by that driver
    """
    of_one, of_all = _MADE[kind]
    return of_all if driver is None else of_one.format("the own" if own else f"{driver}’s")


def median_of(habits: Sequence[Habit]) -> float | None:
    """Median loss of all laps of several drivers, s; None without any."""
    losses = [loss for habit in habits for loss in habit.losses_s]
    return median(losses) if losses else None
