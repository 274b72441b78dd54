"""What was worked out before and holds for good under its name, kept within bounds."""

from collections import OrderedDict
from collections.abc import Callable, Hashable
from threading import Lock
from typing import Generic, TypeVar

Found = TypeVar("Found")


class Kept(Generic[Found]):
    """The findings asked for last. A name must hold everything that a finding depends on."""

    def __init__(self, most: int) -> None:
        self._most, self._found, self._lock = most, OrderedDict[Hashable, Found](), Lock()

    def get(self, name: Hashable, make: Callable[[], Found]) -> Found:
        """What is kept under a name, made now where nothing is."""
        with self._lock:
            if name in self._found:
                self._found.move_to_end(name)
                return self._found[name]
        found = make()
        with self._lock:
            self._found[name] = found
            while len(self._found) > self._most:
                self._found.popitem(last=False)
        return found

    def find(self, name: Hashable) -> Found | None:
        """What is kept under a name, None where nothing is."""
        with self._lock:
            return self._found.get(name)

    def keep(self, name: Hashable, found: Found) -> None:
        """Keep something that was worked out together with others."""
        self.get(name, lambda: found)
