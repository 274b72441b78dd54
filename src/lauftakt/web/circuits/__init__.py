"""Circuit: the map, its corners, passages, sectors and marks; what a change would do, keeping it, and the way back."""

from lauftakt.web.circuits import changing, edges, marks, previews, sheets, views  # noqa: F401  (routes)
from lauftakt.web.circuits.views import blueprint

__all__ = ["blueprint"]
