"""Kinds of corner: slow, ordinary, fast, linked, over a crest, as a layout's own pace and heights tell them apart."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from statistics import median

from lauftakt.core.circuit.layout import Layout
from lauftakt.core.season.crest import LIGHT_MS2

SLOW, ORDINARY, FAST, LINKED, CREST = "slow", "ordinary", "fast", "linked", "crest"
KINDS = (SLOW, ORDINARY, FAST, LINKED, CREST)
# Shares of the mean speed of a lap: a kart loop has slow and fast corners as a grand circuit has.
SLOW_SHARE, FAST_SHARE = 0.6, 0.95


@dataclass(frozen=True)
class Kinds:
    """Kind of each passage by name, and the lowest speeds that part them, m/s."""

    of: Mapping[str, str]
    slow_ms: float
    fast_ms: float


def kinds_of(
    layout: Layout,
    slowest: Sequence[Mapping[str, float]],
    means: Sequence[float],
    lightness: Sequence[Mapping[str, float]] = (),
) -> Kinds | None:
    """What kind each passage of a layout is.

    Parameters
    ----------
    layout : with its passages; one with a corner over a crest is of that kind, one of several corners is linked,
        whatever the speed
    slowest : of each run, lowest speed by corner, m/s
    means : of each run, mean speed of its best lap, m/s
    lightness : of each run that tells it, by corner, m/s^2 (:func:`lauftakt.core.season.crest.lightness_of`)

    Returns
    -------
    None where no run tells. A passage whose speed is not known has no kind.
    """
    if not means or not slowest:
        return None
    mean = median(means)
    found = {}
    for passage in layout.passages:
        speeds = [run[corner] for run in slowest for corner in passage.corners if corner in run]
        pressed = {corner: [run[corner] for run in lightness if corner in run] for corner in passage.corners}
        if any(values and median(values) < LIGHT_MS2 for values in pressed.values()):
            found[passage.name] = CREST
        elif len(passage.corners) > 1:
            found[passage.name] = LINKED
        elif speeds:
            share = median(speeds) / mean
            found[passage.name] = SLOW if share < SLOW_SHARE else FAST if share > FAST_SHARE else ORDINARY
    return Kinds(found, SLOW_SHARE * mean, FAST_SHARE * mean)
