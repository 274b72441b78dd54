"""Compare: the line-up, its curves, and the figures of any part of the circuit."""

from lauftakt.web.compare import choosing, keeping
from lauftakt.web.compare.views import blueprint

__all__ = ["blueprint", "choosing", "keeping"]
