"""The rules and computation of the job: numpy and scipy only, no file format, database, web or screen.

Data flows one way, through the parts in this order: ``plane`` and ``log`` (what was logged), ``circuit`` (where),
``placing`` (where at every moment), ``laps``, ``technique`` (what the driver did), ``run`` (all of it as data),
``comparison`` and ``findings``. ``registry`` says what each channel and figure is, ``pipeline`` is the way through it
all. What is named here is loaded when it is first asked for, so that a small question does not load everything.
"""

import importlib
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from lauftakt.core.circuit.layout import Corner, Layout, LayoutSketch, Line, Passage
    from lauftakt.core.comparison.delta import delta_uncertainty, loss_rate, stretch_loss, time_delta
    from lauftakt.core.laps.lap import Lap, LapTrace
    from lauftakt.core.log.model import Channel, Log, Unusable, Warning
    from lauftakt.core.pipeline import analyse_run, make_layout
    from lauftakt.core.run import AnalysedRun
    from lauftakt.core.technique.figures import Figures

_PLACES = {
    "circuit.layout": ("Corner", "Layout", "LayoutSketch", "Line", "Passage"),
    "comparison.delta": ("delta_uncertainty", "loss_rate", "stretch_loss", "time_delta"),
    "laps.lap": ("Lap", "LapTrace"),
    "log.model": ("Channel", "Log", "Unusable", "Warning"),
    "pipeline": ("analyse_run", "make_layout"),
    "run": ("AnalysedRun",),
    "technique.figures": ("Figures",),
}
_WHERE = {name: module for module, names in _PLACES.items() for name in names}


def __getattr__(name: str) -> Any:
    if name not in _WHERE:
        raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
    return getattr(importlib.import_module(f"{__name__}.{_WHERE[name]}"), name)


__all__ = [
    "AnalysedRun",
    "Channel",
    "Corner",
    "Figures",
    "Lap",
    "LapTrace",
    "Layout",
    "LayoutSketch",
    "Line",
    "Log",
    "Passage",
    "Unusable",
    "Warning",
    "analyse_run",
    "delta_uncertainty",
    "loss_rate",
    "make_layout",
    "stretch_loss",
    "time_delta",
]
