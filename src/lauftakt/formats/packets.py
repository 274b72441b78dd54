"""Telemetry packets of a live stream: Lauftakt's own open format, see docs/formats.md.

Every packet is one UDP datagram, little-endian. A *sample* has the magic ``LTS1``; a *label* packet has ``LTL1`` and
says who drives what and where, as JSON.
"""

import json
import math
import struct
from dataclasses import dataclass, fields

SAMPLE, LABEL = b"LTS1", b"LTL1"
_HEAD = struct.Struct("<4sIId")
_BODY = struct.Struct("<ddffffffffffI")
SIZE = _HEAD.size + _BODY.size
LABEL_KEYS = ("driver", "car", "circuit", "event", "kind", "conditions", "tyres")


@dataclass(frozen=True)
class Sample:
    """One moment of a stream, in the roles' canonical units; left and forwards are positive.

    ``run`` changes when the simulator starts anew, ``number`` counts the packets of a run, ``time`` is in seconds of
    the simulator's clock, ``lap`` counts crossings of the start line.
    """

    run: int
    number: int
    time: float
    latitude: float
    longitude: float
    speed: float
    throttle: float
    brake_pedal: float
    steering: float
    gear: float
    engine_speed: float
    lateral_acceleration: float
    longitudinal_acceleration: float
    yaw_rate: float
    lap_distance: float
    lap: int


CHANNELS = tuple(field.name for field in fields(Sample) if field.name not in ("run", "number", "time", "lap"))


def encode(sample: Sample) -> bytes:
    """A sample as a datagram."""
    head = _HEAD.pack(SAMPLE, sample.run, sample.number, sample.time)
    return head + _BODY.pack(*(getattr(sample, name) for name in CHANNELS), sample.lap)


def encode_labels(run: int, labels: dict[str, str]) -> bytes:
    """Labels as a datagram."""
    return LABEL + struct.pack("<I", run) + json.dumps(labels, ensure_ascii=False).encode()[:1200]


def decode(data: bytes) -> Sample | tuple[int, dict[str, str]] | None:
    """What a datagram holds: a sample, a run with its labels, or None for anything else (which is not ours)."""
    if data[:4] == SAMPLE and len(data) == SIZE:
        _, run, number, time = _HEAD.unpack_from(data)
        *values, lap = _BODY.unpack_from(data, _HEAD.size)
        if not all(math.isfinite(value) for value in (time, *values)):
            return None
        return Sample(run=run, number=number, time=time, lap=lap, **dict(zip(CHANNELS, values, strict=True)))
    if data[:4] == LABEL and len(data) > 8:
        try:
            found = json.loads(data[8:].decode())
        except (ValueError, RecursionError):
            return None
        if not isinstance(found, dict):
            return None
        clean = {
            key: "".join(c for c in value if c.isprintable())[:200]
            for key, value in found.items()
            if key in LABEL_KEYS and isinstance(value, str)
        }
        return struct.unpack_from("<I", data, 4)[0], clean
    return None
