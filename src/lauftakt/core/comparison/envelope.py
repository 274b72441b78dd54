"""The grip picture: how hard a car was accelerated in every direction, how much of that a lap uses, and how often a
channel has which value."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]

# Directions of acceleration are told apart by so much: a driver does not aim more finely.
DIRECTIONS = 24
# What counts as reached in a direction: a percentile, since single samples are bumps.
REACHED = 95
# Of fewer metres driven in a direction nothing is said of it.
FEWEST_M = 15
# A gear box has few gears: what takes more steps is no such thing, whatever its channel stands for.
MOST_STEPS = 100
# So many groups of laps are left out in turn at the most: of a long run single laps would take long and tell no more.
MOST_GROUPS = 20
# Below this no direction can be told, m/s^2.
LEAST = 0.5


@dataclass(frozen=True)
class Envelope:
    """What a car reached in every direction: ``direction`` (d,) rad, 0 to the left and a quarter turn for gaining
    speed, ``level`` (d,) m/s^2 and its standard deviation ``level_u``; NaN where too little was driven that way."""

    direction: Array
    level: Array
    level_u: Array


def envelope(ahead: Array, aside: Array, aside_share_u: float = 0.0) -> Envelope:
    """How hard a car was accelerated in every direction.

    Parameters
    ----------
    ahead, aside : (laps, g) m/s^2, metre by metre; gaining speed and left positive; NaN where not driven
    aside_share_u : standard deviation of ``aside`` as a share of it that all laps have in common

    Notes
    -----
    In sectors of 15 degrees the 95th percentile of the acceleration over all laps; its doubt by the grouped jackknife,
    a lap left out at a time, of more than 20 laps a twentieth of them (Efron and Tibshirani, "An introduction to the
    bootstrap", 1993, chapter 11): samples of a lap follow from one another, laps do not.
    """
    size, sector = _polar(ahead, aside)
    known = np.isfinite(size) & (size > LEAST)
    lap = np.broadcast_to(np.arange(len(size))[:, None] % MOST_GROUPS, size.shape)[known]
    laps = np.unique(lap)
    level, doubt = np.full(DIRECTIONS, np.nan), np.full(DIRECTIONS, np.nan)
    # By direction, and in each by size: what is left without a lap is in order, too.
    order = np.lexsort((size[known], sector[known]))
    sizes, of_lap = size[known][order], lap[order]
    ends = np.searchsorted(sector[known][order], np.arange(DIRECTIONS + 1))
    for which in range(DIRECTIONS):
        part = slice(ends[which], ends[which + 1])
        own, whose = sizes[part], of_lap[part]
        level[which] = _reached(own)
        others = np.array([_reached(own[whose != one]) for one in laps])
        if len(laps) > 1 and np.isfinite(others).all():
            doubt[which] = np.sqrt((len(laps) - 1) / len(laps) * ((others - others.mean()) ** 2).sum())
    direction = (np.arange(DIRECTIONS) + 0.5) * 2 * np.pi / DIRECTIONS
    # A level's error is that of its lateral part, along the level's own direction.
    doubt = np.hypot(doubt, aside_share_u * level * np.cos(direction) ** 2)
    return Envelope(direction, level, doubt)


def seconds_at(time: Array) -> Array:
    """Seconds that a lap spends at each place, (g,), of the times at which it is there. Of a stretch they are taken out
    of the whole lap: one that crosses the line has its end before its beginning."""
    return np.asarray(np.gradient(time))


def share_used(ahead: Array, aside: Array, spent: Array, of: Envelope) -> float | None:
    """How much of what a car reached a lap uses, on average over its time; None where nothing is known.

    Parameters
    ----------
    ahead, aside : (g,) m/s^2
    spent : (g,) s, of :func:`seconds_at`
    of : what was reached
    """
    size, sector = _polar(ahead, aside)
    level = of.level[sector]
    known = np.isfinite(size) & np.isfinite(level) & np.isfinite(spent)
    if not known.any():
        return None
    share = np.minimum(size[known] / level[known], 1.0)
    return float(np.sum(share * spent[known]) / np.sum(spent[known]))


def time_shares(values: Array, spent: Array, edges: Array) -> Array:
    """Share of a lap's time that a channel spends between edges.

    Parameters
    ----------
    values : (g,) of the channel, metre by metre
    spent : (g,) s, of :func:`seconds_at`
    edges : (b + 1,) rising; the last one belongs to the last part

    Returns
    -------
    (b,), adding up to 1 where all values lie within the edges; NaN where nothing is known.
    """
    known = np.isfinite(values) & np.isfinite(spent)
    if not known.any():
        return np.full(len(edges) - 1, np.nan)
    counts, _ = np.histogram(values[known], bins=edges, weights=spent[known])
    return np.asarray(counts / spent[known].sum())


def even_edges(
    low: float, high: float, *, stepped: bool = False, most: int = 40, factor: float = 1.0, zero: float = 0.0
) -> Array:
    """Edges that a person would choose: steps of 1, 2 or 5 times a power of ten, at most ``most`` of them; of a channel
    that is held in steps one around each whole value, unless there are more than :data:`MOST_STEPS`.

    Parameters
    ----------
    low, high : between what the values lie, SI
    stepped : whether only whole values mean something
    factor, zero : of the unit in which the steps are even: a value in it is ``factor`` times the one in SI, plus
        ``zero``

    Returns
    -------
    (b + 1,) rising, SI; the first and the last hold all values between them.

    Raises
    ------
    ValueError
        for a factor that is not positive.
    """
    if not factor > 0:
        raise ValueError("A unit grows with what it measures.")
    if stepped and high - low <= MOST_STEPS:
        return np.arange(np.floor(low) - 0.5, np.ceil(high) + 1.0)
    least, greatest = low, high
    low, high = low * factor + zero, high * factor + zero
    # Values that are all alike have a width, too, and one that numbers of their size can tell apart.
    wide = max(high - low, 1e-6 * max(abs(low), abs(high)), 1e-9) / most
    power = 10.0 ** np.floor(np.log10(wide))
    step = power * next(factor for factor in (1.0, 2.0, 5.0, 10.0) if factor * power >= wide * (1 - 1e-9))
    first, last = np.floor(low / step), np.floor(high / step) + 1
    edges = (np.arange(first, last + 1) * step - zero) / factor
    edges[0], edges[-1] = min(edges[0], least), max(edges[-1], greatest)
    return np.asarray(edges)


def _polar(ahead: Array, aside: Array) -> tuple[Array, NDArray[np.intp]]:
    size = np.hypot(ahead, aside)
    turn = np.mod(np.arctan2(np.nan_to_num(ahead), np.nan_to_num(aside)), 2 * np.pi)
    return size, np.minimum((turn / (2 * np.pi) * DIRECTIONS).astype(np.intp), DIRECTIONS - 1)


def _reached(sizes: Array) -> float:
    """The percentile of (n,) sizes in order that counts as reached; NaN of too few."""
    count = len(sizes)
    if count < FEWEST_M:
        return float("nan")
    at = (count - 1) * REACHED / 100
    low = int(at)
    return float(sizes[low] + (at - low) * (sizes[min(low + 1, count - 1)] - sizes[low]))
