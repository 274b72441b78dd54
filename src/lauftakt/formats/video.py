"""Video files that carry their own channels: time-stamped text and metadata tracks of MP4 and WebM.

The tracks are those of open standards (ISO/IEC 14496-12 and -30, 3GPP timed text, WebVTT in WebM); PyAV takes them out
of the container, :mod:`lauftakt.formats.cues` reads what they tell. The picture is not looked at.
"""

from collections.abc import Iterator
from datetime import datetime
from pathlib import Path
from typing import Any

import av
import numpy as np

from lauftakt.core.log.model import RawChannel, RawLog, Unusable, Warning
from lauftakt.core.log.repairs import check_span, tidy_clock
from lauftakt.formats.cues import MOST_NAMES, Cues
from lauftakt.formats.metadata import add_metadata, dated

LEAST_SAMPLES = 20
MOST_PACKET = 1_000_000
MOST_SAMPLES = 5_000_000
_LABELS = ("driver", "car", "circuit", "event")


def read_video(path: Path) -> RawLog:
    """Read the channels that a video carries beside its picture.

    Raises
    ------
    Unusable
        ``video`` (damaged), ``video-plain`` (without channels), ``no-rows``, ``clock``
    """
    try:
        with av.open(str(path)) as container:
            meta, warnings, channels = _read(container)
    except Unusable:
        raise
    except (av.error.FFmpegError, ValueError, EOFError, UnicodeError) as error:
        raise Unusable("video", "The video is damaged or was not closed; copy it from the camera again.") from error
    begin = min((float(channel.time[0]) for channel in channels), default=0.0)
    check_span(max((float(channel.time[-1]) for channel in channels), default=0.0) - begin)
    if max((len(channel.time) for channel in channels), default=0) < LEAST_SAMPLES:
        raise Unusable(
            "video-plain" if not channels else "no-rows",
            "This video carries no channels of the car that could be read; hand in the log recorded beside it.",
        )
    placed = (RawChannel(c.name, c.unit, c.time - begin, c.values) for c in channels)
    return RawLog(tuple(placed), dated(meta), tuple(warnings))


def _read(container: Any) -> tuple[dict[str, str], list[Warning], list[RawChannel]]:
    meta: dict[str, str] = {}
    told = {str(key).lower(): str(value) for key, value in container.metadata.items()}
    for key in _LABELS:
        if told.get(key):
            add_metadata(meta, key, told[key])
    started = told.get("creation_time", "")
    if started[:4].isdigit() and int(started[:4]) > 1990:
        meta["date"] = datetime.fromisoformat(started).isoformat()
    tracks = [stream for stream in container.streams if stream.type in ("data", "subtitle")]
    if not tracks:
        return meta, [], []
    found: dict[tuple[int, str], tuple[str, list[float], list[float]]] = {}
    cues = {stream.index: Cues() for stream in tracks}
    count = 0
    for index, at, lasting, text in _packets(container, tracks):
        samples = cues[index].read(text)
        for number, sample in enumerate(samples):
            # Several samples of one packet were taken at equal distances while it lasted.
            moment = at + lasting * number / len(samples)
            for name, (value, unit) in sample.items():
                if (index, name) not in found and len(found) >= MOST_NAMES:
                    continue
                own = found.setdefault((index, name), (unit, [], []))
                own[1].append(moment)
                own[2].append(value)
                count += 1
        if count > MOST_SAMPLES:
            raise Unusable("file-large", "The video carries more figures than any log; hand in the log beside it.")
    warnings: list[Warning] = []
    channels: list[RawChannel] = []
    taken: set[str] = set()
    for (_, name), (unit, times, values) in found.items():
        keep, time, repairs = tidy_clock(np.array(times))
        warnings += [item for item in repairs if item not in warnings]
        called, more = name, 2
        while called in taken:
            called, more = f"{name} ({more})", more + 1
        taken.add(called)
        if len(time):
            first = float(np.array(times)[keep][0])
            channels.append(RawChannel(called, unit, time + first, np.array(values)[keep]))
    return meta, warnings, channels


def _packets(container: Any, tracks: list[Any]) -> Iterator[tuple[int, float, float, str]]:
    """Track, beginning and length in seconds, and text of every packet."""
    for packet in container.demux(tracks):
        if not packet.size or packet.size > MOST_PACKET or packet.pts is None:
            continue
        stream = packet.stream
        base = float(packet.time_base or stream.time_base)
        data = bytes(packet)
        if stream.type == "subtitle" and stream.codec_context.name == "mov_text":
            data = data[2 : 2 + int.from_bytes(data[:2], "big")]
        elif data[4:8] in (b"vttc", b"vtte"):
            data = _payload(data)
        yield stream.index, float(packet.pts) * base, float(packet.duration or 0) * base, _text(data)


def _payload(data: bytes) -> bytes:
    """The cue texts in the boxes of a WebVTT sample (ISO/IEC 14496-30)."""
    found, at = b"", 0
    while at + 8 <= len(data):
        size = int.from_bytes(data[at : at + 4], "big")
        if size < 8:
            break
        kind, body = data[at + 4 : at + 8], data[at + 8 : at + size]
        found += _payload(body) if kind == b"vttc" else body if kind == b"payl" else b""
        at += size
    return found


def _text(data: bytes) -> str:
    """UTF-8, or nothing: other tracks hold bytes that mean something to one maker only."""
    try:
        return data.decode("utf-8")
    except UnicodeDecodeError:
        return ""
