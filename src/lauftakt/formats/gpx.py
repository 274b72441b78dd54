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

from lauftakt.core.log.model import Log, RawChannel, RawLog, Unusable, Warning
from lauftakt.core.log.repairs import tidy_clock
from lauftakt.core.log.roles import ROLES
from lauftakt.formats.metadata import add_metadata, dated
from lauftakt.formats.units import convert

Array = NDArray[np.float64]

MOST_BYTES = 400_000_000
LEAST_POINTS = 20
SPACE = "urn:lauftakt:gpx:1"
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
    keep, time, warnings = tidy_clock(clock)
    meta: dict[str, str] = {}
    for key, value in (("driver", found.author_name), ("notes", found.description), ("event", found.name)):
        if value:
            add_metadata(meta, key, value)
    if found.tracks and found.tracks[0].name:
        add_metadata(meta, "driver", found.tracks[0].name)
    for extension in found.metadata_extensions:
        add_metadata(meta, etree.QName(extension).localname, extension.text or "")
    meta["date"] = first.isoformat()
    values: dict[str, tuple[str, Array]] = {
        "latitude": ("deg", np.array([p.latitude for p in timed])),
        "longitude": ("deg", np.array([p.longitude for p in timed])),
    }
    if any(p.elevation is not None for p in timed):
        values["altitude"] = ("m", np.array([np.nan if p.elevation is None else p.elevation for p in timed]))
    values |= _extensions(timed)
    channels, left_out = [], 0
    for name, (unit, own) in values.items():
        own = own[keep]
        there = np.isfinite(own)
        if there.any():
            channels.append(RawChannel(name, unit, time[there], own[there]))
        else:
            left_out += 1
    if left_out:
        warnings.append(Warning("channel-empty", f"{left_out} extensions hold no figures."))
    return RawLog(tuple(channels), dated(meta), tuple(warnings))


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
    latitude, longitude = log.role("latitude"), log.role("longitude")
    if latitude is None or longitude is None:
        raise Unusable("no-positions", "The run has no positions, so it cannot be written as a track.")
    begin = _moment(log.meta.get("date"))
    gpx = gpxpy.gpx.GPX()
    gpx.creator = "Lauftakt"
    gpx.time = begin  # without it the metadata would be left out
    gpx.nsmap["lauftakt"] = SPACE
    for key, value in log.meta.items():
        extension = etree.Element(f"{{{SPACE}}}{key}")
        extension.text = value
        gpx.metadata_extensions.append(extension)
    track = gpxpy.gpx.GPXTrack(name=log.meta.get("driver"))
    segment = gpxpy.gpx.GPXTrackSegment()
    track.segments.append(segment)
    gpx.tracks.append(track)
    others = [c for c in log.channels if c.role not in ("latitude", "longitude", "altitude") and len(c.time)]
    altitude = log.role("altitude")
    columns = []
    for channel in others:
        role = ROLES.get(channel.role or "")
        unit = role.assumed if role else channel.unit
        values = convert(channel.values, role.unit, unit) if role else channel.values
        inside = (latitude.time >= channel.time[0] - 1e-6) & (latitude.time <= channel.time[-1] + 1e-6)
        columns.append(
            (role.header if role else channel.name, unit, np.interp(latitude.time, channel.time, values), inside)
        )
    east = np.interp(latitude.time, longitude.time, longitude.values)
    height = None if altitude is None else np.interp(latitude.time, altitude.time, altitude.values)
    for index, at in enumerate(latitude.time):
        point = gpxpy.gpx.GPXTrackPoint(
            round(float(latitude.values[index]), 8),
            round(float(east[index]), 8),
            elevation=None if height is None else round(float(height[index]), 3),
            time=begin + timedelta(seconds=float(at)),
        )
        for name, unit, values, inside in columns:
            if inside[index]:
                element = etree.Element(f"{{{SPACE}}}channel", {"name": name, "unit": unit})
                element.text = f"{values[index]:.6g}"
                point.extensions.append(element)
        segment.points.append(point)
    path.write_text(gpx.to_xml(version="1.1"), encoding="utf-8")


def _moment(text: str | None) -> datetime:
    try:
        found = datetime.fromisoformat(text or "")
    except ValueError:
        return datetime(2000, 1, 1, tzinfo=UTC)
    return found if found.tzinfo else found.replace(tzinfo=UTC)
