"""Reads a log of any format that Lauftakt knows, recognised by its first bytes and not by its name."""

import re
from collections.abc import Callable
from pathlib import Path

from lauftakt.core.log.dialect import Dialect
from lauftakt.core.log.model import Log, RawLog, Unusable
from lauftakt.formats.csv_in import read_csv
from lauftakt.formats.interpreting import interpret
from lauftakt.formats.json_in import kind_of_json, read_json
from lauftakt.formats.nmea import is_nmea, read_nmea
from lauftakt.formats.packed import beginning_of, opener_of, unpacked
from lauftakt.formats.spreadsheets import is_spreadsheet

# Raised when a file gives other samples than before: kept files are then read again.
READER_VERSION = 3
# With which a file of ISO/IEC 14496-12 (MP4 and its kin) begins.
VIDEO_BOXES = (b"ftyp", b"moov", b"mdat", b"wide", b"free", b"skip")
LAYOUT_ENDINGS = (".geojson", ".json")
# A head of a table may begin with a bracket: a unit, or a name in brackets.
_NAMED_HEAD = re.compile(rb"\[[^\[\]{}\"\d-][^\[\]{}\"]*\]")


def kind_of(path: Path) -> str:
    """What a file holds, by content: ``zip``, ``archive`` (packed in another), ``spreadsheet``, ``mdf``, ``parquet``,
    ``arrow``, ``feather``, ``video``, ``gpx``, ``kml``, ``layout``, ``track`` (GeoJSON with times), ``json``, ``nmea``
    or ``csv``. A file that is packed as a whole is what was packed."""
    head = beginning_of(path, 4096)
    with path.open("rb") as file:
        packed = opener_of(file.read(8)) is not None
    if head[:4] in (b"PK\x03\x04", b"PK\x05\x06") or head[257:262] == b"ustar":
        if packed or head[257:262] == b"ustar":
            return "archive"
        return "spreadsheet" if is_spreadsheet(path) else "zip"
    if head[:8] in (b"MDF     ", b"UnFinMF "):
        return "mdf"
    if head[:4] == b"PAR1":
        return "parquet"
    if head[:6] == b"ARROW1" or head[:4] == b"\xff\xff\xff\xff":
        return "arrow"
    if head[:4] == b"FEA1":
        return "feather"
    if head[4:8] in VIDEO_BOXES or head[:4] == b"\x1aE\xdf\xa3":
        return "video"
    text = head.lstrip(b"\xef\xbb\xbf \t\r\n")
    if text[:1] == b"<" and (b"<gpx" in head or path.suffix.lower() == ".gpx"):
        return "gpx"
    if text[:1] == b"<" and b"<kml" in head:
        return "kml"
    if text[:1] in (b"{", b"[") and not _NAMED_HEAD.match(text):
        with unpacked(path) as plain:
            return kind_of_json(plain)
    if path.suffix.lower() in LAYOUT_ENDINGS:
        return "layout"
    return "nmea" if is_nmea(head) else "csv"


def _reader_of(kind: str) -> Callable[[Path], RawLog] | None:
    """What reads a kind of file; loaded where it is needed, since some of what it stands on is slow to load."""
    if kind == "gpx":
        from lauftakt.formats.gpx import read_gpx

        return read_gpx
    if kind == "kml":
        from lauftakt.formats.kml import read_kml

        return read_kml
    if kind == "mdf":
        from lauftakt.formats.mdf import read_mdf

        return read_mdf
    if kind == "video":
        from lauftakt.formats.video import read_video

        return read_video
    if kind in ("parquet", "arrow"):
        from lauftakt.formats.columnar import read_columnar

        return lambda path: read_columnar(path, kind)
    if kind == "spreadsheet":
        from lauftakt.formats.spreadsheets import read_spreadsheet

        return read_spreadsheet
    if kind == "track":
        from lauftakt.formats.track_geojson import read_track

        return read_track
    return {"json": read_json, "nmea": read_nmea, "csv": read_csv}.get(kind)


_REFUSED = {
    "zip": "This is an archive, not a log; unpack it and give its files.",
    "archive": "This is an archive, not a log; unpack it and give its files.",
    "layout": "This is a layout or other data, not a log; give layouts with --layout.",
    "feather": "This is a Feather file of the first version, which is out of use; save it as Feather version 2, Arrow "
    "or Parquet.",
}


def read_raw(path: Path) -> RawLog:
    """Read one log file as it is, which need not be trusted.

    Raises
    ------
    Unusable
        with a sentence that says what is wrong and what to do.
    """
    try:
        if path.is_dir():
            raise Unusable("file-missing", "This is a folder, not a log file.")
        kind = kind_of(path)
        reader = _reader_of(kind)
        if reader is None:
            raise Unusable("file-kind", _REFUSED[kind])
        with unpacked(path) as plain:
            return reader(plain)
    except FileNotFoundError as error:
        raise Unusable("file-missing", "There is no such file.") from error
    except PermissionError as error:
        raise Unusable("file-missing", "The file may not be read by this user.") from error
    except OSError as error:
        raise Unusable(
            "file-missing", f"The file cannot be read: {error.strerror or 'input or output error'}."
        ) from error


def read_log(path: Path, dialect: Dialect | None = None) -> Log:
    """Read one log file and say what its channels stand for.

    Raises
    ------
    Unusable
        see :func:`read_raw`
    """
    return interpret(read_raw(path), dialect)
