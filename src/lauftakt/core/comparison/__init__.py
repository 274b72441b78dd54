"""Laps against a reference: delta, loss rate, spread over laps, grip of two runs, composite and median laps."""

from lauftakt.core.comparison.bands import Band, band
from lauftakt.core.comparison.delta import (
    Loss,
    beyond_doubt,
    delta_uncertainty,
    level,
    loss_rate,
    place_uncertainty,
    rate_uncertainty,
    stretch_loss,
    time_delta,
)
from lauftakt.core.comparison.joined import Joined, best_parts, joined_lap, median_lap
from lauftakt.core.comparison.trend import Trend, trend

__all__ = [
    "Band",
    "Joined",
    "Loss",
    "Trend",
    "band",
    "best_parts",
    "beyond_doubt",
    "delta_uncertainty",
    "joined_lap",
    "level",
    "loss_rate",
    "median_lap",
    "place_uncertainty",
    "rate_uncertainty",
    "stretch_loss",
    "time_delta",
    "trend",
]
