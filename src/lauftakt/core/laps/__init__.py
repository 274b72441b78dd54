"""A run cut into laps: what a lap is, which laps count (every rule of that is in :mod:`counting` and nowhere else), and
times of their parts.
"""

from lauftakt.core.laps.counting import best_of, counting_of, outcome, theoretical_best
from lauftakt.core.laps.cutting import split_laps
from lauftakt.core.laps.lap import Lap, LapTrace, reach
from lauftakt.core.laps.times import passage_times, sector_times, time_at

__all__ = [
    "Lap",
    "LapTrace",
    "best_of",
    "counting_of",
    "outcome",
    "passage_times",
    "reach",
    "sector_times",
    "split_laps",
    "theoretical_best",
    "time_at",
]
