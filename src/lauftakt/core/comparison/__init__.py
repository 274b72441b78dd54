"""Laps against a reference: delta, loss rate, spread over laps, grip of two runs, and the composite lap."""

from lauftakt.core.comparison.composite import Composite, composite_lap
from lauftakt.core.comparison.delta import Loss, delta_uncertainty, loss_rate, stretch_loss, time_delta
from lauftakt.core.comparison.spread import Band, Trend, band, spread, steadiness, trend

__all__ = [
    "Band",
    "Composite",
    "Loss",
    "Trend",
    "band",
    "composite_lap",
    "delta_uncertainty",
    "loss_rate",
    "spread",
    "steadiness",
    "stretch_loss",
    "time_delta",
    "trend",
]
