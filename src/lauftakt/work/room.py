"""Room on the disks: what takes it pauses before there is none left, and the database keeps a reserve that nothing else
gets. A database whose disk is full ends, and with it everybody's work."""

import errno
import shutil
from collections.abc import Iterable
from pathlib import Path

from sqlalchemy.exc import DBAPIError

from lauftakt import settings

# What the database's errors say where its disk is full (ER_DISK_FULL, ER_RECORD_FILE_FULL, ER_GET_ERRNO with 28).
FULL = (1021, 1114)
FULL_BY_NUMBER = 1030
# A run takes about this much more than its file: its bytes are kept, its channels and curves beside them.
TIMES_A_FILE = 3


class NoRoom(Exception):
    """There is too little room on a disk to begin or to go on."""


def free_bytes(var: Path) -> int:
    """The least that is free on a disk that holds data: the folder's own, and the database's where it is another."""
    return min(shutil.disk_usage(place).free for place in _places(var))


def _places(var: Path) -> Iterable[Path]:
    yield var if var.exists() else var.parent
    for name in ("database", "inbox"):
        if (var / name).is_dir():
            yield var / name


def short_of(var: Path, wanted: int = 0) -> int:
    """By how many bytes there is too little room for something beside the reserve; 0 where there is enough."""
    return max(0, settings.reserve_megabytes() * 1_000_000 + wanted - free_bytes(var))


def need(var: Path, wanted: int = 0) -> None:
    """Go on only where there is room.

    Raises
    ------
    NoRoom
    """
    short = short_of(var, wanted)
    if short:
        raise NoRoom(told(short))


def told(short: int) -> str:
    """The sentence for whoever waits."""
    return (
        f"The disk of the machine that runs Lauftakt is nearly full: {max(1, round(short / 1e6)):,} MB more are "
        "needed. "
        "Nothing is lost; it goes on by itself when there is room."
    )


def is_full(error: BaseException) -> bool:
    """Whether something failed because a disk is full, ours or the database's."""
    if isinstance(error, NoRoom):
        return True
    if isinstance(error, OSError):
        return error.errno in (errno.ENOSPC, errno.EDQUOT)
    if isinstance(error, DBAPIError) and error.orig is not None:
        code, *rest = error.orig.args or (None,)
        return code in FULL or (code == FULL_BY_NUMBER and any("28" in str(text) for text in rest))
    return False
