"""What a driver did: channels along the laps, what stands in for those that were not logged, and the figures of each
lap in each corner.
"""

from lauftakt.core.technique.figures import Figures, Technique, figures
from lauftakt.core.technique.signals import Scale, Signals
from lauftakt.core.technique.traffic import held_up
from lauftakt.core.technique.windows import Window, stretch_window, windows

__all__ = ["Figures", "Scale", "Signals", "Technique", "Window", "figures", "held_up", "stretch_window", "windows"]
