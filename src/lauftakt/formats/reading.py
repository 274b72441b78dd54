"""Reads a log of any format that Lauftakt knows, recognised by its first bytes and not by its name."""

from pathlib import Path

from lauftakt.core.log.dialect import Dialect
from lauftakt.core.log.model import Log, RawLog, Unusable
from lauftakt.formats.csv_in import read_csv
from lauftakt.formats.interpreting import interpret

# Raised when a file gives other samples than before: kept files are then read again.
READER_VERSION = 2
# With which a file of ISO/IEC 14496-12 (MP4 and its kin) begins.
VIDEO_BOXES = (b"ftyp", b"moov", b"mdat", b"wide", b"free", b"skip")
LAYOUT_ENDINGS = (".geojson", ".json")


def kind_of(path: Path) -> str:
    """``zip``, ``mdf``, ``parquet``, ``arrow``, ``feather``, ``video``, ``gpx``, ``layout`` or ``csv``, by content."""
    with path.open("rb") as file:
        head = file.read(4096)
    if head[:4] in (b"PK\x03\x04", b"PK\x05\x06"):
        return "zip"
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
    if text[:1] in (b"{", b"[") or path.suffix.lower() in LAYOUT_ENDINGS:
        return "layout"
    return "csv"


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
        if kind == "zip":
            raise Unusable("file-kind", "This is an archive, not a log; unpack it and give its files.")
        if kind == "layout":
            raise Unusable("file-kind", "This is a layout or other data, not a log; give layouts with --layout.")
        if kind == "feather":
            raise Unusable(
                "file-kind",
                "This is a Feather file of the first version, which is out of use; save it as Feather version 2, Arrow "
                "or Parquet.",
            )
        if kind == "gpx":
            from lauftakt.formats.gpx import read_gpx

            return read_gpx(path)
        if kind == "mdf":
            from lauftakt.formats.mdf import read_mdf

            return read_mdf(path)
        if kind == "video":
            from lauftakt.formats.video import read_video

            return read_video(path)
        if kind in ("parquet", "arrow"):
            from lauftakt.formats.columnar import read_columnar

            return read_columnar(path, kind)
        return read_csv(path)
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
