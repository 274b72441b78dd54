"""Stops code that does not come back to report: after some time, or when another thread says so."""

import signal
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager

Interrupt = Callable[[Exception], None]


class TookTooLong(Exception):
    """The time was over. ``ends_all``: who goes on with the next file after a failure must not go on after this."""

    ends_all = True


@contextmanager
def time_limit(seconds: float) -> Iterator[Interrupt]:
    """Interrupt the block after some seconds by :class:`TookTooLong`; only in a process's main thread, elsewhere there
    is no limit.

    Yields
    ------
    A function by which another thread interrupts the block with an exception of its own; only the first one counts.
    """
    if threading.current_thread() is not threading.main_thread():
        yield lambda _: None
        return
    reasons: list[Exception] = []
    main, lock, inside = threading.get_ident(), threading.Lock(), [True]

    def stop(_signal: int, _frame: object) -> None:
        signal.setitimer(signal.ITIMER_REAL, 0)
        if inside:
            raise reasons[0] if reasons else TookTooLong

    def interrupt(reason: Exception) -> None:
        with lock:
            if inside and not reasons:
                reasons.append(reason)
                signal.pthread_kill(main, signal.SIGALRM)

    before = signal.signal(signal.SIGALRM, stop)
    signal.setitimer(signal.ITIMER_REAL, seconds)
    try:
        yield interrupt
    finally:
        with lock:
            inside.clear()
        signal.setitimer(signal.ITIMER_REAL, 0)
        # A signal that is still on its way must not end the process, as it would by default.
        signal.signal(signal.SIGALRM, signal.SIG_IGN if before == signal.SIG_DFL else before)
