"""Parts of laps behind another car, as people correct them: told in the log's time, so no moved line loses them."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from lauftakt.core.laps.lap import Lap, LapTrace


@dataclass(frozen=True)
class SaidOfTraffic:
    """From and to in the log, s: there another car was in the way (``held``), or none was."""

    from_s: float
    to_s: float
    held: bool


Part = tuple[float, float]


def corrected(
    laps: Sequence[Lap], traces: dict[int, LapTrace], said: Sequence[SaidOfTraffic], length: float
) -> list[Lap]:
    """Laps with their held-up parts as people said, later words over earlier ones.

    Parameters
    ----------
    laps : with the parts that were recognised
    traces : of the timed ones, by number
    said : in the order in which it was said
    length : of the lap, m

    Returns
    -------
    The laps; parts are (from, to) in metres and stay inside the lap.
    """
    if not said:
        return list(laps)
    found = []
    for lap in laps:
        trace = traces.get(lap.number)
        if trace is None:
            found.append(lap)
            continue
        parts = list(lap.held_up)
        for word in said:
            if word.to_s <= lap.start_s or word.from_s >= lap.end_s:
                continue
            since = np.array([word.from_s, word.to_s]) - lap.start_s
            known = np.isfinite(trace.reach_time)
            low, high = np.interp(since, trace.reach_time[known], trace.reach_s[known])
            own = (max(0.0, float(low)), min(length, float(high)))
            if own[1] > own[0]:
                parts = _joined([*parts, own]) if word.held else _without(parts, own)
        found.append(replace(lap, held_up=tuple(parts)))
    return found


def _joined(parts: Sequence[Part]) -> list[Part]:
    joined: list[Part] = []
    for low, high in sorted(parts):
        if joined and low <= joined[-1][1]:
            joined[-1] = (joined[-1][0], max(joined[-1][1], high))
        else:
            joined.append((low, high))
    return joined


def _without(parts: Sequence[Part], gone: Part) -> list[Part]:
    left: list[Part] = []
    for low, high in parts:
        left += [(a, b) for a, b in ((low, min(high, gone[0])), (max(low, gone[1]), high)) if b - a > 1.0]
    return left
