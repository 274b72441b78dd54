"""Whether a figure changed from one run to another by more than laps and runs scatter by themselves."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.special import stdtr, stdtrit

from lauftakt.core.comparison.spread import spread_of

Array = NDArray[np.float64]

# Under so many clean laps in either run nothing is judged.
FEWEST_LAPS = 4
# Variance of the Hodges-Lehmann shift of normal values against that of a difference of means: pi / 3.
SHIFT_FACTOR = np.pi / 3.0
# How far a run as a whole lies off in one corner, as a share of the scatter from lap to lap, before anything is known
# of this driver: what is believed to begin with, and as much as so many other corners would tell.
RUN_EFFECT = 0.55
PRIOR_FREEDOM = 5.0
# Fewer corners that nothing was asked in tell nothing of the run as a whole.
FEWEST_OTHERS = 3
# Beyond so many robust standard deviations a value stands off.
FAR = 2.5
# Of a two-sided interval.
CONFIDENCE = 0.95


@dataclass(frozen=True)
class Change:
    """How a figure changed from one run to another.

    Attributes
    ----------
    before, after : medians over the clean laps
    change, change_u : corrected change and its standard deviation, in the figure's unit
    low, high : 95 % interval of the change
    freedom : degrees of freedom of its doubt
    laps : how many laps told of it before and after
    luck : how much of the plain change is expected by itself, because the worst is picked out
    whole : how much of it belongs to the run as a whole
    """

    before: float
    after: float
    change: float
    change_u: float
    low: float
    high: float
    freedom: float
    laps: tuple[int, int]
    luck: float
    whole: float

    def likely(self, sign: float) -> float:
        """How likely such a change in a direction (``sign`` 1 or -1) would be if there were none."""
        if self.change_u <= 0.0:
            return 0.0 if sign * self.change > 0.0 else 1.0
        return float(stdtr(self.freedom, -sign * self.change / self.change_u))


@dataclass(frozen=True)
class Pair:
    """A figure's values over the clean laps of two runs, without those that are not known."""

    before: Array
    after: Array

    @classmethod
    def of(cls, before: Sequence[float | None] | Array, after: Sequence[float | None] | Array) -> "Pair":
        sides = [
            np.array([v for v in side if v is not None and np.isfinite(v)], dtype=float) for side in (before, after)
        ]
        return cls(sides[0], sides[1])

    @property
    def told(self) -> bool:
        """Whether enough laps of both runs have it."""
        return min(len(self.before), len(self.after)) >= FEWEST_LAPS

    @property
    def shift(self) -> float:
        """By how much the second run's values lie higher (Hodges and Lehmann, Annals of Mathematical Statistics 34,
        1963): the median of all differences, which one slip does not move."""
        return float(np.median(self.after[:, None] - self.before[None, :]))

    def scatter(self, least: float) -> float:
        """Standard deviation from lap to lap within a run, at least ``least``."""
        centred = np.concatenate([side - np.median(side) for side in (self.before, self.after)])
        # Two medians were taken out.
        return max(size_of(centred) * float(np.sqrt((len(centred) - 1.0) / (len(centred) - 2.0))), least)

    def unit(self, least: float, proportional: bool) -> float:
        """By what a run as a whole is told in this corner: the figure's own size, or one."""
        return max(abs(float(np.median(self.before))), least) if proportional else 1.0

    @property
    def sampling(self) -> float:
        """Variance of the shift by so few laps, in squares of the scatter."""
        return float(SHIFT_FACTOR * (1.0 / len(self.before) + 1.0 / len(self.after)))


def change_of(
    pair: Pair, others: Sequence[Pair], least: float, luck: float = 0.0, *, proportional: bool = False
) -> Change | None:
    """How a figure changed between two runs, beside what changed by itself.

    Parameters
    ----------
    pair : the figure where it was asked for
    others : the same figure in corners in which nothing was asked for
    least : scatter below which nothing is one, in the figure's unit: what a log resolves
    luck : by how much the first run's figure is expected to lie off its true value because it was picked out for being
        bad; see :func:`lauftakt.core.debrief.luck.expected_luck`
    proportional : whether what a run does as a whole is a share of the figure (times, speeds: another grip makes a long
        passage slower by more), or as much everywhere (places)

    Returns
    -------
    None where fewer than four clean laps of a run tell.

    Notes
    -----
    What a run as a whole does (another grip, another tyre, another mood) shows in the corners in which nothing was
    asked for: their centre is taken out. It is no matter of how unsteady the driver is in a corner, so it is looked for
    in the figure's own size. What is left there, in scatters from lap to lap of each corner, tells how far such a
    change lies off by itself, laps and runs together; a Student's t with the degrees of freedom that so many give.
    Since a circuit has few of them, as much as five more are believed to begin with, in which a run lies off by half
    the scatter of laps or a little more (a conjugate prior for the variance; Gelman and others, "Bayesian Data
    Analysis", ch. 3). It is never less than what so few laps leave open.
    """
    if not pair.told:
        return None
    scatter, own = pair.scatter(least), pair.unit(least, proportional)
    told = [other for other in others if other.told]
    prior = pair.sampling + 2.0 * RUN_EFFECT**2
    whole, variance, freedom, common = 0.0, prior, PRIOR_FREEDOM, 0.0
    if len(told) >= FEWEST_OTHERS:
        scatters = np.array([other.scatter(least) for other in told])
        units = np.array([other.unit(least, proportional) for other in told])
        shifts = np.array([other.shift for other in told])
        whole = _middle(shifts / units)
        left = _clipped((shifts - whole * units) / scatters)
        freedom = PRIOR_FREEDOM + len(told) - 1
        variance = max((PRIOR_FREEDOM * prior + float((left**2).sum())) / freedom, pair.sampling)
        # How well so few corners tell the run as a whole.
        common = SHIFT_FACTOR * variance * float(np.mean((scatters / units) ** 2)) / len(told)
    change = pair.shift - whole * own + luck
    u = float(np.sqrt(variance * scatter**2 + common * own**2))
    reach = float(stdtrit(freedom, (1.0 + CONFIDENCE) / 2.0)) * u
    return Change(
        before=float(np.median(pair.before)),
        after=float(np.median(pair.after)),
        change=change,
        change_u=u,
        low=change - reach,
        high=change + reach,
        freedom=freedom,
        laps=(len(pair.before), len(pair.after)),
        luck=-luck,
        whole=whole * own,
    )


def size_of(values: Array) -> float:
    """Standard deviation of (n,) values without those that stand far off: beyond 2.5 of a robust one they count as if
    they lay there (Huber, "Robust Statistics", 1981)."""
    found = spread_of(values)
    if found is None or found.value <= 0.0:
        return float(np.std(values, ddof=1)) if len(values) > 1 else 0.0
    middle = float(np.median(values))
    return float(np.std(np.clip(values, middle - FAR * found.value, middle + FAR * found.value), ddof=1))


def _clipped(values: Array) -> Array:
    """Values of which those that stand far off count as if they lay at 2.5 robust standard deviations from zero."""
    size = float(np.median(np.abs(values))) / 0.6745
    return np.clip(values, -FAR * size, FAR * size) if size > 0.0 else values


def _middle(values: Array) -> float:
    """The Hodges-Lehmann centre of values: the median of the means of all pairs, each with itself, too."""
    first, second = np.triu_indices(len(values))
    return float(np.median((values[first] + values[second]) / 2.0))
