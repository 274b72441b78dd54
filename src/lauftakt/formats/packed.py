"""Files that are packed as a whole: gzip (RFC 1952), Zstandard (RFC 8878), bzip2 and xz, looked through to what they
hold."""

import bz2
import gzip
import lzma
import tempfile
import zlib
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

import zstandard

from lauftakt.core.log.model import Unusable

MOST_BYTES = 1_500_000_000
_CHUNK = 1 << 20
# A few bytes can stand for a hundred megabytes of the same letter: no more are taken at once.
_ZSTD_CHUNK = 4096
Opener = Callable[[Path], Iterator[bytes]]


def _parts(file: gzip.GzipFile | bz2.BZ2File | lzma.LZMAFile) -> Iterator[bytes]:
    while part := file.read(_CHUNK):
        yield part


def _gzip(path: Path) -> Iterator[bytes]:
    with gzip.open(path) as file:
        yield from _parts(file)


def _bzip2(path: Path) -> Iterator[bytes]:
    with bz2.open(path) as file:
        yield from _parts(file)


def _xz(path: Path) -> Iterator[bytes]:
    with lzma.open(path) as file:
        yield from _parts(file)


def _zstd(path: Path) -> Iterator[bytes]:
    frame = None
    with path.open("rb") as file:
        while data := file.read(_ZSTD_CHUNK):
            while data:
                # A window larger than what any file here needs would only take memory.
                frame = frame or zstandard.ZstdDecompressor(max_window_size=1 << 27).decompressobj()
                yield frame.decompress(data)
                ended, data = frame.eof, frame.unused_data
                if ended:
                    frame = None
                else:
                    data = b""
    if frame is not None:
        raise EOFError("a frame that does not end")


_OPENERS: dict[bytes, Opener] = {
    b"\x1f\x8b": _gzip,
    b"\x28\xb5\x2f\xfd": _zstd,
    b"BZh": _bzip2,
    b"\xfd7zXZ\x00": _xz,
}
_DAMAGED = (OSError, EOFError, ValueError, zlib.error, lzma.LZMAError, zstandard.ZstdError)


def opener_of(head: bytes) -> Opener | None:
    """What gives the parts of what is in a file that begins so, if it is packed."""
    return next((opener for sign, opener in _OPENERS.items() if head.startswith(sign)), None)


def beginning_of(path: Path, most: int) -> bytes:
    """The first bytes of what a file holds, unpacked where it is packed; what can be had where it is damaged."""
    with path.open("rb") as file:
        head = file.read(most)
    opener = opener_of(head)
    if opener is None:
        return head
    found = b""
    try:
        for part in opener(path):
            found += part
            if len(found) >= most:
                break
    except _DAMAGED:
        pass  # whoever reads all of it says so
    return found[:most]


@contextmanager
def unpacked(path: Path) -> Iterator[Path]:
    """The file itself where it is not packed, else one beside it for so long that holds what was in it.

    Raises
    ------
    Unusable
        ``packed`` where it is damaged, ``file-large`` where it holds too much.
    """
    with path.open("rb") as file:
        opener = opener_of(file.read(8))
    if opener is None:
        yield path
        return
    name = path.stem if path.suffix.lower() in (".gz", ".gzip", ".zst", ".zstd", ".bz2", ".xz") else path.name
    with tempfile.TemporaryDirectory(prefix="lauftakt-packed-") as folder:
        plain = Path(folder) / (name or "log")
        _unpack(path, plain, opener)
        yield plain


def _unpack(path: Path, plain: Path, opener: Opener) -> None:
    size = 0
    with plain.open("wb") as out:
        try:
            for part in opener(path):
                size += len(part)
                if size > MOST_BYTES:
                    raise Unusable(
                        "file-large",
                        f"The file unpacks to more than {MOST_BYTES // 1_000_000} MB; hand it in as parts.",
                    )
                out.write(part)
        except _DAMAGED as error:
            raise Unusable(
                "packed", "The compressed file is damaged or ends too early; compress it again, or hand it in as it is."
            ) from error
