"""What is found in a passage, as one statement."""

from dataclasses import dataclass

import numpy as np

from lauftakt.core.circuit.layout import Passage
from lauftakt.core.findings.causes import Explanation
from lauftakt.core.findings.names import Evidence
from lauftakt.core.findings.pairing import Contender, Side


@dataclass(frozen=True)
class Finding:
    """A computed statement about one driver in one passage.

    Attributes
    ----------
    run : index of the run
    driver : who
    passage, corner : names; the corner is where most is lost; None for a finding about the whole lap
    from_m, to_m : the passage, metres from the start line
    loss_s, loss_u_s : s, median over clean passages against the reference driver's median, and its standard deviation
    loss_to_lap_s : s, the same against the reference lap
    parts : loss in entry, middle, exit and following straight, s; they add up to ``loss_s``
    cause, second_cause : codes, see :mod:`lauftakt.core.findings.causes`; None for strengths
    seen_in : numbers of the laps with a loss beyond ``loss_u_s``
    clean : how many clean passages there are
    best_lap, best_loss_s : the driver's own best passage
    put_forward : among the three of a driver that cost most
    causes : what each part of the driving costs, largest first; empty for strengths
    brought_in_s : s, what came in with the speed at the passage's beginning; with the causes and ``unexplained_s`` it
        adds up to ``loss_s``
    carried_s : s, what the speed at its end costs in the next passage; not part of the loss
    against : ``reference`` or ``own best``, what the driver is measured against
    """

    run: int
    driver: str
    passage: str | None
    corner: str | None
    from_m: float
    to_m: float
    loss_s: float
    loss_u_s: float
    loss_to_lap_s: float
    parts: dict[str, float]
    cause: str | None
    second_cause: str | None
    seen_in: tuple[int, ...]
    clean: int
    best_lap: int
    best_loss_s: float
    put_forward: bool = False
    causes: tuple[Evidence, ...] = ()
    brought_in_s: float = 0.0
    unexplained_s: float = 0.0
    carried_s: float | None = None
    against: str = "reference"

    @property
    def place(self) -> str:
        """Where, as drivers call it: the corner in which most is lost; the passage where it has no corner."""
        return self.corner or self.passage or ""


def stated(
    index: int, contender: Contender, passage: Passage, own: Side, target: float, u: float, parts: dict[str, float],
    corner: str | None, told: Explanation | None,
) -> Finding:  # fmt: skip
    """What is found in a passage: the median's distance to ``target``, in which laps, and why where it is a loss."""
    losses = own.times - target
    loss = float(np.median(own.times)) - target
    sign = 1.0 if loss > 0 else -1.0
    best = int(np.argmin(own.times))
    codes = (told.main if told is not None else ["unclear"]) if loss > 0 else []
    return Finding(
        run=index,
        driver=contender.driver,
        passage=passage.name,
        corner=corner,
        from_m=passage.from_m,
        to_m=passage.to_m,
        loss_s=loss,
        loss_u_s=u,
        loss_to_lap_s=loss,
        parts=parts,
        cause=codes[0] if codes else None,
        second_cause=codes[1] if len(codes) > 1 else None,
        seen_in=tuple(n for n, value in zip(own.numbers, losses * sign, strict=True) if value > u),
        clean=len(own.numbers),
        best_lap=own.numbers[best],
        best_loss_s=float(losses[best]),
        causes=told.causes if told is not None else (),
        brought_in_s=told.brought_in_s if told is not None else 0.0,
        unexplained_s=told.unexplained_s if told is not None else loss,
    )


def scaled(raw: dict[str, float], loss: float) -> dict[str, float]:
    """Parts that add up to a loss: scaled, or, where medians of parts hardly add up to anything, shifted."""
    total = sum(raw.values())
    if abs(total) > 0.4 * abs(loss) and total * loss > 0:
        return {part: value * loss / total for part, value in raw.items()}
    return {part: value + (loss - total) / len(raw) for part, value in raw.items()}
