"""The rules and computation of the job: numpy and scipy only, no file format, database, web or screen.

Data flows one way: log -> run -> laps -> aligned laps -> comparison.
"""

from lauftakt.core.analysis import AnalysedRun, analyse_run, make_layout
from lauftakt.core.comparing import delta_uncertainty, loss_rate, part_loss, passage_loss, time_delta
from lauftakt.core.laps import Lap, LapTrace
from lauftakt.core.layout import Corner, Layout, Line, Passage
from lauftakt.core.log import Channel, Log, Unusable, Warning
from lauftakt.core.technique import Figures, figures

__all__ = [
    "AnalysedRun",
    "Channel",
    "Corner",
    "Figures",
    "Lap",
    "LapTrace",
    "Layout",
    "Line",
    "Log",
    "Passage",
    "Unusable",
    "Warning",
    "analyse_run",
    "delta_uncertainty",
    "figures",
    "loss_rate",
    "make_layout",
    "part_loss",
    "passage_loss",
    "time_delta",
]
