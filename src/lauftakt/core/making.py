"""Makes a layout from a log: start line, centre line; corners, passages and splits come from :mod:`places`."""

import numpy as np
from numpy.typing import NDArray

from lauftakt.core.centre import CentreLine, centre_from_curve, smooth_curve
from lauftakt.core.geo import Plane
from lauftakt.core.layout import Layout, Line
from lauftakt.core.log import Log, Unusable, Warning
from lauftakt.core.placing import Track, read_track

Array = NDArray[np.float64]

CUTOFF_M = 34.0
LINE_SLACK_M = 8.0
HALF_LINE_M = 12.0


def draft_layout(log: Log, name: str, start: Line | None = None) -> tuple[Layout, list[Warning]]:
    """Start line and centre line from one run of several laps on a closed circuit.

    Parameters
    ----------
    log : with latitude and longitude
    name : of the circuit
    start : the start line where it is known; otherwise it is taken from a lap counter in the log, or else laid 100 m
        after the beginning of the longest full-throttle straight

    Returns
    -------
    layout : without corners, passages and splits
    warnings : ``start-line-from-counter`` or ``start-line-assumed``

    Raises
    ------
    Unusable
        ``no-laps`` where the start line is not crossed at least twice, ``no-positions``.
    """
    plane = _plane_for(log, start)
    track = read_track(log, plane)
    warnings: list[Warning] = []
    if start is not None:
        left, right = _ends(plane, start)
        crossings = _crossings(track, left, right)
        if len(crossings) < 2:
            raise Unusable("no-laps", "The start line of the layout is not crossed twice in this log.")
    else:
        crossings, warning = _crossings_without_line(log, track)
        warnings.append(warning)
    laps = _good_laps(track, crossings)
    centre, origin = _fit(track, laps)
    if start is None:
        x, y, heading = centre.at(np.array([origin if warnings[0].code == "start-line-from-counter" else 0.0]))
        if warnings[0].code == "start-line-assumed":
            x, y, heading = centre.at(np.array([_straight_place(log, track, centre)]))
        left = np.array([x[0] - HALF_LINE_M * np.sin(heading[0]), y[0] + HALF_LINE_M * np.cos(heading[0])])
        right = np.array([x[0] + HALF_LINE_M * np.sin(heading[0]), y[0] - HALF_LINE_M * np.cos(heading[0])])
        latitude, longitude = plane.to_degrees([left[0], right[0]], [left[1], right[1]])
        start = Line((float(latitude[0]), float(longitude[0])), (float(latitude[1]), float(longitude[1])))
    return lay(centre, plane, start, name), warnings


def lay(centre: CentreLine, plane: Plane, start: Line, name: str) -> Layout:
    """A layout whose s begins where the centre line crosses the start line, in a plane that touches there.

    Raises
    ------
    Unusable
        ``start-line`` where the centre line does not cross it.
    """
    left, right = _ends(plane, start)
    s, n = centre.project(np.array([left[0], right[0]]), np.array([left[1], right[1]]))
    middle = (left + right) / 2
    crossing, _ = centre.project(middle[:1], middle[1:])
    heading = centre.at(crossing)[2][0]
    across = right - left
    # The line runs from left to right: seen in driving direction it must turn right from the centre line.
    if np.sin(np.arctan2(across[1], across[0]) - heading) > -0.3:
        raise Unusable("start-line", "The start line does not lie across the driven path, left end first.")
    share = float(np.clip(n[0] / (n[0] - n[1]), -1.0, 2.0)) if abs(n[0] - n[1]) > 1e-6 else 0.5
    gap = (s[1] - s[0] + centre.length / 2) % centre.length - centre.length / 2
    begin = s[0] + share * gap
    skew = float(gap / (n[0] - n[1])) if abs(n[0] - n[1]) > 1e-6 else 0.0
    steps = np.linspace(0.0, centre.length, len(centre.s) * 2 - 1)
    x, y, _ = centre.at(begin + steps)
    middle_degrees = ((start.left[0] + start.right[0]) / 2, (start.left[1] + start.right[1]) / 2)
    touching = Plane(*middle_degrees)
    x, y = touching.to_xy(*plane.to_degrees(x, y))
    arc = np.concatenate([[0.0], np.cumsum(np.hypot(np.diff(x), np.diff(y)))])
    even = np.linspace(0.0, arc[-1], round(arc[-1]) + 1)
    return Layout(
        name=name,
        plane=touching,
        start=start,
        centre=CentreLine(np.interp(even, arc, x), np.interp(even, arc, y), even, centre.closed),
        skew=skew,
    )


def _plane_for(log: Log, start: Line | None) -> Plane:
    if start is not None:
        return Plane((start.left[0] + start.right[0]) / 2, (start.left[1] + start.right[1]) / 2)
    latitude, longitude = log.role("latitude"), log.role("longitude")
    if latitude is None or longitude is None or len(latitude.values) < 50:
        raise Unusable("no-positions", "The log holds no latitude and longitude, so no layout can be made from it.")
    some = np.abs(latitude.values) > 1e-6
    if not some.any():
        raise Unusable("no-positions", "All positions in the log are zero; was the receiver switched on?")
    return Plane(float(np.median(latitude.values[some])), float(np.median(longitude.values)))


def _ends(plane: Plane, line: Line) -> tuple[Array, Array]:
    x, y = plane.to_xy([line.left[0], line.right[0]], [line.left[1], line.right[1]])
    return np.array([x[0], y[0]]), np.array([x[1], y[1]])


def _crossings(track: Track, left: Array, right: Array) -> Array:
    """Times at which the fixes cross a line in driving direction (left end to the driver's left)."""
    along = right - left
    width = float(np.hypot(*along))
    unit = along / width
    forward = np.array([-unit[1], unit[0]])
    before = (track.x - left[0]) * forward[0] + (track.y - left[1]) * forward[1]
    beside = (track.x - left[0]) * unit[0] + (track.y - left[1]) * unit[1]
    cross = np.flatnonzero((before[:-1] < 0) & (before[1:] >= 0))
    share = -before[cross] / (before[cross + 1] - before[cross])
    place = beside[cross] + share * (beside[cross + 1] - beside[cross])
    within = (place > -LINE_SLACK_M) & (place < width + LINE_SLACK_M)
    cross, share = cross[within], share[within]
    times = track.fix_time[cross] + share * (track.fix_time[cross + 1] - track.fix_time[cross])
    keep = np.concatenate([[True], np.diff(times) > 5.0]) if len(times) else np.zeros(0, bool)
    return np.asarray(times[keep])


def _crossings_without_line(log: Log, track: Track) -> tuple[Array, Warning]:
    counter = log.role("lap_number")
    if counter is not None and len(counter.values) > 2:
        steps = np.flatnonzero(np.diff(counter.values) > 0) + 1
        times = counter.time[steps]
        times = times[(times > track.fix_time[0]) & (times < track.fix_time[-1])]
        if len(times) >= 2:
            return times, Warning("start-line-from-counter", "The start line was laid where the lap counter rises.")
    # Any place that is passed again and again will do to find the laps: the fastest one.
    at_fix = np.interp(track.fix_time, track.speed_time, track.speed)
    for index in np.argsort(at_fix)[::-1][:: max(1, len(at_fix) // 50)]:
        heading = track.heading[index]
        aside = np.array([-np.sin(heading), np.cos(heading)]) * HALF_LINE_M
        here = np.array([track.x[index], track.y[index]])
        times = _crossings(track, here + aside, here - aside)
        if len(times) >= 2:
            return times, Warning(
                "start-line-assumed",
                "No start line is known: it was laid 100 m after the beginning of the longest full-throttle straight.",
            )
    raise Unusable("no-laps", "No place is passed twice in this log, so it holds no whole lap.")


def _good_laps(track: Track, crossings: Array) -> list[tuple[float, float]]:
    """Laps near the fastest in time and near the middle in length, at most twelve, fastest first."""
    travelled = np.concatenate([[0.0], np.cumsum(np.hypot(np.diff(track.x), np.diff(track.y)))])
    times = np.diff(crossings)
    lengths = np.diff(np.interp(crossings, track.fix_time, travelled))
    usual = float(np.median(lengths))
    fit = np.abs(lengths - usual) < 0.02 * usual + 10.0
    if not fit.any():
        raise Unusable("no-laps", "No two laps of this log have the same length, so no circuit can be made from it.")
    order = np.argsort(np.where(fit, times, np.inf))
    best = times[order[0]]
    return [(float(crossings[i]), float(crossings[i + 1])) for i in order[:12] if fit[i] and times[i] < 1.07 * best]


def _fit(track: Track, laps: list[tuple[float, float]]) -> tuple[CentreLine, float]:
    """Closed centre line through the fixes of the laps; also where on it the laps begin."""
    begin, end = laps[0]
    inside = (track.fix_time >= begin) & (track.fix_time < end)
    x, y, time = track.x[inside], track.y[inside], track.fix_time[inside]
    if len(x) < 30:
        raise Unusable("no-laps", "The best lap of this log has fewer than 30 positions.")
    travelled = np.concatenate([[0.0], np.cumsum(np.diff(track.speed_time) * (track.speed[1:] + track.speed[:-1]) / 2)])
    u = np.interp(time, track.speed_time, travelled)
    first, last = np.interp([begin, end], track.speed_time, travelled)
    length = float(last - first)
    fx, fy = smooth_curve(u - first, x, y, length, closed=True, cutoff_m=2 * CUTOFF_M)
    centre = centre_from_curve(fx, fy, length, closed=True)
    chosen = np.zeros(len(track.x), dtype=bool)
    for start, stop in laps:
        chosen |= (track.fix_time >= start) & (track.fix_time < stop)
    at_fix = np.interp(track.fix_time, track.speed_time, track.speed)
    chosen &= at_fix > 3.0
    for _ in range(2):
        s, n = centre.project(track.x[chosen], track.y[chosen], track.heading[chosen])
        weight = 1.0 / (1.0 + (n / 3.0) ** 2)
        fx, fy = smooth_curve(
            s, track.x[chosen], track.y[chosen], centre.length, closed=True, cutoff_m=CUTOFF_M, weight=weight
        )
        centre = centre_from_curve(fx, fy, centre.length, closed=True)
    starts = np.array([start for start, _ in laps] + [stop for _, stop in laps])
    s, _ = centre.project(np.interp(starts, track.fix_time, track.x), np.interp(starts, track.fix_time, track.y))
    angle = np.angle(np.mean(np.exp(2j * np.pi * s / centre.length)))
    return centre, float(angle / (2 * np.pi) * centre.length % centre.length)


def _straight_place(log: Log, track: Track, centre: CentreLine) -> float:
    """100 m after the beginning of the longest stretch driven at full throttle (or, without it, gaining speed)."""
    throttle = log.role("throttle")
    if throttle is not None:
        flat = np.interp(track.fix_time, throttle.time, throttle.values) > 0.95 * np.percentile(throttle.values, 99)
    else:
        speed = np.interp(track.fix_time, track.speed_time, track.speed)
        flat = np.gradient(speed, track.fix_time) > 0.1
    s, _ = centre.project(track.x, track.y, track.heading)
    bins = np.zeros(int(centre.length) + 1)
    total = np.zeros(int(centre.length) + 1)
    np.add.at(bins, s.astype(int), flat)
    np.add.at(total, s.astype(int), 1)
    known = np.flatnonzero(total)
    share = np.interp(np.arange(len(bins)), known, bins[known] / total[known], period=centre.length)
    share = np.convolve(np.tile(share, 3), np.ones(15) / 15, mode="same")[len(bins) : 2 * len(bins)]
    on = np.tile(share > 0.7, 2)
    edges = np.flatnonzero(np.diff(np.concatenate([[0], on.astype(int), [0]])))
    if len(edges) < 2:
        return 0.0
    runs = edges.reshape(-1, 2)
    longest = runs[np.argmax(runs[:, 1] - runs[:, 0])]
    return float((longest[0] + 100.0) % centre.length)
