"""How a receiver errs: size and time constant of its slow error, learnt from the run itself."""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import minimize

from lauftakt.core.placing.smoother import Nodes, Noise, evidence

Array = NDArray[np.float64]
# What is thought of a receiver before anything is known of it: natural logarithms' standard deviations.
SIZE_SPREAD, TIME_SPREAD = 0.8, 0.8
# Receivers have been seen from a decimetre to several metres, from seconds to many minutes.
SIZE, TIME = (0.1, 6.0), (5.0, 600.0)
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
    The noise with the drift learnt: its size is the mean of what is probable (of its square), and not the most probable
    one, since few independent stretches tell little.
    """
    part = _middle(nodes)
    first = np.log([noise.drift_m, noise.drift_s])
    low, high = np.log([SIZE[0], TIME[0]]), np.log([SIZE[1], TIME[1]])

    def miss(at: Array) -> float:
        at = np.clip(at, low, high)
        size, time = np.exp(at)
        unlikely = ((at[0] - first[0]) / SIZE_SPREAD) ** 2 + ((at[1] - first[1]) / TIME_SPREAD) ** 2
        return 0.5 * float(unlikely) - evidence(part, replace(noise, drift_m=float(size), drift_s=float(time)))

    start = first + np.array([[0.0, 0.0], [0.6, 0.0], [0.0, -0.9]])
    found = minimize(
        miss, first, method="Nelder-Mead",
        options={"maxfev": MOST_LOOKS, "initial_simplex": start, "xatol": 0.05, "fatol": 0.2},
    )  # fmt: skip
    size, time = np.exp(np.clip(found.x, low, high))
    # As many independent values as the time holds of both axes; a variance's logarithm is uncertain by two over that.
    independent = max(float(part.time[-1] - part.time[0]) / time, 2.0)
    doubt = np.exp(1.0 / independent)
    # One mean was taken of so many laps, as of a sample.
    taken = laps / (laps - 1.0) if laps >= 2.0 else 1.0
    return replace(noise, drift_m=float(size * np.sqrt(doubt * taken)), drift_s=float(time))


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
