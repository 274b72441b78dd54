"""Arrays that stand for channels where it does not matter what they hold."""

import numpy as np

CLOCK = np.arange(0.0, 60.0, 0.02)
WAVE = 30.0 + 10.0 * np.sin(CLOCK)
