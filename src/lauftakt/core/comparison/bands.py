"""What a driver usually does at each place: the median of several laps and the middle half of them."""

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]

# Of fewer laps quartiles are the laps themselves.
FEWEST = 3


@dataclass(frozen=True)
class Band:
    """Quartiles of a channel over laps, (g,) each: ``low`` (a quarter of the laps lies below), ``middle`` (the median)
    and ``high``; NaN where fewer than :data:`FEWEST` laps tell."""

    low: Array
    middle: Array
    high: Array


def band(rows: Array, *, stepped: bool = False) -> Band:
    """The middle half of several laps of a channel, place by place.

    Parameters
    ----------
    rows : (laps, g) values, NaN where a lap does not tell
    stepped : whether only values that were logged mean something (a gear): then no two are averaged

    Returns
    -------
    See :class:`Band`.

    Raises
    ------
    ValueError
        for fewer than :data:`FEWEST` laps.

    Notes
    -----
    Quartiles by definition 7 of Hyndman and Fan, "Sample Quantiles in Statistical Packages", The American Statistician
    50, 1996; for steps definition 3, the nearest.
    """
    if len(rows) < FEWEST:
        raise ValueError(f"A band needs {FEWEST} laps.")
    known = np.isfinite(rows).sum(axis=0) >= FEWEST
    found = np.full((3, rows.shape[1]), np.nan)
    if known.any():
        method: Literal["closest_observation", "linear"] = "closest_observation" if stepped else "linear"
        found[:, known] = np.nanquantile(rows[:, known], (0.25, 0.5, 0.75), axis=0, method=method)
    return Band(*found)


def restarted(rows: Array, grid: Array, at: float) -> Array:
    """Deltas that start with 0 at a place.

    Parameters
    ----------
    rows : (laps, g) s
    grid : (g,) their places, m from the start line
    at : m from the start line
    """
    return np.asarray(rows - np.array([[np.interp(at, grid, row)] for row in rows]))
