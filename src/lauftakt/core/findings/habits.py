"""What a driver does between two places: over all laps that count, or in one lap against another."""

from collections.abc import Sequence
from dataclasses import dataclass
from statistics import median

import numpy as np
from numpy.typing import NDArray

from lauftakt.core.comparison.car import ShownCar
from lauftakt.core.comparison.delta import Loss, stretch_losses
from lauftakt.core.findings.causes import Explanation, explain
from lauftakt.core.findings.deeds import course, nodes_at, nodes_of, together
from lauftakt.core.findings.pairing import clean_laps
from lauftakt.core.findings.prices import Prices, margins, unions
from lauftakt.core.findings.rebuilding import ELEMENTS, Pair, pair, rebuild
from lauftakt.core.findings.synthesis.mistakes import tried_in
from lauftakt.core.laps.lap import LapTrace
from lauftakt.core.run import AnalysedRun
from lauftakt.core.technique.figures import Figures
from lauftakt.core.technique.signals import Signals

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Habit:
    """How a driver does between two places over the laps that count, against one lap.

    ``losing`` counts laps that lose more than twice their uncertainty; of ``of`` laps that were driven whole and not
    held up there. ``losses_s`` are those of all of them.
    """

    losing: int
    of: int
    best_lap: int
    best_loss_s: float
    median_loss_s: float
    losses_s: tuple[float, ...]

    @property
    def scatter_s(self) -> float:
        """How far the losses usually lie from their median, as a standard deviation (Hampel, Journal of the American
        Statistical Association 69, 1974)."""
        return 1.4826 * median(abs(loss - self.median_loss_s) for loss in self.losses_s)


def habit_between(
    run: AnalysedRun, reference: LapTrace, same_run: bool, low: float, high: float, length: float
) -> Habit | None:
    """The habit of a run between two places, metres from the start line of the lap; None without a lap to judge by."""
    whole = set(clean_laps(run, low, high, length))
    inside = (max(low, 0.0), min(high, length))
    # A lap that runs on into one that does not count is judged up to the line; it is no measure of the whole.
    cut = set(clean_laps(run, *inside, length)) - whole
    judged: dict[int, Loss] = {}
    for numbers, ends in ((sorted(whole), (low, high)), (sorted(cut), inside)):
        losses_of = stretch_losses([run.traces[n] for n in numbers], reference, *ends, same_run)
        judged |= dict(zip(numbers, losses_of, strict=True))
    losses = {n: judged[n] for n in sorted(whole) if judged[n].whole} or {n: judged[n] for n in sorted(cut)}
    if not losses:
        return None
    best = min(losses, key=lambda number: losses[number].loss_s)
    return Habit(
        losing=sum(loss.loss_s > 2 * loss.loss_u_s for loss in judged.values()),
        of=len(judged),
        best_lap=best,
        best_loss_s=losses[best].loss_s,
        median_loss_s=median(loss.loss_s for loss in losses.values()),
        losses_s=tuple(loss.loss_s for loss in losses.values()),
    )


@dataclass(frozen=True)
class Asked:
    """A lap whose loss is to be explained: signals of its run and its row in them, its figures, what it loses, and
    whether it was driven with the reference's car."""

    signals: Signals
    row: int
    figures: Figures
    loss: Loss
    same_car: bool = True


def causes_of_laps(
    car: ShownCar, own: Sequence[Asked], theirs: tuple[Signals, int, Figures],
    low: float, high: float, apexes: Sequence[float], direction: str,
) -> list[Explanation]:  # fmt: skip
    """Why laps lose to another lap between two places.

    Parameters
    ----------
    car : what they were driven with
    own : for each lap what is asked of it
    theirs : signals, row and figures of the lap they are measured against
    low, high : where, and ``apexes`` the corners in it, metres from the start line of the lap
    direction : of the corner, ``left`` or ``right``
    """
    return _paired(car, own, theirs, low, high, apexes, direction)[2] if own else []


@dataclass(frozen=True)
class Rebuilt:
    """A lap driven again with one cause taken away: (n,) ``places`` (m from the start line of the lap) and ``speed``
    (m/s), and what is won by it, s."""

    places: Array
    speed: Array
    won_s: float


def without_cause(
    car: ShownCar, own: Asked, theirs: tuple[Signals, int, Figures],
    low: float, high: float, apexes: Sequence[float], direction: str, cause: str,
) -> Rebuilt | None:  # fmt: skip
    """A lap between two places as it would be if what one cause names were done like in the reference lap.

    Parameters
    ----------
    car, own, theirs, low, high, apexes, direction : see :func:`causes_of_laps`, of one lap
    cause : code of the cause that is taken away

    Returns
    -------
    None where the cause is none of this lap's.
    """
    places, both, told = _paired(car, [own], theirs, low, high, apexes, direction)
    one = next((each for each in told[0].causes if each.cause == cause), None)
    if one is None:
        return None
    swaps = np.zeros((2, len(ELEMENTS)), dtype=bool)
    swaps[1, [ELEMENTS.index(element) for element in one.elements]] = True
    seconds, energy = rebuild(both, swaps)
    return Rebuilt(places, np.sqrt(2 * energy[1, 0]), float(seconds[0, 0] - seconds[1, 0]))


def _paired(
    car: ShownCar, own: Sequence[Asked], theirs: tuple[Signals, int, Figures],
    low: float, high: float, apexes: Sequence[float], direction: str,
) -> tuple[Array, Pair, list[Explanation]]:  # fmt: skip
    """The nodes, the laps beside the reference, and what explains the loss of each."""
    places = nodes_of(low, high, apexes)
    mine = together([course(one.signals, [[one.row]], places) for one in own])
    other = together([course(theirs[0], [[theirs[1]]], places)] * len(own))
    nodes = nodes_at(places, apexes) or [int(np.argmin(other.energy[0]))]
    both = pair(car, mine, other, nodes)
    # Many laps at once, and nothing that is kept: the mean of first and last is near enough.
    values = margins(both, unions(both))
    tried = tried_in(both) if any(one.loss.loss_s > 0.0 for one in own) else None
    found = []
    for k, one in enumerate(own):
        prices = Prices({name: float(each[k]) for name, each in values.items()}, dict.fromkeys(values, 0.0))
        found.append(
            explain(
                both, prices, [one.figures], [theirs[2]], one.loss.loss_s, direction, row=k,
                least_u_s=one.loss.loss_u_s, same_car=one.same_car, tried=tried,
            )
        )  # fmt: skip
    return places, both, found
