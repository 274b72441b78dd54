"""Where was driven: centre line, lines across it, corners, passages, sectors, and a layout drafted from logs."""

from lauftakt.core.circuit.centre import CentreLine
from lauftakt.core.circuit.layout import Corner, Layout, LayoutSketch, Line, Passage
from lauftakt.core.circuit.passages import passage_range

__all__ = ["CentreLine", "Corner", "Layout", "LayoutSketch", "Line", "Passage", "passage_range"]
