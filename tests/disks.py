"""A small disk of our own, which can be really full."""

import os
import subprocess
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from tests.tools import missing


class SmallDisk:
    """A file system of a size, in memory."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self._filler = folder / "filler"

    @property
    def free(self) -> int:
        found = os.statvfs(self.folder)
        return found.f_bavail * found.f_frsize

    def fill(self, leave: int) -> None:
        """Let only so many bytes be free."""
        self.empty()
        wanted = self.free - leave
        if wanted > 0:
            with self._filler.open("wb") as file:
                os.posix_fallocate(file.fileno(), 0, wanted)

    def empty(self) -> None:
        self._filler.unlink(missing_ok=True)


@contextmanager
def small_disk(folder: Path, megabytes: int) -> Iterator[SmallDisk]:
    """Mount one; skips the test where this user may not."""
    folder.mkdir(parents=True, exist_ok=True)
    made = subprocess.run(
        ["mount", "-t", "tmpfs", "-o", f"size={megabytes}m,mode=700", "lauftakt", str(folder)], capture_output=True
    )
    if made.returncode:
        missing("no disk can be mounted by this user")
    try:
        yield SmallDisk(folder)
    finally:
        subprocess.run(["umount", "-l", str(folder)], check=False)
