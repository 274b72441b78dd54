"""How a receiver errs: size and time constant of its slow error, learnt from the run itself."""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import minimize

from lauftakt.core.placing.smoother import Nodes, Noise, evidence

Array = NDArray[np.float64]
# What is thought of a receiver before anything is known of it: natural logarithms' standard deviations.
SIZE_SPREAD, TIME_SPREAD, LINE_SPREAD, WHITE_SPREAD = 0.8, 0.8, 0.5, 0.5
# Receivers have been seen from a decimetre to several metres, from seconds to many minutes.
SIZE, TIME, LINE, WHITE = (0.1, 6.0), (5.0, 600.0), (0.2, 3.0), (0.4, 4.0)
# Fixes a node, fewer than which are smoothed away rather than left over.
SELDOM = 2.0
# So many nodes tell it as well as all; the search ends after so many looks.
MOST_NODES, MOST_LOOKS = 2000, 18


def learn_drift(nodes: Nodes, noise: Noise, laps: float) -> Noise:
    """The noise with the drift's size and time constant that make the run most probable.

    Positions and speeds disagree more the faster the positions wander; laps disagree with one another by what wandered
    between them. Both are in the evidence (:func:`lauftakt.core.placing.smoother.evidence`), which is largest for the
    drift that explains them without more freedom than it needs (MacKay, "Bayesian Interpolation", Neural Computation 4,
    1992). The search is that of Nelder and Mead (1965), over logarithms.

    Parameters
    ----------
    nodes : without a mean line
    noise : with what is thought of the drift beforehand
    laps : of the run; the driver's mean line was taken from the same laps, and with it a share of what wandered

    Returns
    -------
    The noise with the drift (and, of seldom fixes, their white error) learnt: its size is the mean of what is probable
    (of its square), and not the most probable one, since few independent stretches tell little.

    Notes
    -----
    How far laps depart from the mean line is sought along with it, or the quick part of a drift would pass for that;
    but it is not used: its short waves tell it here, and they are smoother than those of the model. A line that is
    thought to be as narrow as that would know more than there is to know.
    """
    part = _middle(nodes)
    # Where several fixes share a node, what the smoother leaves of them tells their noise better.
    seldom = float(np.median(part.weight[part.weight > 0])) < SELDOM
    first = np.log([noise.drift_m, noise.drift_s, 1.0, 1.0])[: 4 if seldom else 3]
    low, high = (np.log(ends)[: len(first)] for ends in zip(SIZE, TIME, LINE, WHITE, strict=True))
    spread = np.array([SIZE_SPREAD, TIME_SPREAD, LINE_SPREAD, WHITE_SPREAD])[: len(first)]

    def miss(at: Array) -> float:
        at = np.clip(at, low, high)
        unlikely = float((((at - first) / spread) ** 2).sum())
        lined, tried = _supposed(part, noise, np.exp(at))
        return 0.5 * unlikely - evidence(lined, tried)

    start = np.vstack([first, first + np.diag([0.6, -0.9, -0.4, 0.4][: len(first)])])
    found = minimize(
        miss, first, method="Nelder-Mead",
        options={"maxfev": MOST_LOOKS * len(first) // 2, "initial_simplex": start, "xatol": 0.05, "fatol": 0.2},
    )  # fmt: skip
    likely = np.exp(np.clip(found.x, low, high))
    # As many independent values as the time holds of both axes; a variance's logarithm is uncertain by two over that.
    independent = max(float(part.time[-1] - part.time[0]) / likely[1], 2.0)
    doubt = np.exp(1.0 / independent)
    # One mean was taken of so many laps, as of a sample.
    taken = laps / (laps - 1.0) if laps >= 2.0 else 1.0
    likely[0] *= np.sqrt(doubt * taken)
    return _supposed(nodes, noise, likely)[1]


def _supposed(nodes: Nodes, noise: Noise, values: Array) -> tuple[Nodes, Noise]:
    """What is looked at with a drift of some size (m) and time constant (s), and a line that scatters so many times as
    much as it is thought to."""
    tried = replace(noise, drift_m=float(values[0]), drift_s=float(values[1]))
    if len(values) > 3:
        tried = replace(tried, fix_m=noise.fix_m * float(values[3]))
    line_m = np.full(len(nodes.time), noise.line_m) if nodes.line_m is None else nodes.line_m
    return replace(nodes, line_m=values[2] * line_m), tried


def _middle(nodes: Nodes) -> Nodes:
    """A stretch of nodes from the middle of the run."""
    count = len(nodes.time)
    if count <= MOST_NODES:
        return nodes
    first = (count - MOST_NODES) // 2
    last = first + MOST_NODES
    own, steps = slice(first, last), slice(first, last - 1)

    def cut(values: Array | None, where: slice) -> Array | None:
        return None if values is None else values[where]

    return replace(
        nodes,
        time=nodes.time[own], s=nodes.s[own], along=nodes.along[own], across=nodes.across[own],
        tangent=nodes.tangent[own], stretch=nodes.stretch[own], pace=nodes.pace[own], weight=nodes.weight[own],
        across_weight=cut(nodes.across_weight, own), line_m=cut(nodes.line_m, own), slant=cut(nodes.slant, own),
        advance=nodes.advance[steps], swing=nodes.swing[steps], unknown=cut(nodes.unknown, steps),
        turn=cut(nodes.turn, steps), lean=cut(nodes.lean, steps),
    )  # fmt: skip
