"""Stops code that does not come back to report: after some time, or when another thread says so."""

import signal
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from types import FrameType

Interrupt = Callable[[Exception], None]


class TookTooLong(Exception):
    """The time was over. ``ends_all``: who goes on with the next file after a failure must not go on after this."""

    ends_all = True


@contextmanager
def time_limit(seconds: float) -> Iterator[Interrupt]:
    """Interrupt the block after some seconds by :class:`TookTooLong`; only in a process's main thread, elsewhere there
    is no limit. Blocks may lie in one another: each ends for its own reasons.

    Yields
    ------
    A function by which another thread interrupts the block with an exception of its own; only the first one counts.
    """
    if threading.current_thread() is not threading.main_thread():
        yield lambda _: None
        return
    reasons: list[Exception] = []
    main, lock, inside = threading.get_ident(), threading.Lock(), [True]
    until = time.monotonic() + seconds

    def stop(number: int, frame: FrameType | None) -> None:
        if inside and (reasons or time.monotonic() >= until):
            signal.setitimer(signal.ITIMER_REAL, 0)
            raise reasons[0] if reasons else TookTooLong
        # Not for this block: one around it is to end.
        if callable(before):
            before(number, frame)

    def interrupt(reason: Exception) -> None:
        with lock:
            if inside and not reasons:
                reasons.append(reason)
                signal.pthread_kill(main, signal.SIGALRM)

    before = signal.signal(signal.SIGALRM, stop)
    left, _ = signal.setitimer(signal.ITIMER_REAL, seconds)
    around = time.monotonic() + left if left else None
    try:
        yield interrupt
    finally:
        with lock:
            inside.clear()
        signal.setitimer(signal.ITIMER_REAL, 0)
        # A signal that is still on its way must not end the process, as it would by default.
        signal.signal(signal.SIGALRM, signal.SIG_IGN if before == signal.SIG_DFL else before)
        if around is not None:
            signal.setitimer(signal.ITIMER_REAL, max(around - time.monotonic(), 1e-3))
