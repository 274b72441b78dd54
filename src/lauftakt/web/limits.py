"""Rate limits. One server process with threads serves everything, so its memory is shared by all requests."""

from flask_limiter import Limiter
from flask_limiter.util import get_remote_address

limiter = Limiter(get_remote_address, storage_uri="memory://", default_limits=[])
