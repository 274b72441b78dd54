"""What reaching a target is worth: the part of a cause's price that the way to the target buys."""

from dataclasses import dataclass
from math import hypot, sqrt

import numpy as np
from numpy.typing import NDArray

from lauftakt.core.circuit.layout import Layout
from lauftakt.core.comparison.spread import MEDIAN_FACTOR
from lauftakt.core.debrief.target import Proposal, Target, proposals, values_of
from lauftakt.core.findings.names import Evidence
from lauftakt.core.findings.statement import Finding
from lauftakt.core.registry import PASSAGE_TIME
from lauftakt.core.run import AnalysedRun

Array = NDArray[np.float64]

# A price is linear in the figure only nearly: the standard deviation of what that misses, as a share of the gain.
MODEL_SHARE = 0.25
# Seconds: what promises less is not worth a driver's attention.
LEAST_GAIN_S = 0.02
# Of fewer laps beside each other nothing is said of what their times differ by.
FEW = 2


@dataclass(frozen=True)
class Worth:
    """Seconds a lap that a driver gains by reaching a target, and their standard deviation."""

    gain_s: float
    gain_u_s: float

    @property
    def clear(self) -> bool:
        """Whether it is a gain beyond its uncertainty."""
        return self.gain_s > 2.0 * self.gain_u_s


def asked_for(
    finding: Finding, run: AnalysedRun, layout: Layout, reference: AnalysedRun | None = None
) -> list[tuple[Proposal, Worth | None]]:
    """What can be asked of a driver after a finding, with what it is worth: see
    :func:`lauftakt.core.debrief.target.proposals`. What promises hardly anything is not asked."""
    found = [(one, worth_of(one, finding, run, layout)) for one in proposals(finding, run, layout, reference)]
    return [(one, worth) for one, worth in found if worth is None or worth.gain_s >= LEAST_GAIN_S]


def aimed_elsewhere(worth: Worth, proposal: Proposal, value: float) -> Worth:
    """The same promise for another value of the target, by the way it goes; nothing is promised beyond the reference.

    Parameters
    ----------
    worth : of the target as it was
    proposal : with that target
    value : what is aimed at instead
    """

    def gone(to: float) -> float:
        way = proposal.target.value - proposal.now
        return (to - proposal.now) / way if way else 0.0

    most = np.inf if proposal.theirs is None else max(gone(proposal.theirs), 0.0)
    promised = min(1.0, most)
    times = float(min(max(gone(value), 0.0), most)) / promised if promised else 0.0
    return Worth(worth.gain_s * times, worth.gain_u_s * times)


def worth_of(proposal: Proposal, finding: Finding | None, run: AnalysedRun, layout: Layout) -> Worth | None:
    """What a driver gains in a passage by doing what is asked.

    A cause's price is what its passage gains when the deed is done as the reference does it (the passage driven again
    with it exchanged, :mod:`lauftakt.core.findings.prices`). Of the way from the driver's figure to the reference's a
    target goes a share, and so much of the price is promised: places, speeds and times of a corner cost time in
    proportion, to first order. Where no reference tells the way, the driver's own laps do: those that reached the
    target, beside the usual. A time is worth what it is shorter.

    Parameters
    ----------
    proposal : what is asked; ``proposal.theirs`` is where the reference's figure lies
    finding : the loss that it is to mend, None where it mends none
    run, layout : of the driver

    Returns
    -------
    None where neither the finding nor the own laps tell it.
    """
    target = proposal.target
    times = values_of(run, layout, target.passage, None, PASSAGE_TIME)[1]
    if target.figure == PASSAGE_TIME:
        known = times[np.isfinite(times)]
        return Worth(max(proposal.now - target.value, 0.0), _median_u(known)) if len(known) > 1 else None
    values = values_of(run, layout, target.passage, target.corner, target.figure)[1]
    evidence = None if finding is None else _evidence(proposal, finding)
    if finding is not None and evidence is not None and proposal.theirs is not None:
        return _of_price(proposal, evidence, finding, values[np.isfinite(values)])
    return _of_own_laps(target, values, times, finding)


def _evidence(proposal: Proposal, finding: Finding) -> Evidence | None:
    return next((one for one in finding.causes if one.cause == proposal.cause and one.cost_s > 0.0), None)


def _of_price(proposal: Proposal, evidence: Evidence, finding: Finding, values: Array) -> Worth | None:
    assert proposal.theirs is not None
    way = proposal.theirs - proposal.now
    if way == 0.0 or len(values) < FEW:
        return None
    share = float(np.clip((proposal.target.value - proposal.now) / way, 0.0, 1.0))
    # No cause is worth more than is lost: what others win back is not the driver's to gain.
    price = min(evidence.cost_s, max(finding.loss_s, 0.0))
    unsure = min(_median_u(values) / abs(way), 1.0)
    gain = share * price
    return Worth(gain, sqrt((share * evidence.cost_u_s) ** 2 + (price * unsure) ** 2 + (MODEL_SHARE * gain) ** 2))


def _of_own_laps(target: Target, values: Array, times: Array, finding: Finding | None) -> Worth | None:
    known = np.isfinite(values) & np.isfinite(times)
    met = known & np.array([np.isfinite(value) and target.met(float(value)) for value in values], dtype=bool)
    if met.sum() < FEW or known.sum() - met.sum() < FEW:
        return None
    gain = float(np.median(times[known]) - np.median(times[met]))
    most = gain if finding is None else max(finding.loss_s, 0.0)
    return Worth(min(max(gain, 0.0), most), hypot(_median_u(times[met]), _median_u(times[known])))


def _median_u(values: Array) -> float:
    """Standard deviation of a median by its values' scatter; infinite for fewer than two."""
    return MEDIAN_FACTOR * float(np.std(values, ddof=1)) / sqrt(len(values)) if len(values) > 1 else np.inf
