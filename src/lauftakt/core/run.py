"""What was computed of one run on one layout: data only."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lauftakt.core.circuit.layout import Layout
from lauftakt.core.laps.counting import best_of, counting_of, theoretical_best
from lauftakt.core.laps.lap import Lap, LapTrace
from lauftakt.core.laps.times import passage_draws, passage_times
from lauftakt.core.log.model import Warning
from lauftakt.core.technique.figures import Technique
from lauftakt.core.technique.signals import Scale, Signals

Array = NDArray[np.float64]

# Combined acceleration that a run reaches now and then in every corner, and no single spike.
GRIP_PERCENTILE = 98


@dataclass(frozen=True)
class AnalysedRun:
    """Everything computed from one run on one layout.

    Attributes
    ----------
    laps : all laps, in order
    traces : of the timed laps, by lap number
    scale : what "some brake" and "full throttle" mean in this run
    signals : what the driver did along the timed laps; None where there are none
    technique : figures of each timed lap by number, one for each corner of the layout; None where there are none
    passage_s, passage_draws_s : by number, seconds in each passage, (p,), and draws of their error, (p, m)
    speed_scale, delay_s : estimated factor of the logged speed; how much later positions are than speeds
    grip_level : 98th percentile of combined acceleration over the laps that count, m/s^2; None without timed laps
    """

    laps: tuple[Lap, ...]
    traces: dict[int, LapTrace]
    scale: Scale
    signals: Signals | None
    technique: Technique | None
    passage_s: dict[int, Array]
    passage_draws_s: dict[int, Array]
    speed_scale: float
    delay_s: float
    grip_level: float | None
    warnings: tuple[Warning, ...]

    @property
    def counting(self) -> tuple[Lap, ...]:
        """Timed laps that are not set aside."""
        return tuple(counting_of(self.laps))

    @property
    def best_lap(self) -> Lap | None:
        """The fastest lap that counts."""
        return best_of(self.laps)

    @property
    def went_another_way(self) -> bool:
        """Whether every lap crossed the start line and left the circuit elsewhere: it was another way round."""
        between = self.laps[1:-1]
        left = any(warning.code == "pit-lane" for warning in self.warnings)
        return left and len(between) >= 2 and all(lap.kind == "part" for lap in self.laps[1:-1])

    def theoretical_best_s(self) -> float | None:
        """Sum of the best sector times over the laps that count, seconds."""
        return theoretical_best(self.laps)

    def unbroken_best_s(self) -> float | None:
        """Fastest full circuit of consecutive sectors, wherever it starts, over laps that count, seconds."""
        counting = {lap.number: lap for lap in self.counting}
        best: float | None = None
        for number, lap in counting.items():
            following = counting.get(number + 1)
            own = lap.sector_times_s
            for first in range(len(own)):
                if first and (following is None or abs(following.start_s - lap.end_s) > 0.01):
                    break
                time = sum(own[first:]) + (sum(following.sector_times_s[:first]) if first and following else 0.0)
                best = time if best is None else min(best, time)
        return best


def put_together(
    laps: Sequence[Lap],
    traces: dict[int, LapTrace],
    signals: Signals | None,
    technique: Technique | None,
    layout: Layout,
    *,
    scale: Scale,
    speed_scale: float,
    delay_s: float,
    warnings: tuple[Warning, ...] = (),
) -> AnalysedRun:
    """An analysed run from its parts, just computed or kept from earlier; draws may be missing.

    Parameters
    ----------
    laps, traces, signals, technique, scale, speed_scale, delay_s, warnings : see :class:`AnalysedRun`
    layout : the one it was analysed on
    """
    return AnalysedRun(
        laps=tuple(laps),
        traces=traces,
        scale=scale,
        signals=signals,
        technique=technique,
        passage_s={number: passage_times(trace, layout) for number, trace in traces.items()},
        passage_draws_s={number: passage_draws(trace, layout) for number, trace in traces.items()},
        speed_scale=speed_scale,
        delay_s=delay_s,
        grip_level=None if signals is None else _grip(signals, counting_rows(laps, signals)),
        warnings=warnings,
    )


def counting_rows(laps: Sequence[Lap], signals: Signals) -> list[int]:
    """Rows of the signals whose laps count."""
    counting = {lap.number for lap in counting_of(laps)}
    return [row for row, number in enumerate(signals.numbers) if number in counting]


def _grip(signals: Signals, rows: list[int]) -> float:
    """High percentile of combined acceleration, m/s^2; over all laps where none counts."""
    rows = rows or list(range(len(signals.numbers)))
    driven = np.isfinite(signals.time[rows])
    combined = np.hypot(signals.ahead[rows], signals.aside[rows])
    return float(np.percentile(combined[driven], GRIP_PERCENTILE))
