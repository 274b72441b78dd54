"""What a speed that is sampled now and then leaves open about the way between its samples."""

import numpy as np
from numpy.typing import NDArray
from scipy.interpolate import Akima1DInterpolator
from scipy.ndimage import gaussian_filter1d

Array = NDArray[np.float64]
# Half as many samples are wrong by so many times the square: a brake that is put on between two samples bends the
# speed's curve, and the way under it is wrong by the bend times the square of the time between samples.
FINER = 16.0
# On straights the speed changes so evenly that only noise is left: the square that 30 % stay below, of a normal one.
QUIET, QUIET_SQUARE = 0.3, 0.1485
# Three samples have this much more of the noise's square under their half than under all of them.
LEFT_OUT = 1.5
# How far a bend is felt, in samples.
SMOOTH = 1.5


def sampling_doubt(time: Array, speed: Array, most_noise_ms: float) -> tuple[Array, float]:
    """How wrong the way between samples of a speed may be.

    Every other sample is left out: what the way between two that were kept changes by tells how much more often the
    speed would have to be sampled (step doubling, as error control of quadrature has it: Press et al., "Numerical
    Recipes", 2007, section 4.2). What is left on the straights is noise.

    Parameters
    ----------
    time, speed : (n,) s and m/s, as sampled, n > 8
    most_noise_ms : no sample's own noise is larger, m/s; where the car never drives evenly for so long, what is left
        are bends

    Returns
    -------
    doubt : (n,) m^2 per second by which the way gets more uncertain around each sample, noise not counted
    noise : m per root second, the random walk of the way under the samples' own noise
    """
    whole = Akima1DInterpolator(time, speed).antiderivative()(time)
    missed = np.zeros(len(time))
    for first in (0, 1):
        kept = slice(first, None, 2)
        half = Akima1DInterpolator(time[kept], speed[kept]).antiderivative()(time[kept])
        missed[first + 1 : first + 2 * len(half) - 1 : 2] = np.diff(half) - np.diff(whole[kept])
    inner = missed[1:-1]
    span = time[2:] - time[:-2]
    step = float(np.median(span)) / 2.0
    floor = min(float(np.quantile(inner**2, QUIET)) / QUIET_SQUARE, LEFT_OUT * (step * most_noise_ms) ** 2)
    more = np.maximum(gaussian_filter1d(inner**2, SMOOTH, mode="nearest") - floor, 0.0) / FINER / span
    doubt = np.concatenate([more[:1], more, more[-1:]])
    noise = np.sqrt(floor / LEFT_OUT / step)
    return doubt, float(noise)
