"""Recognises a lap's bends in a run: curvatures laid over one another, window by window."""

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
# Curvature of corners needs no finer steps.
STEP_M = 2.0
# Shorter than any corner, longer than the noise of accelerometers.
SMOOTH_M = 6.0
# Long enough to hold a corner and its neighbours, short enough that wheel size does not smear it.
WINDOW_M = 260.0
# Windows overlap fourfold.
EVERY_M = 60.0
# What a wrong wheel size may add up to between two corners.
REACH_M = 40.0
# Correlation below which it is another circuit (the other simulated circuits reach 0.5).
LEAST_MATCH = 0.75
# How sure a good match is of the place; measured on the demo day.
CORNER_M = 2.0
# A window that bends less than this share of the usual says nothing.
WEAK = 0.35


def best_phase(own: Array, bend: Array) -> tuple[float, int, float]:
    """Where on a lap a run begins.

    Parameters
    ----------
    own : (n,) curvature of the run
    bend : (c,) curvature of the lap, at the same steps

    Returns
    -------
    The best correlation of any lap's worth of the run with the lap, the step of the lap at which the run begins, and
    the sign that the run's curvature needs.
    """
    count = len(bend)
    found = (0.0, 0, 1.0)
    spectrum = np.conj(np.fft.rfft(bend))
    for begin in range(0, max(len(own) - count, 1), max(count // 2, 1)):
        part = own[begin : begin + count]
        if len(part) < count:
            break
        both = np.fft.irfft(np.fft.rfft(part) * spectrum, count)
        size = max(float(np.linalg.norm(part) * np.linalg.norm(bend)), 1e-12)
        for sign in (1.0, -1.0):
            shift = int(np.argmax(sign * both))
            value = float(sign * both[shift]) / size
            if value > found[0]:
                # part[i] = bend[i - shift]: the run's sample ``begin`` lies at -shift.
                found = (value, (-shift - begin) % count, sign)
    return found


def follow(own: Array, bend: Array, phase: int) -> tuple[Array, Array, Array]:
    """Window by window, where on the lap the run is, corrected as it goes along.

    Parameters
    ----------
    own, bend, phase : as for and from :func:`best_phase`, with the sign applied

    Returns
    -------
    places : (k,) unwrapped steps of the lap
    where : (k,) the run's steps that they belong to
    sigma : (k,) how sure they are, m
    """
    count = len(bend)
    half, reach = round(WINDOW_M / 2 / STEP_M), round(REACH_M / STEP_M)
    half = min(half, count // 2)
    places, where, sigma = [], [], []
    shift = float(phase)
    tries = np.arange(-reach, reach + 1)
    # The lap and what a window that begins at its last steps reaches into.
    windows = np.lib.stride_tricks.sliding_window_view(np.resize(bend, count + 2 * half), 2 * half)
    sizes = np.linalg.norm(windows, axis=1)
    for middle in range(half, len(own) - half, round(EVERY_M / STEP_M)):
        part = own[middle - half : middle + half]
        size = float(np.linalg.norm(part))
        begin = (middle - half + round(shift) + tries) % count
        match = windows[begin] @ part / np.maximum(sizes[begin] * size, 1e-12)
        at = int(np.argmax(match))
        weak = size < WEAK * float(np.linalg.norm(bend)) * np.sqrt(2 * half / count)
        if weak or match[at] < LEAST_MATCH + 0.1 or at in (0, len(tries) - 1):
            continue
        curve = match[at - 1] - 2 * match[at] + match[at + 1]
        fine = 0.0 if curve >= 0 else float(np.clip((match[at - 1] - match[at + 1]) / (2 * curve), -0.5, 0.5))
        moved = round(shift) + tries[at] + fine
        places.append(middle + moved)
        where.append(float(middle))
        sigma.append(CORNER_M / max(float(match[at]) - LEAST_MATCH, 0.05) * 0.2)
        shift += 0.5 * (moved - shift)
    return np.array(places), np.array(where), np.array(sigma)
