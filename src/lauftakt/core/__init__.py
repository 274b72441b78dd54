"""The rules and computation of the job: numpy and scipy only, no file format, database, web or screen.

Data flows one way: log -> run -> laps -> aligned laps -> comparison -> findings.
"""

from lauftakt.core.analysis import AnalysedRun, analyse_run, make_layout
from lauftakt.core.comparing import delta_uncertainty, loss_rate, stretch_loss, time_delta
from lauftakt.core.laps import Lap, LapTrace
from lauftakt.core.layout import Corner, Layout, LayoutSketch, Line, Passage
from lauftakt.core.log import Channel, Log, Unusable, Warning
from lauftakt.core.technique import Figures

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
