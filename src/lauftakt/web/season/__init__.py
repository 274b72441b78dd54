"""Over days: progress of drivers and of the school, days and their course, the calendar, and search."""

from lauftakt.web.season import papers, search
from lauftakt.web.season.views import blueprint

__all__ = ["blueprint", "papers", "search"]
