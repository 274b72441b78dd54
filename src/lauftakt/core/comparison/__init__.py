"""Laps against a reference: delta, loss rate, spread over laps, grip of two runs, and the composite lap."""

from lauftakt.core.comparison.composite import Composite, composite_lap
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
from lauftakt.core.comparison.spread import Band, Trend, band, spread, steadiness, trend

__all__ = [
    "Band",
    "Composite",
    "Loss",
    "Trend",
    "band",
    "beyond_doubt",
    "composite_lap",
    "delta_uncertainty",
    "level",
    "loss_rate",
    "place_uncertainty",
    "rate_uncertainty",
    "spread",
    "steadiness",
    "stretch_loss",
    "time_delta",
    "trend",
]
