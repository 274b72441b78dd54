"""What a driver does between two places: over all laps that count, or in one lap against another."""

from dataclasses import dataclass

import numpy as np

from lauftakt.core.comparison.delta import Loss, stretch_losses
from lauftakt.core.findings.causes import Evidence, judge
from lauftakt.core.findings.pairing import PARTS, clean_laps
from lauftakt.core.laps.lap import LapTrace
from lauftakt.core.laps.times import time_at
from lauftakt.core.run import AnalysedRun
from lauftakt.core.technique.figures import Figures
from lauftakt.core.technique.windows import Window


@dataclass(frozen=True)
class Habit:
    """How a driver does between two places over the laps that count, against one lap.

    ``losing`` counts laps that lose more than twice their uncertainty; of ``of`` laps that were driven whole and not
    held up there.
    """

    losing: int
    of: int
    best_lap: int
    best_loss_s: float
    median_loss_s: float


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
        median_loss_s=float(np.median([loss.loss_s for loss in losses.values()])),
    )


def causes_between(
    own: tuple[LapTrace, Figures], theirs: tuple[LapTrace, Figures], window: Window, direction: str
) -> list[Evidence]:
    """Why one lap loses to another in a window: causes with their evidence, at most two.

    Parameters
    ----------
    own, theirs : trace and figures of the two laps in the window
    window : where
    direction : of the corner, ``left`` or ``right``
    """
    release = theirs[1].brake_release_m or window.entry
    pickup = theirs[1].throttle_pickup_m or max(window.apex, release)
    edges = np.maximum.accumulate(
        np.clip([window.low, release, pickup, window.exit, window.high], window.low, window.high)
    )
    lost = np.diff(time_at(own[0], edges)) - np.diff(time_at(theirs[0], edges))
    parts = dict(zip(PARTS, (float(v) for v in np.nan_to_num(lost)), strict=True))
    return judge([own[1]], [theirs[1]], parts, direction) if sum(parts.values()) > 0 else []
