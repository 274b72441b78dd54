"""Fixed-interval smoother for the position along the circuit, in banded form."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.linalg import cho_solve_banded, cholesky_banded
from scipy.linalg.lapack import dtbtrs
from scipy.sparse import csr_matrix, diags

Array = NDArray[np.float64]

STATES = 4  # correction of s, departure from the mean line, drift east, drift north


@dataclass(frozen=True)
class Noise:
    """What the smoother takes for granted about a log.

    Attributes
    ----------
    fix_m : standard deviation of a fix's white error, each axis
    drift_m, drift_s : standard deviation and time constant of the slow error shared by successive fixes (Gauss-Markov)
    speed_m : random walk of the integrated speed, m per root second
    scale : standard deviation of the speed's unknown scale
    delay_s : standard deviation of the unknown delay of the positions
    line_m, line_length_m : standard deviation and correlation length of a lap's departure from the mean line, where a
        node does not know better
    mean_m : standard deviation of the mean line's own error, which all laps of the run share, where nothing better is
        known of the line
    """

    fix_m: float = 0.3
    drift_m: float = 1.0
    drift_s: float = 60.0
    speed_m: float = 0.02
    scale: float = 0.02
    delay_s: float = 0.1
    line_m: float = 0.35
    line_length_m: float = 80.0
    mean_m: float = 8.0


@dataclass(frozen=True)
class Nodes:
    """What the smoother works on: one row a node in time (usually a position fix).

    Attributes
    ----------
    time : (n,) s
    s : (n,) m, first estimate, unwrapped
    advance : (n-1,) m along the centre line by speed and mean line at scale 1
    swing : (n-1,) how much further the centre-line position moves for each metre of offset (integral of kappa ds)
    along, across : (n,) m, position of the fix minus ``s``, and its offset minus the mean line's; 0 without a fix
    tangent : (n, 2) unit vector along the centre line, east and north
    stretch : (n,) 1 - n kappa
    pace : (n,) m/s along the centre line
    weight : (n,) 1 for a fix that counts fully, 0 where there is none
    across_weight : (n,) the same for what is across the line, or None where it is the same
    mean : (n, k) sparse, basis functions of the mean line's error at the nodes, or None to take the mean line as exact
    mean_prior : what is known of those coefficients beforehand: precision (k, k), 1/m^2, and mean (k,), m
    line_m : (n,) m, standard deviation of a lap's departure from the mean line there, or None to take the noise's
    unknown : (n-1,) m^2, further variance of the progress from node to node, or None
    """

    time: Array
    s: Array
    advance: Array
    swing: Array
    along: Array
    across: Array
    tangent: Array
    stretch: Array
    pace: Array
    weight: Array
    mean: csr_matrix | None = None
    mean_prior: tuple[Array, Array] | None = None
    across_weight: Array | None = None
    unknown: Array | None = None
    line_m: Array | None = None


@dataclass(frozen=True)
class Smoothed:
    """Result of :func:`smooth`.

    Attributes
    ----------
    correction : (n,) m to add to ``Nodes.s``
    departure : (n,) m, the lap's departure from the mean line
    drift : (n, 2) m, slow position error east and north
    scale, scale_u : the speed's scale and its standard deviation
    delay_s, delay_u_s : how much later positions are than speeds
    samples : (n, draws) m, draws from the joint posterior of ``correction`` minus its mean
    mean : (k,) m, coefficients of the mean line's error
    """

    correction: Array
    departure: Array
    drift: Array
    scale: float
    scale_u: float
    delay_s: float
    delay_u_s: float
    samples: Array
    mean: Array


def smooth(nodes: Nodes, noise: Noise, *, draws: int = 0, seed: int = 1) -> Smoothed:
    """Most probable course of the car along the circuit, given speeds and positions.

    Parameters
    ----------
    nodes : see :class:`Nodes`
    noise : see :class:`Noise`
    draws : how many draws from the posterior are wanted
    seed : of the draws

    Returns
    -------
    See :class:`Smoothed`.

    Raises
    ------
    numpy.linalg.LinAlgError
        if the nodes hold values that are not finite.

    Notes
    -----
    The maximum a posteriori solution of the linear Gaussian state space model is that of the fixed-interval
    smoother of Rauch, Tung and Striebel (AIAA Journal 3, 1965). Written as one least-squares problem its normal
    matrix is block tridiagonal, so a banded Cholesky factor solves it in time proportional to the number of nodes
    without a loop (Bell, "The iterated Kalman smoother as a Gauss-Newton method", SIAM J. Optimization 4, 1994).
    Scale and delay are common to all nodes, like the mean line's error, and are eliminated by a Schur complement.
    Draws follow from the same factor (Rue and Held, "Gaussian Markov Random Fields", 2005, section 2.4).
    """
    count = len(nodes.time)
    step = np.maximum(np.diff(nodes.time), 1e-4)
    diagonal = np.zeros((count, STATES, STATES))
    beside = np.zeros((count - 1, STATES, STATES))  # rows of node j + 1, columns of node j
    right = np.zeros((count, STATES))
    border = np.zeros((count, STATES, 2))
    corner = np.diag([1 / noise.scale**2, 1 / noise.delay_s**2])
    corner_right = np.zeros(2)

    # Progress along the centre line: s' = scale * advance + swing * departure.
    spare = 0.0 if nodes.unknown is None else nodes.unknown
    precision = 1.0 / (noise.speed_m**2 * step + 1e-8 + spare)
    gap = nodes.advance - np.diff(nodes.s)
    first = np.zeros((count - 1, STATES))
    second = np.zeros((count - 1, STATES))
    first[:, 0], second[:, 0] = -1.0, 1.0
    first[:, 1] = second[:, 1] = -nodes.swing / 2
    common = np.column_stack([-nodes.advance, np.zeros(count - 1)])
    diagonal[:-1] += precision[:, None, None] * first[:, :, None] * first[:, None, :]
    diagonal[1:] += precision[:, None, None] * second[:, :, None] * second[:, None, :]
    beside += precision[:, None, None] * second[:, :, None] * first[:, None, :]
    right[:-1] += (precision * gap)[:, None] * first
    right[1:] += (precision * gap)[:, None] * second
    border[:-1] += precision[:, None, None] * first[:, :, None] * common[:, None, :]
    border[1:] += precision[:, None, None] * second[:, :, None] * common[:, None, :]
    corner += (common * precision[:, None]).T @ common
    corner_right += common.T @ (precision * gap)

    # Departure from the mean line (by distance) and drift of the receiver (by time): first-order Gauss-Markov.
    moved = np.abs(nodes.advance) + 0.02
    line_m = np.full(count, noise.line_m) if nodes.line_m is None else nodes.line_m
    drift_m = np.full(count, noise.drift_m)
    for state, keep, sigma in (
        (1, np.exp(-moved / noise.line_length_m), line_m),
        (2, np.exp(-step / noise.drift_s), drift_m),
        (3, np.exp(-step / noise.drift_s), drift_m),
    ):
        inverse = 1.0 / (1.0 - keep**2)
        diagonal[:-1, state, state] += inverse * keep**2 / sigma[:-1] ** 2
        diagonal[1:, state, state] += inverse / sigma[1:] ** 2
        beside[:, state, state] -= inverse * keep / (sigma[:-1] * sigma[1:])
        diagonal[0, state, state] += 1.0 / sigma[0] ** 2
    diagonal[0, 0, 0] += 1e-4

    # Fixes, along and across the centre line.
    believed = nodes.weight / noise.fix_m**2
    tx, ty = nodes.tangent[:, 0], nodes.tangent[:, 1]
    zero = np.zeros(count)
    along = np.column_stack([nodes.stretch, zero, tx, ty])
    across = np.column_stack([zero, np.ones(count), -ty, tx])
    late = np.column_stack([zero, -nodes.stretch * nodes.pace])
    aside = believed if nodes.across_weight is None else nodes.across_weight / noise.fix_m**2
    for row, target, shared, weight in (
        (along, nodes.stretch * nodes.along, late, believed),
        (across, nodes.across, np.zeros((count, 2)), aside),
    ):
        diagonal += weight[:, None, None] * row[:, :, None] * row[:, None, :]
        right += (weight * target)[:, None] * row
        border += weight[:, None, None] * row[:, :, None] * shared[:, None, :]
        corner += (shared * weight[:, None]).T @ shared
        corner_right += shared.T @ (weight * target)

    shared_border = [border.reshape(-1, 2)]
    if nodes.mean is not None:
        # The mean line's error shifts every lap alike: it enters the progress through the swing, and the offsets.
        basis = nodes.mean
        half = diags([-nodes.swing / 2], [0])
        progress = half @ (basis[:-1] + basis[1:])
        weighed = diags([precision], [0]) @ progress
        local = np.zeros((count, STATES, basis.shape[1]))
        dense = weighed.toarray()
        local[:-1, 0] -= dense
        local[1:, 0] += dense
        local[:-1, 1] += first[:, 1:2] * dense
        local[1:, 1] += second[:, 1:2] * dense
        offsets = (diags([believed], [0]) @ basis).toarray()
        for state, factor_of in ((1, np.ones(count)), (2, -ty), (3, tx)):
            local[:, state] += factor_of[:, None] * offsets
        shared_border.append(local.reshape(count * STATES, -1))
        own = (progress.T @ weighed + basis.T @ diags([believed], [0]) @ basis).toarray()
        known = nodes.mean_prior or (np.eye(len(own)) / noise.mean_m**2, np.zeros(len(own)))
        own += known[0]
        cross = np.vstack([common[:, 0] @ dense, np.zeros(len(own))])
        corner = np.block([[corner, cross], [cross.T, own]])
        corner_right = np.concatenate(
            [
                corner_right,
                progress.T @ (precision * gap) + basis.T @ (believed * nodes.across) + known[0] @ known[1],
            ]
        )
    edge = np.hstack(shared_border)
    factor = cholesky_banded(_banded(diagonal, beside), lower=False, overwrite_ab=True, check_finite=True)
    solved = cho_solve_banded((factor, False), np.column_stack([right.ravel(), edge]), check_finite=False)
    plain, tied = solved[:, 0], solved[:, 1:]
    # The scale's prior is centred on 1: ``advance`` enters with scale 1 + scale change.
    schur = corner - edge.T @ tied
    shared_mean = np.linalg.solve(schur, corner_right - edge.T @ plain)
    state = (plain - tied @ shared_mean).reshape(count, STATES)
    shared_cov = np.linalg.inv(schur)
    samples = np.zeros((count, 0))
    if draws:
        random = np.random.default_rng(seed)
        free = dtbtrs(factor, random.standard_normal((count * STATES, draws)), uplo="U")[0]
        shared = np.linalg.cholesky(shared_cov) @ random.standard_normal((len(shared_cov), draws))
        samples = free[::STATES] - tied[::STATES] @ shared
    return Smoothed(
        correction=state[:, 0],
        departure=state[:, 1],
        drift=state[:, 2:],
        scale=float(1.0 + shared_mean[0]),
        scale_u=float(np.sqrt(shared_cov[0, 0])),
        delay_s=float(shared_mean[1]),
        delay_u_s=float(np.sqrt(shared_cov[1, 1])),
        samples=samples,
        mean=shared_mean[2:],
    )


def _banded(diagonal: Array, beside: Array) -> Array:
    """Upper banded storage of the block tridiagonal matrix."""
    count = len(diagonal)
    width = 2 * STATES
    banded = np.zeros((width, count * STATES))
    for row in range(STATES):
        for column in range(STATES):
            if column >= row:
                banded[width - 1 + row - column, column::STATES] = diagonal[:, row, column]
            # Element (STATES * j + row, STATES * (j + 1) + column) is beside[j, column, row].
            place = width - 1 + row - (column + STATES)
            if place >= 0:
                banded[place, STATES + column :: STATES] = beside[:, column, row]
    return banded
