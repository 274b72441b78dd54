"""How a lap is named where its name is kept: by its run and the second at which it begins in the log, so that a moved
start line does not make it another lap."""

from lauftakt.store.analyses import LapLike
from lauftakt.store.models import Run


def key_of(run: Run, lap: LapLike) -> str:
    """The address of a lap."""
    return f"{run.id}-{int(lap.start_s)}"
