"""Writes video files without a picture: one timed track in MP4 or in WebM, by the open standards alone."""

import struct
from collections.abc import Sequence

STEP_MS = 100


def box(kind: bytes, *parts: bytes) -> bytes:
    """A box of ISO/IEC 14496-12."""
    body = b"".join(parts)
    return struct.pack(">I", 8 + len(body)) + kind + body


def _full(kind: bytes, *parts: bytes, flags: int = 0) -> bytes:
    return box(kind, struct.pack(">I", flags), *parts)


_ENTRY = b"\0" * 6 + struct.pack(">H", 1)
# How a track says what its samples are: metadata with a media type, 3GPP timed text, WebVTT.
ENTRIES = {
    "mett": (b"meta", box(b"mett", _ENTRY, b"\0", b"application/json\0")),
    "tx3g": (b"sbtl", box(b"tx3g", _ENTRY, b"\0" * 30)),
    "wvtt": (b"text", box(b"wvtt", _ENTRY, box(b"vttC", b"WEBVTT"))),
}


def mp4(cues: Sequence[str], kind: str, begin_ms: int = 0) -> bytes:
    """A file with one track of cues, ``STEP_MS`` apart; ``kind`` is one of ``ENTRIES``."""
    handler, entry = ENTRIES[kind]
    samples = [cue.encode() for cue in cues]
    if kind == "tx3g":
        samples = [struct.pack(">H", len(sample)) + sample for sample in samples]
    if kind == "wvtt":
        samples = [box(b"vttc", box(b"payl", sample)) for sample in samples]
    head = box(b"ftyp", b"isom", struct.pack(">I", 512), b"isomiso2mp41")
    at = len(head) + len(_moov(samples, handler, entry, 0)) + 8
    return head + _moov(samples, handler, entry, at) + box(b"mdat", *samples)


def _moov(samples: list[bytes], handler: bytes, entry: bytes, at: int) -> bytes:
    count, matrix = len(samples), struct.pack(">9I", 0x10000, 0, 0, 0, 0x10000, 0, 0, 0, 0x40000000)
    lasts = count * STEP_MS
    table = box(
        b"stbl",
        _full(b"stsd", struct.pack(">I", 1), entry),
        _full(b"stts", struct.pack(">III", 1, count, STEP_MS)),
        _full(b"stsc", struct.pack(">IIII", 1, 1, count, 1)),
        _full(b"stsz", struct.pack(">II", 0, count), *(struct.pack(">I", len(sample)) for sample in samples)),
        _full(b"stco", struct.pack(">II", 1, at)),
    )
    here = box(b"dinf", _full(b"dref", struct.pack(">I", 1), _full(b"url ", flags=1)))
    media = box(
        b"mdia",
        _full(b"mdhd", struct.pack(">IIIIHH", 0, 0, 1000, lasts, 0x55C4, 0)),
        _full(b"hdlr", b"\0" * 4, handler, b"\0" * 12, b"channels\0"),
        box(b"minf", _full(b"nmhd"), here, table),
    )
    track = _full(b"tkhd", struct.pack(">5I", 0, 0, 1, 0, lasts), b"\0" * 16, matrix, b"\0" * 8, flags=3)
    movie = struct.pack(">IIIIIH", 0, 0, 1000, lasts, 0x10000, 0x100) + b"\0" * 10 + matrix + b"\0" * 24
    return box(b"moov", _full(b"mvhd", movie, struct.pack(">I", 2)), box(b"trak", track, media))


def webm(cues: Sequence[str]) -> bytes:
    """A WebM file with one track of WebVTT metadata."""

    def element(name: str, *parts: bytes) -> bytes:
        body = b"".join(parts)
        return bytes.fromhex(name) + struct.pack(">Q", len(body) | 1 << 56) + body

    def number(name: str, value: int) -> bytes:
        return element(name, value.to_bytes(4, "big"))

    head = element(
        "1A45DFA3", number("4286", 1), number("42F7", 1), number("42F2", 4), number("42F3", 8),
        element("4282", b"webm"), number("4287", 4), number("4285", 2),
    )  # fmt: skip
    info = element("1549A966", number("2AD7B1", 1_000_000), element("4D80", b"made"), element("5741", b"made"))
    track = element("AE", number("D7", 1), number("73C5", 1), number("83", 17), element("86", b"D_WEBVTT/METADATA"))
    blocks = [
        element(
            "1F43B675",
            number("E7", index * STEP_MS),
            element("A0", element("A1", b"\x81\0\0\0\n\n" + cue.encode()), number("9B", STEP_MS)),
        )
        for index, cue in enumerate(cues)
    ]
    return head + element("18538067", info, element("1654AE6B", track), *blocks)
