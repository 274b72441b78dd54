"""A run on a layout: where it was at every moment, and how sure that is."""

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from lauftakt.core.log.model import Warning

Array = NDArray[np.float64]
# No lap is timed across a pause of the log that is longer.
LONGEST_PAUSE_S = 1.0
# Standard deviations from so many draws are right to 9 %, and laps stay small.
DRAWS = 64


@dataclass(frozen=True)
class Placed:
    """A run on a layout.

    Attributes
    ----------
    time : (n,) s from the log's first sample
    s : (n,) m along the centre line, unwrapped: whole laps keep adding up; never falls
    n : (n,) m across, left positive
    speed : (n,) m/s, speed of the path, corrected by the scale
    node_time, node_draws : (k,) s and (k, draws) m, draws of the error of ``s``
    on_circuit : (n,) False where the car was away from the layout or nothing was logged
    offset_known : whether ``n`` was measured
    scale, scale_u, delay_s : estimated factor of the logged speed, its standard deviation, delay of the positions
    guessed : (n,) True where the logged speed was not believed; empty where it always was
    misfit : by how much the course misses fixes and speeds, in squares of their noise; 0 where there are no fixes
    """

    time: Array
    s: Array
    n: Array
    speed: Array
    node_time: Array
    node_draws: Array
    on_circuit: NDArray[np.bool_]
    scale: float
    scale_u: float
    delay_s: float
    inferred_speed: bool
    warnings: tuple[Warning, ...]
    offset_known: bool = True
    misfit: float = 0.0
    guessed: NDArray[np.bool_] = field(default_factory=lambda: np.zeros(0, dtype=bool))
