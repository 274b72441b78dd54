"""A limit of time for code that does not come back to report, such as a reader in an endless loop."""

import signal
import threading
from collections.abc import Iterator
from contextlib import contextmanager


class TookTooLong(Exception):
    """The time was over. ``ends_all``: who goes on with the next file after a failure must not go on after this."""

    ends_all = True


@contextmanager
def time_limit(seconds: float) -> Iterator[None]:
    """Interrupt the block after some seconds by an exception; only in a process's main thread, elsewhere no limit."""
    if threading.current_thread() is not threading.main_thread():
        yield
        return

    def stop(_signal: int, _frame: object) -> None:
        raise TookTooLong

    before = signal.signal(signal.SIGALRM, stop)
    signal.setitimer(signal.ITIMER_REAL, seconds)
    try:
        yield
    finally:
        signal.setitimer(signal.ITIMER_REAL, 0)
        signal.signal(signal.SIGALRM, before)
