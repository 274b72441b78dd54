"""What the car did, as far as a log shows it before its channels have roles: all channels on one clock, and the motion
by the positions or the speed among them.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import uniform_filter1d

from lauftakt.core.log.model import RawChannel, rate_of
from lauftakt.core.plane import Plane

Array = NDArray[np.float64]

# The common clock: fine enough for pedals, coarse enough to be quick.
STEP_S = 0.2
MOST_STEPS = 9_000
LEAST_STEPS = 100
# Below this a car is not driven; nobody drives faster.
MOVING = 5.0
FASTEST = 130.0
# A figure that jumps by more than so many m/s^2 is no car's speed.
HARDEST = 30.0
# Positions come at most so many steps later than the other channels, or earlier; two speeds that correlate so are one.
MOST_LAG = 12
SAME_SPEED = 0.97


@dataclass(frozen=True)
class Bench:
    """Channels on one clock.

    Attributes
    ----------
    clock : (n,) s, even
    rows : (channels, n), NaN where a channel was not sampled
    rates : (channels,) samples in a second
    """

    clock: Array
    rows: Array
    rates: Array

    @cached_property
    def lively(self) -> NDArray[np.bool_]:
        """(channels,) those that change at all, with values nearly everywhere."""
        there = np.isfinite(self.rows)
        spread = np.nanmax(self.rows, 1, initial=-np.inf) - np.nanmin(self.rows, 1, initial=np.inf)
        return np.asarray((there.mean(1) > 0.5) & (spread > 0))


def on_one_clock(channels: Sequence[RawChannel]) -> Bench | None:
    """All channels as means over a fifth of a second; None where the log is too short to show anything."""
    timed = [channel for channel in channels if len(channel.time) > 1]
    if not timed:
        return None
    begin = min(float(channel.time[0]) for channel in timed)
    end = max(float(channel.time[-1]) for channel in timed)
    steps = int((end - begin) / STEP_S)
    if steps < LEAST_STEPS:
        return None
    if steps > MOST_STEPS:  # half an hour shows as much as the whole, unless the car stood
        begin, steps = _liveliest(timed, begin, end - MOST_STEPS * STEP_S), MOST_STEPS
    edges = begin + STEP_S * np.arange(steps + 1)
    clock = (edges[1:] + edges[:-1]) / 2
    rows = np.full((len(channels), steps), np.nan)
    cuts: dict[int, NDArray[np.intp]] = {}
    rates: dict[int, float] = {}
    for index, channel in enumerate(channels):
        if len(channel.time) < 2:
            continue
        cut = cuts.get(id(channel.time))
        if cut is None:
            cut = cuts[id(channel.time)] = np.searchsorted(channel.time, edges)
            rates[id(channel.time)] = rate_of(channel.time)
        rows[index] = _means(channel, cut, clock)
    return Bench(clock, rows, np.array([rates.get(id(channel.time), 0.0) for channel in channels]))


def _liveliest(channels: Sequence[RawChannel], first: float, last: float) -> float:
    """Where the part begins in which most happens: at the beginning, in the middle or at the end."""
    busiest = max(channels, key=lambda channel: len(channel.time))
    same = [channel for channel in channels if len(channel.time) == len(busiest.time)][:6]
    found: list[tuple[int, float]] = []
    for begin in ((first + last) / 2, first, last):
        part = slice(*np.searchsorted(busiest.time, [begin, begin + MOST_STEPS * STEP_S]))
        changes = sum(int(np.count_nonzero(np.diff(channel.values[part][::25]))) for channel in same)
        found.append((changes, begin))
    return max(found, key=lambda item: item[0])[1]


def _means(channel: RawChannel, cut: NDArray[np.intp], clock: Array) -> Array:
    count = np.diff(cut)
    with np.errstate(over="ignore", invalid="ignore"):
        total = np.concatenate([[0.0], np.cumsum(channel.values[cut[0] : cut[-1]])])
        at = cut - cut[0]
        means = np.where(count > 0, (total[at[1:]] - total[at[:-1]]) / np.maximum(count, 1), np.nan)
    there = count > 0
    if there.mean() > 0.9:
        if not there.all():
            means[~there] = np.interp(clock[~there], channel.time, channel.values, left=np.nan, right=np.nan)
        return np.asarray(means)
    return np.interp(clock, channel.time, channel.values, left=np.nan, right=np.nan)


@dataclass(frozen=True)
class Motion:
    """What the car did, (n,) each on the bench's clock.

    Attributes
    ----------
    speed : m/s by the positions, in the logger's own scale where only a speed channel shows it
    gain : change of the speed in a second
    turning : heading rate, left positive, rad/s; None where nothing shows it
    moving : where the car is driven
    by_positions : whether positions show it
    """

    speed: Array
    gain: Array
    turning: Array | None
    moving: NDArray[np.bool_]
    by_positions: bool

    @property
    def enough(self) -> bool:
        """Whether so much was driven that behaviour can be judged."""
        return int(self.moving.sum()) >= LEAST_STEPS


def path_motion(x: Array, y: Array) -> Motion | None:
    """The motion along a path; None where it is no car's: it never moves, or jumps about.

    Parameters
    ----------
    x, y : (n,) m on the bench's clock, NaN where not known
    """
    there = np.isfinite(x) & np.isfinite(y)
    if there.sum() < LEAST_STEPS:
        return None
    index = np.arange(len(x))
    smooth = [uniform_filter1d(np.interp(index, index[there], p[there]), 5) for p in (x, y)]
    u, v = (uniform_filter1d(np.gradient(p, STEP_S), 5) for p in smooth)
    speed = np.hypot(u, v)
    turning = uniform_filter1d(np.gradient(np.unwrap(np.arctan2(v, u)), STEP_S), 3)
    moving = (speed > MOVING) & there
    if moving.sum() < LEAST_STEPS or np.percentile(speed[moving], 90) > FASTEST:
        return None
    gain = np.gradient(speed, STEP_S)
    if np.percentile(np.abs(gain[moving]), 90) > HARDEST:
        return None
    return Motion(speed, gain, turning, moving, True)


def with_speed(motion: Motion, row: Array) -> Motion:
    """The motion of a path with the speed that a channel logged, which is finer and does not lag behind.

    Parameters
    ----------
    motion : along a path
    row : (n,) a channel that goes with its speed, in whatever unit

    Returns
    -------
    Speed and its change by the channel, scaled to the path's; the turning moved to the channel's clock by the lag at
    which the two speeds fit best. The motion as it was where they fit nowhere.
    """
    there = np.isfinite(row)
    if there.sum() < LEAST_STEPS or not motion.by_positions:
        return motion
    index = np.arange(len(row))
    logged = np.interp(index, index[there], row[there])
    best, lag = 0.0, 0
    for steps in range(-MOST_LAG, MOST_LAG + 1):
        own, other = _moved(motion.speed, steps), logged
        where = _moved(motion.moving.astype(float), steps) > 0.5
        if where.sum() < LEAST_STEPS:
            continue
        a, b = own[where] - own[where].mean(), other[where] - other[where].mean()
        size = float(np.sqrt((a @ a) * (b @ b)))
        match = float(a @ b) / size if size > 0 else 0.0
        if match > best:
            best, lag = match, steps
    if best < SAME_SPEED:
        return motion
    path, moving = _moved(motion.speed, lag), _moved(motion.moving.astype(float), lag) > 0.5
    fits = moving & (logged > 0)
    if fits.sum() < LEAST_STEPS:
        return motion
    speed = logged * float(np.median(path[fits] / logged[fits]))
    gain = np.gradient(uniform_filter1d(speed, 3), STEP_S)
    turning = None if motion.turning is None else _moved(motion.turning, lag)
    return Motion(speed, gain, turning, moving, True)


def _moved(row: Array, steps: int) -> Array:
    """An array a few steps earlier, its ends held."""
    return row[np.clip(np.arange(len(row)) + steps, 0, len(row) - 1)]


def places_motion(latitude: Array, longitude: Array) -> Motion | None:
    """The same from degrees; places at 0, 0 are none."""
    there = np.isfinite(latitude) & np.isfinite(longitude)
    there &= (np.abs(latitude) <= 90) & (np.abs(longitude) <= 180) & ((latitude != 0) | (longitude != 0))
    if there.sum() < LEAST_STEPS:
        return None
    plane = Plane(float(np.median(latitude[there])), float(np.median(longitude[there])))
    x, y = plane.to_xy(np.where(there, latitude, np.nan), np.where(there, longitude, np.nan))
    return path_motion(x, y)


def speed_motion(speed: Array, turning: Array | None = None) -> Motion | None:
    """The motion by a speed channel, in whatever unit; None where it shows none."""
    there = np.isfinite(speed)
    if there.sum() < LEAST_STEPS:
        return None
    index = np.arange(len(speed))
    whole = np.interp(index, index[there], speed[there])
    high = float(np.percentile(whole, 98))
    moving = there & (whole > 0.15 * high)
    if high <= 0 or moving.sum() < LEAST_STEPS:
        return None
    return Motion(whole, np.gradient(uniform_filter1d(whole, 3), STEP_S), turning, moving, False)
