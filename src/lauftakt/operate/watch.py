"""Keeps parts running: one that ends by itself is started again, later and later where it ends again at once."""

import time
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Protocol

from lauftakt.operate.mariadb import CannotStart

Say = Callable[[str], None]

FIRST_S, LONGEST_S = 0.5, 30.0
# A part that ran for so long has got over whatever ended it before.
STEADY_S = 60.0


class Watchable(Protocol):
    """A part that can end by itself."""

    @property
    def name(self) -> str: ...

    @property
    def has_ended(self) -> bool: ...

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

    def __post_init__(self) -> None:
        self._since = self.clock()

    def look(self, say: Say) -> bool:
        """See to the part; True where it runs now."""
        if not self.part.has_ended:
            return True
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
