"""Programs that we start must not outlive us, also when we are killed."""

import ctypes
import signal

_PR_SET_PDEATHSIG = 1
_LIBC = ctypes.CDLL(None, use_errno=True)


def die_with_parent() -> None:
    """Called in a child between fork and exec: the kernel then asks it to end when the thread that started it is gone,
    and so with its parent (Linux). Whoever starts it therefore does so in a thread that lasts."""
    _LIBC.prctl(_PR_SET_PDEATHSIG, signal.SIGTERM, 0, 0, 0)
