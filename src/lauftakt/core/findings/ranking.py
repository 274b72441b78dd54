"""Which findings are put forward: by what can be won over the lap, no habit twice."""

from collections.abc import Sequence
from dataclasses import replace
from typing import Protocol

from lauftakt.core.findings.names import Evidence
from lauftakt.core.findings.statement import Finding

# Never more than three things to work on.
FORWARD = 3
# An unexplained loss below this is no reason to drive a run differently, s.
UNCLEAR_S = 0.08


class Stated(Protocol):
    """What is asked of a finding, whether computed just now or kept."""

    @property
    def driver(self) -> object: ...
    @property
    def corner(self) -> str | None: ...
    @property
    def passage(self) -> str | None: ...
    @property
    def cause(self) -> str | None: ...
    @property
    def loss_s(self) -> float: ...
    @property
    def causes(self) -> Sequence[Evidence]: ...
    @property
    def put_forward(self) -> bool: ...


def elsewhere(finding: Stated, findings: Sequence[Stated]) -> list[tuple[str, float]]:
    """Where else the same is found of the same driver, with what it costs there, s, dearest first.

    Parameters
    ----------
    finding : of whose main cause it is asked
    findings : all that were found, it among them
    """
    if finding.cause in (None, "unclear", "car_or_conditions"):
        return []
    found = [
        (other.corner or other.passage or "", _cost(other))
        for other in findings
        if other is not finding and other.driver == finding.driver and other.cause == finding.cause
        and other.passage != finding.passage and other.loss_s > 0
    ]  # fmt: skip
    return sorted(found, key=lambda item: -item[1])


def over_the_lap(finding: Stated, findings: Sequence[Stated]) -> float:
    """What is to be won over the lap with what a finding is about, s.

    Parameters
    ----------
    finding, findings : see :func:`elsewhere`
    """
    return finding.loss_s + sum(cost for _, cost in elsewhere(finding, findings))


def to_be_won(findings: Sequence[Stated]) -> float:
    """What a driver has to win over the lap with what is put forward, each habit in all its places, s.

    Parameters
    ----------
    findings : of one driver
    """
    return sum(over_the_lap(one, findings) for one in findings if one.put_forward)


def _cost(finding: Stated) -> float:
    """What mending a finding's main cause wins: its price, and no more than is lost there, since what a driver wins
    back there is not lost; all of the loss where the price is not known."""
    price = next((one.cost_s for one in finding.causes if one.cause == finding.cause), finding.loss_s)
    return min(price, finding.loss_s)


def ranked(findings: list[Finding], sign: int, *, by_run: bool = False) -> list[Finding]:
    """Ranked by time within a driver, at most three of each put forward.

    What is put forward are habits, those first with which most is to be won over the lap: each once, where it costs
    most; and what nobody can explain only where it is worth a look. ``by_run``: within each run of a driver, since what
    is told after a run is of that run.
    """

    def whose(finding: Finding) -> tuple[str, int]:
        return finding.driver, finding.run if by_run else 0

    result: list[Finding] = []
    for each in dict.fromkeys(whose(finding) for finding in findings):
        own = sorted((f for f in findings if whose(f) == each), key=lambda f: -sign * f.loss_s)
        heads: dict[str, Finding] = {}
        for number, finding in enumerate(own):
            idle = sign > 0 and finding.cause == "unclear" and finding.loss_s < UNCLEAR_S
            alone = sign < 0 or finding.cause in (None, "unclear")
            if not idle:
                heads.setdefault(f"{number}" if alone else f"{finding.cause}", finding)

        def worth(finding: Finding, own: list[Finding] = own) -> float:
            return over_the_lap(finding, own) if sign > 0 else -finding.loss_s

        forward = sorted(heads.values(), key=worth, reverse=True)[:FORWARD]
        result += [replace(finding, put_forward=any(finding is one for one in forward)) for finding in own]
    return result
