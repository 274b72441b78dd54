"""Keeps parts running: one that ends by itself, or was frozen, is started again, later and later where it ends again at
once."""

import contextlib
import os
import signal
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Protocol

from lauftakt.operate.mariadb import CannotStart

Say = Callable[[str], None]

FIRST_S, LONGEST_S = 0.5, 30.0
# A part that ran for so long has got over whatever ended it before.
STEADY_S = 60.0
# A part whose main process was stopped by a signal, and does not go on, is replaced after this long.
FROZEN_S = float(os.environ.get("LAUFTAKT_FROZEN_S", "60"))


class Watchable(Protocol):
    """A part that can end by itself."""

    @property
    def name(self) -> str: ...

    @property
    def has_ended(self) -> bool: ...

    @property
    def main_process(self) -> int | None:
        """The number of its main process, where it is known."""

    def start_again(self) -> None:
        """Start it anew; raises CannotStart where it does not start."""


@dataclass
class Watch:
    """One part, and when it is to be started again."""

    part: Watchable
    clock: Callable[[], float] = time.monotonic
    _wait_s: float = FIRST_S
    _since: float = field(default=0.0, init=False)
    _next: float | None = field(default=None, init=False)
    _frozen_since: float | None = field(default=None, init=False)

    def __post_init__(self) -> None:
        self._since = self.clock()

    def look(self, say: Say) -> bool:
        """See to the part; True where it runs now."""
        if not self.part.has_ended:
            return not self._end_frozen(say)
        moment = self.clock()
        if self._next is None:
            if moment - self._since > STEADY_S:
                self._wait_s = FIRST_S
            self._next = moment + self._wait_s
            say(f"The {self.part.name} ended by itself; it is started again.")
        if moment < self._next:
            return False
        self._wait_s = min(2 * self._wait_s, LONGEST_S)
        try:
            self.part.start_again()
        except (CannotStart, OSError) as error:
            # Of the machine, too: no room on its disk, no more processes. It may be otherwise in a while.
            self._next = self.clock() + self._wait_s
            say(f"The {self.part.name} does not start yet, and is tried again in {self._wait_s:.0f} s: {error}")
            return False
        self._since, self._next = self.clock(), None
        say(f"The {self.part.name} runs again.")
        return True

    def _end_frozen(self, say: Say) -> bool:
        """End a part whose main process has stood still for long; True where it was."""
        number = self.part.main_process
        if number is None or not is_frozen(number):
            self._frozen_since = None
            return False
        moment = self.clock()
        self._frozen_since = moment if self._frozen_since is None else self._frozen_since
        if moment - self._frozen_since < FROZEN_S:
            return False
        say(f"The {self.part.name} stands still; it is ended.")
        self._frozen_since = None
        with contextlib.suppress(ProcessLookupError):
            os.kill(number, signal.SIGKILL)
        return True


def is_frozen(number: int) -> bool:
    """Whether a process was stopped by a signal and has not gone on."""
    try:
        told = Path(f"/proc/{number}/stat").read_text()
    except OSError:
        return False
    # The program's name stands in brackets before the state, and may hold brackets itself.
    return told.rpartition(")")[2].split()[0] == "T"
