"""Makes a layout's lines from logs and what was drawn; corners, passages and splits come from :mod:`places`."""

import itertools
from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray
from scipy.interpolate import CubicSpline

from lauftakt.core.circuit.centre import CentreLine, centre_from_curve, centre_through, smooth_curve
from lauftakt.core.circuit.fitting import LAPS_A_LOG, Pass, fit
from lauftakt.core.circuit.layout import Layout, LayoutSketch, Line
from lauftakt.core.circuit.lines import crossings, line_across, line_ends, place_of_line
from lauftakt.core.circuit.starting import at_counter, flat_out, into_straight
from lauftakt.core.log.model import Log, Unusable, Warning
from lauftakt.core.log.track import Track, one_circuit, read_track
from lauftakt.core.log.triggers import line_moments
from lauftakt.core.plane import Plane

Array = NDArray[np.float64]
# Half of an assumed start line: wider than any road.
HALF_LINE_M = 12.0
# A drawn centre line is used as given; the contract allows so much smoothing.
GIVEN_SLACK_M = 0.1
# A pit lane passes a start line within so many metres of its ends.
BESIDE_M = 40.0
# More add nothing but time.
LAPS_IN_ALL = 48


def draft_layout(read: Sequence[tuple[Log, Track]], sketch: LayoutSketch) -> tuple[Layout, list[Warning]]:
    """Lines and centre line of a layout.

    Parameters
    ----------
    read : logs of the layout with their tracks, from :func:`read_tracks`; those without whole laps are passed over
    sketch : what was drawn; without a start line it is taken from a lap counter in a log, or else laid 100 m after the
        beginning of the longest full-throttle straight

    Returns
    -------
    layout : without corners, passages and proposed splits
    warnings : ``start-line-from-counter`` or ``start-line-assumed``; ``two-circuits``

    Raises
    ------
    Unusable
        ``no-laps`` where no log holds a whole lap, ``start-line``.
    """
    warnings: list[Warning] = []
    start = sketch.start
    if start is None and not read:
        raise Unusable("no-positions", "A drawn circuit needs its start line where no log holds positions.")
    if start is None:
        parted = [(log, *one_circuit(track)) for log, track in read]
        read = [(log, track) for log, track, _ in parted]
        warnings += [warning for _, _, warning in parted if warning is not None]
    plane = _common_plane([track for _, track in read], sketch.start)
    used, tracks = [log for log, _ in read], [track.in_plane(plane) for _, track in read]
    if start is None:
        start, warning = _find_start(plane, used, tracks, sketch)
        warnings.append(warning)
    if sketch.centre:
        centre = _given_centre(plane, sketch, tracks)
    else:
        drives = _good_drives(tracks, _drives(tracks, plane, start, sketch.finish))
        centre = fit(tracks, drives, closed=sketch.finish is None)
    return lay(centre, plane, start, sketch), warnings


def lay(centre: CentreLine, plane: Plane, start: Line, sketch: LayoutSketch) -> Layout:
    """A layout whose s begins where the centre line crosses the start line, in a plane that touches there.

    Parameters
    ----------
    centre, plane : a centre line that may begin anywhere
    start : the start line
    sketch : finish, splits, limits and marks

    Raises
    ------
    Unusable
        ``start-line`` where a line does not cross the centre line.
    """
    begin, skew = place_of_line(centre, plane, start, "start line")
    touching = Plane((start.left[0] + start.right[0]) / 2, (start.left[1] + start.right[1]) / 2)
    if centre.closed:
        places = begin + np.linspace(0.0, centre.length, len(centre.s) * 2 - 1)
    else:
        places = np.linspace(centre.s[0], centre.s[-1], len(centre.s) * 2 - 1)
    x, y, _ = centre.at(places)
    x, y = touching.to_xy(*plane.to_degrees(x, y))
    arc = np.concatenate([[0.0], np.cumsum(np.hypot(np.diff(x), np.diff(y)))])
    even = np.linspace(0.0, arc[-1], round(arc[-1]) + 1)
    fx, fy = CubicSpline(arc, x), CubicSpline(arc, y)
    own = CentreLine(fx(even), fy(even), even, centre.closed)
    finish_skew = 0.0
    if not centre.closed:
        zero, skew = place_of_line(own, touching, start, "start line")
        end = float(even[-1] - zero)
        if sketch.finish is not None:
            place, finish_skew = place_of_line(own, touching, sketch.finish, "finish line")
            end = place - zero
        if end < 100.0:
            raise Unusable("start-line", "The finish does not lie at least 100 m after the start.")
        own = CentreLine(own.x, own.y, even - zero, False, end)
    splits = sorted((*place_of_line(own, touching, line, f"split {name}"), name) for name, line in sketch.splits)
    layout = Layout(
        name=sketch.name,
        plane=touching,
        start=start,
        centre=own,
        skew=skew,
        splits_m=tuple(s for s, _, _ in splits),
        split_skews=tuple(askew for _, askew, _ in splits),
        split_names=tuple(name for _, _, name in splits),
        first_sector=sketch.first_sector,
        finish=sketch.finish,
        finish_skew=finish_skew,
        marks=tuple((name, _place(own, touching, point)) for name, point in sketch.marks),
        pit_lane=sketch.pit_lane,
        reckoned=sketch.reckoned,
    )
    if any(not 0 < s < layout.length for s in layout.splits_m):
        raise Unusable("layout-file", "A split lies outside the course.")
    limits = [_limit(layout, path) if path else None for path in (sketch.left_limit, sketch.right_limit)]
    return replace(layout, left_limit=limits[0], right_limit=limits[1])


def _place(centre: CentreLine, plane: Plane, point: tuple[float, float]) -> float:
    x, y = plane.to_xy([point[0]], [point[1]])
    return float(centre.project(x, y)[0][0])


def _middle(line: Line) -> tuple[float, float]:
    return (line.left[0] + line.right[0]) / 2, (line.left[1] + line.right[1]) / 2


def _limit(layout: Layout, path: tuple[tuple[float, float], ...]) -> Array:
    """Offset of a drawn or driven limit on the layout's grid."""
    degrees = np.array(path)
    x, y = layout.plane.to_xy(degrees[:, 0], degrees[:, 1])
    s, n = layout.centre.project(x, y)
    order = np.argsort(s)
    period = layout.length if layout.centre.closed else None
    return np.asarray(np.interp(layout.grid(), s[order], n[order], period=period))


def _common_plane(tracks: Sequence[Track], start: Line | None) -> Plane:
    """The plane in which a layout is drafted: at its start line, or where the first track is."""
    if start is not None:
        return Plane((start.left[0] + start.right[0]) / 2, (start.left[1] + start.right[1]) / 2)
    return tracks[0].plane


def read_tracks(logs: Sequence[Log]) -> list[tuple[Log, Track]]:
    """The logs from which a layout can be made, with their tracks.

    Raises
    ------
    Unusable
        the first log's reason, where there is none.
    """
    found: list[tuple[Log, Track]] = []
    problem: Unusable | None = None
    for log in logs:
        try:
            found.append((log, read_track(log)))
        except Unusable as error:
            problem = problem or error
    if not found:
        raise problem or Unusable("no-positions", "There is no log to make a layout from.")
    return found


def _drives(tracks: list[Track], plane: Plane, start: Line, finish: Line | None) -> list[Pass]:
    """Every drive from the start line to the next start line (or to the finish)."""
    left, right = line_ends(plane, start)
    found: list[Pass] = []
    for index, track in enumerate(tracks):
        begins = crossings(track.fix_time, track.x, track.y, left, right)
        if finish is None:
            found += [Pass(index, float(a), float(b)) for a, b in itertools.pairwise(begins)]
            continue
        ends = crossings(track.fix_time, track.x, track.y, *line_ends(plane, finish))
        for number, begin in enumerate(begins):
            until = begins[number + 1] if number + 1 < len(begins) else np.inf
            reached = ends[(ends > begin) & (ends < until)]
            if len(reached):
                found.append(Pass(index, float(begin), float(reached[0])))
    if not found and any(_passes_beside(track, left, right) for track in tracks):
        raise Unusable(
            "no-laps",
            "Every lap passes the start line beside its ends, as through a pit lane; draw the line across both, or "
            "hand in a run with laps on the circuit.",
        )
    if not found:
        where = "from start to finish" if finish is not None else "twice"
        raise Unusable("no-laps", f"The layout's line is not crossed {where} in driving direction in any log.")
    return found


def _passes_beside(track: Track, left: Array, right: Array) -> bool:
    """Whether a run passes a line at least twice within some car widths of its ends, and never between them."""
    beyond = (right - left) / np.hypot(*(right - left)) * BESIDE_M
    return len(crossings(track.fix_time, track.x, track.y, left - beyond, right + beyond)) > 1


def _good_drives(tracks: list[Track], drives: list[Pass]) -> list[Pass]:
    """Drives near the fastest in time and near the middle in length, a few of each log, fastest first."""
    lengths = np.empty(len(drives))
    for index, track in enumerate(tracks):
        travelled = np.concatenate([[0.0], np.cumsum(np.hypot(np.diff(track.x), np.diff(track.y)))])
        for number, drive in enumerate(drives):
            if drive.track == index:
                ends = np.interp([drive.begin, drive.end], track.fix_time, travelled)
                lengths[number] = ends[1] - ends[0]
    times = np.array([drive.end - drive.begin for drive in drives])
    usual = float(np.median(lengths))
    fit = np.abs(lengths - usual) < 0.02 * usual + 10.0
    if not fit.any():
        raise Unusable("no-laps", "No two laps have the same length, so no circuit can be made from them.")
    best = times[fit].min()
    chosen: list[Pass] = []
    for number in np.argsort(times):
        drive = drives[number]
        enough = sum(other.track == drive.track for other in chosen) >= LAPS_A_LOG
        if fit[number] and times[number] < 1.07 * best and not enough and len(chosen) < LAPS_IN_ALL:
            chosen.append(drive)
    return chosen


def _find_start(plane: Plane, logs: list[Log], tracks: list[Track], sketch: LayoutSketch) -> tuple[Line, Warning]:
    """A start line from a lap counter, or 100 m after the beginning of the longest full-throttle straight."""
    if sketch.finish is not None:
        raise Unusable("start-line", "An open course needs its start line as well as its finish.")
    counted = [_counter_times(log, track) for log, track in zip(logs, tracks, strict=True)]
    most = int(np.argmax([len(times) for times in counted]))
    if len(counted[most]) >= 2:
        track, times = tracks[most], counted[most]
        drives = [Pass(0, float(a), float(b)) for a, b in itertools.pairwise(times)]
        centre = fit([track], _good_drives([track], drives), closed=True)
        x, y = (np.interp(times, track.fix_time, p) for p in (track.x, track.y))
        s, _ = centre.project(x, y)
        place, warning = at_counter(s, centre.length)
    else:
        most = int(np.argmax([len(track.fix_time) for track in tracks]))
        order = [most, *(i for i in range(len(tracks)) if i != most)]
        for index in order:
            track = tracks[index]
            times = _repeated(track)
            if len(times) >= 2:
                break
        else:
            raise Unusable("no-laps", "No place is passed twice in any log, so there is no whole lap.")
        drives = [Pass(0, float(a), float(b)) for a, b in itertools.pairwise(times)]
        centre = fit([track], _good_drives([track], drives), closed=True)
        s, _ = centre.project(track.x, track.y, track.heading)
        flat = flat_out(logs[index], track.fix_time, track.speed_time, track.speed)
        place, warning = into_straight(s, flat, centre.length)
    x, y, heading = centre.at(np.array([place]))
    return line_across(plane, float(x[0]), float(y[0]), float(heading[0]), HALF_LINE_M), warning


def _counter_times(log: Log, track: Track) -> Array:
    times, _ = line_moments(log)
    return np.asarray(times[(times > track.fix_time[0]) & (times < track.fix_time[-1])])


def _repeated(track: Track) -> Array:
    """Any place that is passed again and again will do to find the laps: a fast one."""
    at_fix = np.interp(track.fix_time, track.speed_time, track.speed)
    for index in np.argsort(at_fix)[::-1][:: max(1, len(at_fix) // 50)]:
        heading = track.heading[index]
        aside = np.array([-np.sin(heading), np.cos(heading)]) * HALF_LINE_M
        here = np.array([track.x[index], track.y[index]])
        times = crossings(track.fix_time, track.x, track.y, here + aside, here - aside)
        if len(times) >= 2:
            return times
    return np.zeros(0)


def _given_centre(plane: Plane, sketch: LayoutSketch, tracks: list[Track]) -> CentreLine:
    """The drawn centre line, turned into driving direction and smoothed by less than 0.1 m."""
    closed = sketch.finish is None
    degrees = np.array(sketch.centre)
    x, y = plane.to_xy(degrees[:, 0], degrees[:, 1])
    if closed and np.hypot(x[0] - x[-1], y[0] - y[-1]) < 0.5:
        x, y = x[:-1], y[:-1]
    apart = np.concatenate([[True], np.hypot(np.diff(x), np.diff(y)) > 0.05])
    x, y = x[apart], y[apart]
    if len(x) < 8:
        raise Unusable("layout-file", "The centre line needs at least eight different points.")
    rough = centre_through(x, y, closed)
    votes = 0.0
    # On an open course most fixes may be of the ways back: its lines say which way it is driven.
    if sketch.start is not None and sketch.finish is not None:
        begin, end = (_place(rough, plane, _middle(line)) for line in (sketch.start, sketch.finish))
        votes = end - begin
    elif sketch.start is not None and not tracks:
        left, right = line_ends(plane, sketch.start)
        s, _ = rough.project(*((left + right) / 2).reshape(2, 1))
        # A quarter turn to the left of left-to-right is forwards.
        votes = float(np.cos(np.arctan2(right[0] - left[0], left[1] - right[1]) - rough.at(s)[2][0]))
    for track in () if votes else tracks:
        s, n = rough.project(track.x, track.y)
        near = np.abs(n) < 25.0
        votes += float(np.cos(track.heading[near] - rough.at(s[near])[2]).sum())
    if votes < 0:
        x, y = x[::-1], y[::-1]
        rough = centre_through(x, y, closed)
    for cutoff in (20.0, 14.0, 10.0, 7.0):
        fx, fy = smooth_curve(rough.s, rough.x, rough.y, rough.length, closed=closed, cutoff_m=cutoff, knot_m=3.0)
        if np.hypot(fx(rough.s) - rough.x, fy(rough.s) - rough.y).max() < GIVEN_SLACK_M:
            return centre_from_curve(fx, fy, rough.length, closed=closed)
    return rough
