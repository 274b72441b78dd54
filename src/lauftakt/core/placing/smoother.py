"""Fixed-interval smoother for the position along the circuit, in banded form."""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from scipy.linalg import cholesky_banded
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
    own_speed : whether the speed was taken from the positions, so that it holds their slow error, too
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
    own_speed: bool = False


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
    turn : (n-1,) how much further the centre-line position moves from node to node for each metre that both lie ahead
        of ``s``: the derivative of ``advance``, since the same offset means another way there; None for 0
    lean : (n-1,) how much further it moves for each metre by which the offset grows from node to node, since a path
        that crosses the centre line at an angle makes less way along it; None for 0
    slant : (n,) by how much the mean line moves to the left for each metre ahead; None for 0
    shift : (k, 2) what a rigid shift of the path by a metre east or north is in coefficients of the mean line's error;
        None where no shift is asked for
    landmark : (n, k) sparse, basis functions of what every lap's places are wrong by where they were recognised, or
        None: somebody who cuts a corner is always seen beside it
    landmark_prior : precision (k, k), 1/m^2, of their coefficients beforehand
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
    turn: Array | None = None
    lean: Array | None = None
    slant: Array | None = None
    shift: Array | None = None
    landmark: csr_matrix | None = None
    landmark_prior: Array | None = None


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
    shift : (2,) m, by how much the whole path lies further east and north than its fixes do on average
    shift_samples : (2, draws) m, draws of its error, belonging to ``samples``
    misfit : sum of squares, each in units of its noise, by which the course misses fixes and speeds; no prior counts
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
    shift: Array
    shift_samples: Array
    misfit: float = 0.0


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

    A rigid shift of all positions changes neither speeds nor shape: nothing in a run tells it. So that no neglected
    term of a linear model pretends to, the drift's mean over the run is zero by construction (conditioning by kriging,
    the same book, section 2.3.3), and the shift itself is an unknown of its own, which only the prior of the drift's
    mean and that of the line know anything of.
    """
    system = _System(len(nodes.time), noise)
    system.add_progress(nodes, noise)
    system.add_wandering(nodes, noise)
    system.add_fixes(nodes, noise)
    if nodes.mean is not None:
        system.add_mean_line(nodes, nodes.mean, noise)
    if nodes.landmark is not None and nodes.landmark_prior is not None:
        system.add_landmarks(nodes, nodes.landmark, nodes.landmark_prior, noise)
    found = system.solve(nodes, noise, draws, seed)
    return replace(found, misfit=_misfit(nodes, noise, found))


def evidence(nodes: Nodes, noise: Noise) -> float:
    """Logarithm of the probability that a log with this noise would hold what the nodes hold, but for a constant that
    size and time constant of the drift, the fixes' noise and the line's scatter do not change.

    The course itself is integrated out, which a Gaussian model allows exactly (Rue and Held 2005, section 2.3): what is
    left compares how far a slow error of another size would explain positions and speeds better, against how much
    freedom it needs for that.
    """
    system = _System(len(nodes.time), noise)
    system.add_progress(nodes, noise)
    system.add_wandering(nodes, noise)
    system.add_fixes(nodes, noise)
    return system.probability(nodes, noise)


class _System:
    """The normal equations, filled source by source.

    Only what can differ from zero of the 4 x 4 blocks is held: ``own[a, b]`` within a node (a <= b), ``next_to[a, b]``
    between state a of a node and state b of the following one. ``border`` couples the nodes with what all of them
    share (scale, delay, then the mean line's coefficients), whose own block is ``corner``.
    """

    def __init__(self, count: int, noise: Noise) -> None:
        self.count = count
        self.own = {(a, b): np.zeros(count) for a in range(STATES) for b in range(a, STATES)}
        self.next_to: dict[tuple[int, int], Array] = {}
        self.right = np.zeros((count, STATES))
        self.border = np.zeros((count, STATES, 2))
        self.corner = np.diag([1 / noise.scale**2, 1 / noise.delay_s**2])
        self.corner_right = np.zeros(2)
        self.mean_border: list[Array] = []
        self.mean_count = 0
        self.shifted = False

    def add_progress(self, nodes: Nodes, noise: Noise) -> None:
        """Progress along the centre line: s' = scale * advance + swing * departure.

        With e = s' - s - swing (d + d') / 2 - lean (d' - d) - turn (s + s') / 2 - scale change * advance, one row of
        weights -b, -h, f, -o on s, d, s', d' and -advance on the scale, where b, f = 1 ± turn / 2 and h, o = swing / 2
        -+ lean. A speed that was taken from the positions drives along the positions' path: s and d are then those of
        that path, drift and all.
        """
        precision, gap, _ = _progress(nodes, noise)
        back, front = _rows(nodes, noise)
        weighed_gap, weighed_advance = precision * gap, precision * nodes.advance
        for a, here in back.items():
            self.right[:-1, a] += weighed_gap * here
            self.border[:-1, a, 0] -= weighed_advance * here
            for b, other in back.items():
                if b >= a:
                    self.own[a, b][:-1] += precision * here * other
            for b, there in front.items():
                beside = self.next_to.setdefault((a, b), np.zeros(self.count - 1))
                beside += precision * here * there
        for a, here in front.items():
            self.right[1:, a] += weighed_gap * here
            self.border[1:, a, 0] -= weighed_advance * here
            for b, other in front.items():
                if b >= a:
                    self.own[a, b][1:] += precision * here * other
        self.corner[0, 0] += float(weighed_advance @ nodes.advance)
        self.corner_right[0] -= float(weighed_advance @ gap)

    def add_wandering(self, nodes: Nodes, noise: Noise) -> None:
        """Departure from the mean line (by distance) and drift of the receiver (by time): first-order Gauss-Markov."""
        step = _steps(nodes)
        moved = np.abs(nodes.advance) + 0.02
        line_m = _line_m(nodes, noise)
        drift_m = np.full(self.count, noise.drift_m)
        for state, keep, sigma in (
            (1, np.exp(-moved / noise.line_length_m), line_m),
            (2, np.exp(-step / noise.drift_s), drift_m),
            (3, np.exp(-step / noise.drift_s), drift_m),
        ):
            inverse = 1.0 / (1.0 - keep**2)
            self.own[state, state][:-1] += inverse * keep**2 / sigma[:-1] ** 2
            self.own[state, state][1:] += inverse / sigma[1:] ** 2
            self.own[state, state][0] += 1.0 / sigma[0] ** 2
            beside = self.next_to.setdefault((state, state), np.zeros(self.count - 1))
            beside -= inverse * keep / (sigma[:-1] * sigma[1:])
        self.own[0, 0][0] += 1e-4

    def add_fixes(self, nodes: Nodes, noise: Noise) -> None:
        """Fixes, along and across the centre line."""
        own, right, border = self.own, self.right, self.border
        believed, aside = _belief(nodes, noise)
        tx, ty = nodes.tangent[:, 0], nodes.tangent[:, 1]
        target = nodes.stretch * nodes.along
        # Along a path that holds the drift itself the fixes show where the car is on that path.
        east, north = (0.0, 0.0) if noise.own_speed else (tx, ty)
        own[0, 0] += believed * nodes.stretch**2
        own[0, 2] += believed * nodes.stretch * east
        own[0, 3] += believed * nodes.stretch * north
        own[1, 1] += aside
        own[1, 2] -= aside * ty
        own[1, 3] += aside * tx
        own[2, 2] += believed * east**2 + aside * ty**2
        own[2, 3] += believed * east * north - aside * tx * ty
        own[3, 3] += believed * north**2 + aside * tx**2
        right[:, 0] += believed * target * nodes.stretch
        right[:, 1] += aside * nodes.across
        right[:, 2] += believed * target * east - aside * nodes.across * ty
        right[:, 3] += believed * target * north + aside * nodes.across * tx
        if nodes.slant is not None:
            # A car that is further on than it seems is also where the mean line has moved to.
            leaning = aside * nodes.slant
            own[0, 0] += leaning * nodes.slant
            own[0, 1] += leaning
            own[0, 2] -= leaning * ty
            own[0, 3] += leaning * tx
            right[:, 0] += leaning * nodes.across
        late = -nodes.stretch * nodes.pace
        border[:, 0, 1] += believed * nodes.stretch * late
        border[:, 2, 1] += believed * east * late
        border[:, 3, 1] += believed * north * late
        self.corner[1, 1] += float((believed * late) @ late)
        self.corner_right[1] += float((believed * late) @ target)

    def add_mean_line(self, nodes: Nodes, basis: csr_matrix, noise: Noise) -> None:
        """The mean line's error shifts every lap alike: it enters the progress through the swing, and the offsets."""
        precision, gap, (half, other) = _progress(nodes, noise)
        _, aside = _belief(nodes, noise)
        tx, ty = nodes.tangent[:, 0], nodes.tangent[:, 1]
        progress = diags([-half], [0]) @ basis[:-1] + diags([-other], [0]) @ basis[1:]
        weighed = diags([precision], [0]) @ progress
        local = np.zeros((self.count, STATES, basis.shape[1]))
        dense = weighed.toarray()
        back, front = _rows(nodes, noise)
        for state, here in back.items():
            local[:-1, state] += here[:, None] * dense
        for state, here in front.items():
            local[1:, state] += here[:, None] * dense
        offsets = (diags([aside], [0]) @ basis).toarray()
        slant = np.zeros(self.count) if nodes.slant is None else nodes.slant
        for state, factor_of in ((0, slant), (1, np.ones(self.count)), (2, -ty), (3, tx)):
            local[:, state] += factor_of[:, None] * offsets
        self.mean_border.append(local.reshape(self.count * STATES, -1))
        self.mean_count = basis.shape[1]
        shared = (progress.T @ weighed + basis.T @ diags([aside], [0]) @ basis).toarray()
        known = nodes.mean_prior or (np.eye(len(shared)) / noise.mean_m**2, np.zeros(len(shared)))
        shared += known[0]
        cross = np.vstack([-nodes.advance @ dense, np.zeros(len(shared))])
        self.corner = np.block([[self.corner, cross], [cross.T, shared]])
        mean_right = progress.T @ (precision * gap) + basis.T @ (aside * nodes.across) + known[0] @ known[1]
        self.corner_right = np.concatenate([self.corner_right, mean_right])
        if nodes.shift is not None:
            self._add_shift(nodes, known, nodes.shift, noise)

    def _add_shift(self, nodes: Nodes, known: tuple[Array, Array], shift: Array, noise: Noise) -> None:
        """The rigid shift: what is known of the line is known of the shifted one, and the shift is that of a mean."""
        count = len(self.corner)
        pulled = known[0] @ shift
        grown = np.zeros((count + 2, count + 2))
        grown[:count, :count] = self.corner
        grown[count - len(shift) : count, count:] = pulled
        grown[count:, count - len(shift) : count] = pulled.T
        grown[count:, count:] = shift.T @ pulled + np.eye(2) / mean_drift_m(nodes.time, noise) ** 2
        self.corner = grown
        self.corner_right = np.concatenate([self.corner_right, pulled.T @ known[1]])
        self.mean_border.append(np.zeros((self.count * STATES, 2)))
        self.shifted = True

    def add_landmarks(self, nodes: Nodes, basis: csr_matrix, known: Array, noise: Noise) -> None:
        """What all laps' recognised places are wrong by: it enters the fixes along the line."""
        believed, _ = _belief(nodes, noise)
        weighed = believed * nodes.stretch**2
        count, more = len(self.corner), basis.shape[1]
        local = np.zeros((self.count, STATES, more))
        seen = (diags([weighed], [0]) @ basis).toarray()
        local[:, 0] = seen
        self.mean_border.append(local.reshape(self.count * STATES, -1))
        grown = np.zeros((count + more, count + more))
        grown[:count, :count] = self.corner
        grown[count:, count:] = (basis.T @ seen) + known
        late = (-nodes.pace) @ seen
        grown[1, count:], grown[count:, 1] = late, late
        self.corner = grown
        self.corner_right = np.concatenate([self.corner_right, basis.T @ (weighed * nodes.along)])

    def probability(self, nodes: Nodes, noise: Noise) -> float:
        """See :func:`evidence`."""
        factor = cholesky_banded(_banded(self.own, self.next_to), lower=False, overwrite_ab=True, check_finite=True)
        turned = dtbtrs(factor, self.border.reshape(-1, 2), uplo="U", trans="T")[0]
        plain = dtbtrs(factor, self.right.reshape(-1, 1), uplo="U", trans="T")[0][:, 0]
        schur = self.corner - turned.T @ turned
        rest = self.corner_right - turned.T @ plain
        explained = float(plain @ plain + rest @ np.linalg.solve(schur, rest))
        precision, gap, _ = _progress(nodes, noise)
        believed, aside = _belief(nodes, noise)
        held = float(precision @ gap**2 + believed @ (nodes.stretch * nodes.along) ** 2 + aside @ nodes.across**2)
        freedom = 2.0 * float(np.log(factor[-1]).sum()) + float(np.linalg.slogdet(schur)[1])
        keep = np.exp(-_steps(nodes) / noise.drift_s)
        prior = 2.0 * (-2.0 * self.count * np.log(noise.drift_m) - float(np.log(1.0 - keep**2).sum()))
        prior -= 2.0 * float(np.log(_line_m(nodes, noise)).sum())
        prior -= 4.0 * float((nodes.weight > 0).sum()) * np.log(noise.fix_m)
        return float(0.5 * (explained - held - freedom + prior))

    def solve(self, nodes: Nodes, noise: Noise, draws: int, seed: int) -> Smoothed:
        """The most probable states, and draws from their joint posterior."""
        edge = np.hstack([self.border.reshape(-1, 2), *self.mean_border])
        factor = cholesky_banded(_banded(self.own, self.next_to), lower=False, overwrite_ab=True, check_finite=True)
        # With A = U'U one triangular solve of the border is enough: its Schur complement is a product with itself.
        turned = dtbtrs(factor, edge, uplo="U", trans="T")[0]
        plain = dtbtrs(factor, self.right.reshape(-1, 1), uplo="U", trans="T")[0]
        schur = self.corner - turned.T @ turned
        # The scale's prior is centred on 1: ``advance`` enters with scale 1 + scale change.
        shared = np.linalg.solve(schur, self.corner_right - turned.T @ plain[:, 0])
        state = dtbtrs(factor, plain - (turned @ shared)[:, None], uplo="U")[0]
        covariance = np.linalg.inv(schur)
        free = np.zeros((self.count * STATES, 0))
        common = np.zeros((len(shared), draws))
        if draws:
            random = np.random.default_rng(seed)
            common = np.linalg.cholesky(covariance) @ random.standard_normal((len(covariance), draws))
            free = random.standard_normal((self.count * STATES, draws)) - turned @ common
            free = dtbtrs(factor, free, uplo="U")[0]
        if self.shifted:
            mean = _mean_of_drift(nodes)
            lifted = dtbtrs(factor, mean.T, uplo="U", trans="T")[0]
            bound = -np.linalg.solve(schur, turned.T @ lifted)
            spread = dtbtrs(factor, lifted - turned @ bound, uplo="U")[0]
            back = np.linalg.inv(mean @ spread)
            shared = shared - bound @ back @ (mean @ state)[:, 0]
            state = state - spread @ back @ (mean @ state)
            if draws:
                excess = back @ (mean @ free)
                free, common = free - spread @ excess, common - bound @ excess
            covariance = covariance - bound @ back @ bound.T
        rows = state.reshape(self.count, STATES)
        samples = free[::STATES]
        if noise.own_speed:
            rows = rows.copy()
            rows[:, 0] -= _drift_along(nodes, rows[:, 2], rows[:, 3])
            if draws:
                samples = samples - _drift_along(nodes, free[2::STATES], free[3::STATES])
        last = 2 + self.mean_count
        moved = slice(last, last + 2)
        return Smoothed(
            correction=rows[:, 0],
            departure=rows[:, 1],
            drift=rows[:, 2:],
            scale=float(1.0 + shared[0]),
            scale_u=float(np.sqrt(covariance[0, 0])),
            delay_s=float(shared[1]),
            delay_u_s=float(np.sqrt(covariance[1, 1])),
            samples=samples,
            mean=shared[2:last],
            shift=shared[moved] if self.shifted else np.zeros(2),
            shift_samples=common[moved] if self.shifted else np.zeros((2, draws)),
        )


def _misfit(nodes: Nodes, noise: Noise, found: Smoothed) -> float:
    """What the most probable course misses of fixes and speeds."""
    precision, gap, (half, other) = _progress(nodes, noise)
    behind, front = _turned(nodes)
    offset = found.departure if nodes.mean is None else found.departure + nodes.mean @ found.mean
    ahead = found.correction
    (tx, ty), (east, north) = nodes.tangent.T, found.drift.T
    on_path, beside = ahead, offset
    if noise.own_speed:
        on_path, beside = ahead + _drift_along(nodes, east, north), offset - east * ty + north * tx
    slow = (
        front * on_path[1:] - behind * on_path[:-1] - half * beside[:-1] - other * beside[1:]
        - (found.scale - 1.0) * nodes.advance - gap
    )  # fmt: skip
    believed, aside = _belief(nodes, noise)
    late = nodes.stretch * nodes.pace * found.delay_s
    along = nodes.stretch * (ahead - nodes.along) + east * tx + north * ty - late
    slant = 0.0 if nodes.slant is None else nodes.slant
    across = offset + slant * ahead - east * ty + north * tx - nodes.across
    return float(precision @ slow**2 + believed @ along**2 + aside @ across**2)


def mean_drift_m(time: Array, noise: Noise) -> float:
    """Standard deviation of the slow error's mean over a run, each axis, m: that of a Gauss-Markov process over a time
    (Papoulis, "Probability, Random Variables, and Stochastic Processes", 1991, section 10.4)."""
    span = max(float(time[-1] - time[0]), 1e-3) / noise.drift_s
    return float(noise.drift_m * np.sqrt(2.0 / span * (1.0 - (1.0 - np.exp(-span)) / span)))


def _mean_of_drift(nodes: Nodes) -> Array:
    """(2, n x states) weights that take the mean of the drift over time, east and north."""
    share = np.gradient(nodes.time)
    share = share / share.sum()
    mean = np.zeros((2, len(share) * STATES))
    mean[0, 2::STATES] = share
    mean[1, 3::STATES] = share
    return mean


def _steps(nodes: Nodes) -> Array:
    return np.asarray(np.maximum(np.diff(nodes.time), 1e-4))


def _progress(nodes: Nodes, noise: Noise) -> tuple[Array, Array, tuple[Array, Array]]:
    """Precision of the progress from node to node, what it misses in the first estimate, and what it grows by for each
    metre of offset at the node and at the following one."""
    spare = 0.0 if nodes.unknown is None else nodes.unknown
    precision = 1.0 / (noise.speed_m**2 * _steps(nodes) + 1e-8 + spare)
    lean = np.zeros(len(nodes.swing)) if nodes.lean is None else nodes.lean
    return precision, nodes.advance - np.diff(nodes.s), (nodes.swing / 2 - lean, nodes.swing / 2 + lean)


def _rows(nodes: Nodes, noise: Noise) -> tuple[dict[int, Array], dict[int, Array]]:
    """Weights of the states of a node, and of the following one, in what the progress between both misses."""
    _, _, (half, other) = _progress(nodes, noise)
    behind, front = _turned(nodes)
    here, there = {0: -behind, 1: -half}, {0: front, 1: -other}
    if noise.own_speed:
        tx, ty = nodes.tangent.T
        here |= {2: half * ty[:-1], 3: -half * tx[:-1]}
        there |= {2: other * ty[1:], 3: -other * tx[1:]}
    return here, there


def _drift_along(nodes: Nodes, east: Array, north: Array) -> Array:
    """How far ahead on the centre line a drift puts the car, (n,) or (n, draws) m."""
    factors = (nodes.tangent / nodes.stretch[:, None]).T
    ex, ny = factors if east.ndim == 1 else (factors[0][:, None], factors[1][:, None])
    return np.asarray(ex * east + ny * north)


def _turned(nodes: Nodes) -> tuple[Array, Array]:
    """Weights of the corrections at both ends of a step: how far the car gets depends on where it is."""
    turn = np.zeros(len(nodes.advance)) if nodes.turn is None else nodes.turn
    return 1.0 + turn / 2, 1.0 - turn / 2


def _line_m(nodes: Nodes, noise: Noise) -> Array:
    return np.full(len(nodes.time), noise.line_m) if nodes.line_m is None else nodes.line_m


def _belief(nodes: Nodes, noise: Noise) -> tuple[Array, Array]:
    """Precision of the fixes along and across the centre line."""
    believed = nodes.weight / noise.fix_m**2
    return believed, believed if nodes.across_weight is None else nodes.across_weight / noise.fix_m**2


def _banded(own: dict[tuple[int, int], Array], next_to: dict[tuple[int, int], Array]) -> Array:
    """Upper banded storage of the block tridiagonal matrix."""
    count = len(own[0, 0])
    reach = STATES + max(column - row for row, column in next_to)
    banded = np.zeros((reach + 1, count * STATES))
    last = len(banded) - 1
    for (row, column), values in own.items():
        banded[last + row - column, column::STATES] = values
    for (row, column), values in next_to.items():
        # Row of a node, column of the following one.
        banded[last + row - column - STATES, STATES + column :: STATES] = values
    return banded
