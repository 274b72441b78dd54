"""Puts bytes where they are to stay, so that a row that says they are there is true even after the power failed.

A file's bytes, and the folder that names it, are written through to the disk before the row is committed.
"""

import errno
import os
import shutil
from pathlib import Path

# Where a disk gives no second name: not allowed, another disk, too many names, not known there.
NO_SECOND_NAME = (errno.EPERM, errno.EXDEV, errno.EMLINK, errno.EOPNOTSUPP)


def sync_folder(folder: Path) -> None:
    """Write a folder's names through to the disk."""
    number = os.open(folder, os.O_RDONLY | os.O_DIRECTORY)
    try:
        os.fsync(number)
    finally:
        os.close(number)


def sync_file(path: Path) -> None:
    """Write a file's bytes through to the disk."""
    with path.open("rb") as file:
        os.fsync(file.fileno())


def put_beside(path: Path, target: Path, *, same_disk: bool) -> None:
    """Let a file's bytes be at another place, too, whole or not at all; the first place stays as it is until the caller
    has committed what says so.

    Parameters
    ----------
    path, target : from where, and where to
    same_disk : whether a second name for the same bytes will do: nobody changes them at the first place
    """
    if same_disk:
        try:
            sync_file(path)
            os.link(path, target)
            sync_folder(target.parent)
            return
        except FileExistsError:
            target.unlink()
            os.link(path, target)
            sync_folder(target.parent)
            return
        except OSError as error:
            if error.errno not in NO_SECOND_NAME:
                raise
    part = target.with_suffix(".part")
    try:
        shutil.copyfile(path, part)
        sync_file(part)
        part.replace(target)
    except BaseException:
        part.unlink(missing_ok=True)
        raise
    sync_folder(target.parent)
