"""How a lap is named where its name is kept: by its run and the second at which it begins in the log, so that a moved
start line does not make it another lap."""

from lauftakt.store.analyses import LapLike
from lauftakt.store.models import Run

# What a coach may have said of a day, besides the address of a lap.
OWN_BESTS = "own-bests"


def key_of(run: Run, lap: LapLike) -> str:
    """The address of a lap."""
    return key_at(run.id, int(lap.start_s))


def key_at(run_id: int, second: int) -> str:
    """The address of the lap of a run that begins in a second of its log."""
    return f"{run_id}-{second}"


def lap_of(key: str) -> tuple[int, int]:
    """The inverse of :func:`key_at`."""
    run, _, second = key.partition("-")
    return int(run), int(second)
