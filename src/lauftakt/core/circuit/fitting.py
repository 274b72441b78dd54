"""The centre line through what receivers saw of several drives along a layout."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.integrate import cumulative_trapezoid

from lauftakt.core.circuit.centre import CentreLine, centre_from_curve, smooth_curve
from lauftakt.core.log.model import Unusable
from lauftakt.core.log.track import Track

Array = NDArray[np.float64]
# More laps of one driver would make the centre line theirs.
LAPS_A_LOG = 8
# Wavelength that the centre line keeps half of; shorter ones are the fixes' noise (benchmarks/accuracy.py).
CUTOFF_M = 34.0
# A curvature that is only noise, 1/m, well below that of the slightest bend that is a corner (:mod:`corners`), and how
# many distances between fixes the wavelength may grow to for it: two are shown by one lap alone.
NOISE_PER_M, LONGEST_GAPS = 0.0012, 2.5
# Over so much of a lap a receiver's slow error and a lap's own line are taken off where fixes are far apart.
SLOW_M = 500.0
# A lap with fewer positions is put together with others; fewer in all make no line.
SPARSE, LEAST_POINTS = 120, 30


@dataclass(frozen=True)
class Pass:
    """One drive from line to line: which track, from when to when."""

    track: int
    begin: float
    end: float


def fit(tracks: list[Track], drives: list[Pass], *, closed: bool) -> CentreLine:
    """Centre line through the fixes of the drives; an open one reaches a little beyond start and finish.

    Parameters
    ----------
    tracks : in one plane
    drives : from line to line, the fastest first
    closed : whether they end where they begin

    Raises
    ------
    lauftakt.core.log.model.Unusable
        ``no-laps`` where the drives hold too few positions.
    """
    margin = 0.0 if closed else 4.0
    u, x, y, length = _along(tracks[drives[0].track], drives[0], margin, closed)
    if len(x) < SPARSE:
        # Of a receiver that sees the car once a second a lap is a handful of points: several laps together make a line.
        more = [_along(tracks[drive.track], drive, margin, closed) for drive in drives[1:LAPS_A_LOG]]
        u = np.concatenate([u, *(own * length / whole for own, _, _, whole in more)])
        x, y = np.concatenate([x, *(found[1] for found in more)]), np.concatenate([y, *(found[2] for found in more)])
    if len(x) < LEAST_POINTS:
        raise Unusable("no-laps", f"The laps have fewer than {LEAST_POINTS} positions together.")
    fx, fy = smooth_curve(u, x, y, length, closed=closed, cutoff_m=2 * CUTOFF_M)
    centre = centre_from_curve(fx, fy, length, closed=closed)
    parts, gaps = [], []
    for index, track in enumerate(tracks):
        of_drive = np.full(len(track.x), -1)
        for number, drive in enumerate(drives):
            if drive.track == index:
                inside = (track.fix_time >= drive.begin - margin) & (track.fix_time < drive.end + margin)
                of_drive[inside] = number
        speed = np.interp(track.fix_time, track.speed_time, track.speed)
        chosen = (of_drive >= 0) & (speed > 3.0)
        parts.append(np.column_stack([track.x[chosen], track.y[chosen], track.heading[chosen], of_drive[chosen]]))
        if chosen.sum() > 1:
            gaps.append(np.median(speed[chosen]) * np.median(np.diff(track.fix_time)))
    x, y, heading, lap = np.concatenate(parts).T
    gap = float(np.median(gaps)) if gaps else 0.0
    if gap > CUTOFF_M / 2:
        return _fit_of_few(centre, x, y, heading, lap, gap)
    for _ in range(2):
        s, n = centre.project(x, y, heading)
        weight = 1.0 / (1.0 + (n / 3.0) ** 2)
        if not closed:
            weight = weight * ((s > centre.s[0] + 0.1) & (s < centre.s[-1] - 0.1))
        fx, fy = smooth_curve(s, x, y, centre.length, closed=closed, cutoff_m=CUTOFF_M, weight=weight)
        centre = centre_from_curve(fx, fy, centre.length, closed=closed)
    return centre


def _fit_of_few(centre: CentreLine, x: Array, y: Array, heading: Array, lap: Array, gap: float) -> CentreLine:
    """Centre line through fixes so far apart that neighbours are of different laps.

    Where a lap shows nothing of the wanted wavelength, only all laps together do, and what they differ by (a
    receiver's slow error, a lap's own line) would stand beside each other as bends. So each lap's slow part is taken
    off first, and the wavelength is as long as the fixes' scatter asks for: the curvature of a sine of wavelength L and
    amplitude a is a (2 pi / L)^2, and of m fixes over L with scatter sigma, a is about sigma sqrt(2 / m).

    Parameters
    ----------
    centre : a first line
    x, y, heading : (n,) fixes in the centre line's plane, m, and their directions
    lap : (n,) of which drive each is
    gap : usual distance of successive fixes, m
    """
    for _ in range(3):
        s, n = centre.project(x, y, heading)
        slow = _slow_part(s, n, lap)
        across = centre.at(s)[2] + np.pi / 2
        weight = 1.0 / (1.0 + ((n - slow) / 3.0) ** 2)
        if not centre.closed:
            weight = weight * ((s > centre.s[0] + 0.1) & (s < centre.s[-1] - 0.1))
        scatter = 1.4826 * float(np.median(np.abs(n - slow)))
        # Solved for L: NOISE_PER_M = scatter sqrt(2 / (density L)) (2 pi / L)^2.
        density = len(s) / centre.length
        wanted = (scatter * np.sqrt(2.0 / density) * (2 * np.pi) ** 2 / NOISE_PER_M) ** 0.4
        cutoff = float(np.clip(wanted, CUTOFF_M, max(CUTOFF_M, LONGEST_GAPS * gap)))
        fx, fy = smooth_curve(
            s, x - slow * np.cos(across), y - slow * np.sin(across), centre.length, closed=centre.closed,
            cutoff_m=cutoff, weight=weight,
        )  # fmt: skip
        centre = centre_from_curve(fx, fy, centre.length, closed=centre.closed)
    return centre


def _slow_part(s: Array, n: Array, lap: Array) -> Array:
    """(n,) m, what of each lap's offsets changes over some hundred metres only, less what all laps have in common."""
    found = np.zeros(len(n))
    for number in np.unique(lap):
        own = lap == number
        near = np.exp(-0.5 * ((s[own][:, None] - s[own][None, :]) / (SLOW_M / 4)) ** 2)
        # Far-off fixes are errors, not a slow part.
        near *= (np.abs(n[own]) < 6.0)[None, :]
        found[own] = near @ n[own] / np.maximum(near.sum(axis=1), 1e-9)
    return found


def _along(track: Track, drive: Pass, margin: float, closed: bool) -> tuple[Array, Array, Array, float]:
    """Metres travelled since the line, and x and y, of the fixes of one drive; and its length."""
    begin, end = drive.begin - margin, drive.end + margin
    inside = (track.fix_time >= begin) & (track.fix_time < end)
    travelled = cumulative_trapezoid(track.speed, track.speed_time, initial=0.0)
    u = np.interp(track.fix_time[inside], track.speed_time, travelled)
    first, last = np.interp([begin, end], track.speed_time, travelled)
    if not closed and len(u):
        first, last = u[0], u[-1]
    return u - first, track.x[inside], track.y[inside], max(float(last - first), 1.0)
