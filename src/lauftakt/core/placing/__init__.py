"""Where a run was at every moment, and how sure that is: by its positions, or without them by its corners."""

from lauftakt.core.placing.by_corners import place_without_positions
from lauftakt.core.placing.by_positions import place_run
from lauftakt.core.placing.placed import Placed
from lauftakt.core.placing.smoother import Noise

__all__ = ["Noise", "Placed", "place_run", "place_without_positions"]
