"""The place Debrief: what a driver is asked to do and to keep after a run, the sheet, and what became of it."""

from lauftakt.web.debrief import cues, reading, views  # noqa: F401  (routes)
from lauftakt.web.debrief.views import blueprint

__all__ = ["blueprint"]
