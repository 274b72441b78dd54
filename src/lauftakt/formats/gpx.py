"""GPX 1.1 tracks with extensions, in and out."""

from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any, cast

import gpxpy
import gpxpy.gpx
import numpy as np
from defusedxml.common import DefusedXmlException
from defusedxml.ElementTree import ParseError, parse
from lxml import etree
from numpy.typing import NDArray

from lauftakt.core.log.model import Channel, Log, RawLog, Unusable
from lauftakt.core.log.roles import ROLES
from lauftakt.core.log.text import printable
from lauftakt.formats.metadata import add_metadata
from lauftakt.formats.tabled import log_of_points
from lauftakt.formats.units import convert

Array = NDArray[np.float64]

MOST_BYTES = 400_000_000
LEAST_POINTS = 20
SPACE = "urn:lauftakt:gpx:1"
GPX = "http://www.topografix.com/GPX/1/1"
NO_DATE = datetime(1970, 1, 1, tzinfo=UTC)
_OF_THE_POINT = ("latitude", "longitude", "altitude")
# What extensions hold has the units that GPX and its common extensions use.
_UNITS = {"speed": "m/s", "course": "deg", "hdop": "1", "ele": "m"}


def read_gpx(path: Path) -> RawLog:
    """Read the tracks of a GPX file as one log; numeric extensions of its points become channels.

    Raises
    ------
    Unusable
        ``file-large``, ``gpx``, ``no-rows``, ``no-time``, ``clock``
    """
    if path.stat().st_size > MOST_BYTES:
        raise Unusable("file-large", f"The file is larger than {MOST_BYTES // 1_000_000} MB; hand it in as parts.")
    try:
        parse(path)  # refuses entities and external references before anything else reads the file
        with path.open("rb") as file:
            found = gpxpy.parse(cast(Any, file))
    except DefusedXmlException as error:
        raise Unusable("gpx", "The file defines XML entities, which a track does not need; it was not read.") from error
    except (ParseError, gpxpy.gpx.GPXException, ValueError, LookupError, UnicodeError, etree.LxmlError) as error:
        raise Unusable("gpx", "The file is not a whole GPX file; export it again.") from error
    points = [point for track in found.tracks for segment in track.segments for point in segment.points]
    if len(points) < LEAST_POINTS:
        raise Unusable("no-rows", f"The file holds only {len(points)} track points, too few for a lap.")
    timed = [point for point in points if point.time is not None]
    if len(timed) < len(points) / 2:
        raise Unusable("no-time", "The track's points have no time, so nothing can be said about speed.")
    first = timed[0].time
    assert first is not None
    clock = np.array([(p.time - first).total_seconds() for p in timed if p.time is not None])
    meta: dict[str, str] = {}
    for key, value in (("driver", found.author_name), ("notes", found.description), ("event", found.name)):
        if value:
            add_metadata(meta, key, value)
    # Our own files name the driver by the track, too; other tracks are called by place or day.
    if found.creator == "Lauftakt" and found.tracks and found.tracks[0].name:
        add_metadata(meta, "driver", found.tracks[0].name)
    told = {etree.QName(item).localname: item.text or "" for item in found.metadata_extensions}
    for key, value in told.items():
        add_metadata(meta, key, value)
    if "no-date" not in told and not told.get("date"):
        meta["date"] = first.isoformat()
    values: dict[str, tuple[str, Array]] = {
        "latitude": ("deg", np.array([p.latitude for p in timed])),
        "longitude": ("deg", np.array([p.longitude for p in timed])),
    }
    if any(p.elevation is not None for p in timed):
        values["altitude"] = ("m", np.array([np.nan if p.elevation is None else p.elevation for p in timed]))
    # GPX 1.0 has speed and course of a point, which later versions leave to extensions.
    for name, unit in (("speed", "m/s"), ("course", "deg")):
        told_here = [getattr(p, name, None) for p in timed]
        if any(value is not None for value in told_here):
            values[name] = (unit, np.array([np.nan if value is None else float(value) for value in told_here]))
    for name, column in _extensions(timed).items():
        values.setdefault(name, column)
    return log_of_points(clock, values, meta, [])


def _extensions(points: list[gpxpy.gpx.GPXTrackPoint]) -> dict[str, tuple[str, Array]]:
    found: dict[str, tuple[str, Array]] = {}
    for index, point in enumerate(points):
        for extension in point.extensions:
            for element in extension.iter():
                if not isinstance(element.tag, str) or not (element.text or "").strip():
                    continue
                name = element.get("name") or etree.QName(element).localname
                if name not in found:
                    if len(found) >= 200:
                        continue
                    unit = element.get("unit") or _UNITS.get(name.lower(), "")
                    found[name[:120]] = (unit[:60], np.full(len(points), np.nan))
                try:
                    found[name[:120]][1][index] = float(element.text)
                except ValueError:
                    continue
    return found


def write_gpx(log: Log, path: Path) -> None:
    """Write a log's positions as one track, with every other channel as an extension of each point.

    Times are those of the fixes; other channels are read off at them.

    Raises
    ------
    Unusable
        ``no-positions``
    """
    positions = log.positions()
    if positions is None:
        raise Unusable("no-positions", "The run has no positions, so it cannot be written as a track.")
    latitude, longitude = positions
    begin = _moment(log.meta.get("date"))
    columns = [_read_off(c, latitude.time) for c in log.channels if c.role not in _OF_THE_POINT and len(c.time)]
    east = np.interp(latitude.time, longitude.time, longitude.values)
    altitude = log.role("altitude")
    height = None if altitude is None else np.interp(latitude.time, altitude.time, altitude.values)
    root = etree.Element(_tag("gpx"), version="1.1", creator="Lauftakt", nsmap={None: GPX, "lauftakt": SPACE})
    _metadata(root, log, begin)
    track = etree.SubElement(root, _tag("trk"))
    _add(track, _tag("name"), log.meta.get("driver", ""))
    segment = etree.SubElement(track, _tag("trkseg"))
    for index, at in enumerate(latitude.time):
        point = etree.SubElement(segment, _tag("trkpt"), lat=f"{latitude.values[index]:.8f}", lon=f"{east[index]:.8f}")
        if height is not None:
            _add(point, _tag("ele"), f"{height[index]:.3f}")
        _add(point, _tag("time"), _utc(begin + timedelta(seconds=float(at))))
        sampled = [column for column in columns if column[3][index]]
        here = etree.SubElement(point, _tag("extensions")) if sampled else None
        for name, unit, values, _ in sampled:
            _add(here, f"{{{SPACE}}}channel", f"{values[index]:.6g}", name=name, unit=unit)
    etree.ElementTree(root).write(str(path), xml_declaration=True, encoding="utf-8")


def _tag(name: str) -> str:
    return f"{{{GPX}}}{name}"


def _add(parent: Any, tag: str, text: str, **attributes: str) -> None:
    """An element with a text; what XML cannot hold is left out of it, everything else is escaped by the library."""
    made = etree.SubElement(parent, tag, {key: printable(value) for key, value in attributes.items()})
    made.text = printable(text, lines=True)


def _metadata(root: Any, log: Log, begin: datetime) -> None:
    """When the run began, and its labels under our own names."""
    made = etree.SubElement(root, _tag("metadata"))
    _add(made, _tag("time"), _utc(begin))
    own = etree.SubElement(made, _tag("extensions"))
    for key, value in log.meta.items():
        _add(own, f"{{{SPACE}}}{key}", value)
    if begin == NO_DATE:
        _add(own, f"{{{SPACE}}}no-date", "times count from the log's first sample")


def _read_off(channel: Channel, at: Array) -> tuple[str, str, Array, NDArray[np.bool_]]:
    """A channel's name, unit, values at times, and where it was sampled."""
    role = ROLES.get(channel.role or "")
    unit = role.assumed if role else channel.unit
    values = convert(channel.values, role.unit, unit) if role else channel.values
    inside = (at >= channel.time[0] - 1e-6) & (at <= channel.time[-1] + 1e-6)
    return role.header if role else channel.name, unit, np.interp(at, channel.time, values), inside


def _utc(moment: datetime) -> str:
    return moment.astimezone(UTC).isoformat(timespec="microseconds").replace("+00:00", "Z")


def _moment(text: str | None) -> datetime:
    """When the run began. GPX has no times without a day: a run without one begins where UTC's count does, which the
    metadata says; a local clock of unknown offset is written as if it were UTC, and the metadata holds it as it was."""
    try:
        found = datetime.fromisoformat(text or "")
    except ValueError:
        return NO_DATE
    return found if found.tzinfo else found.replace(tzinfo=UTC)
