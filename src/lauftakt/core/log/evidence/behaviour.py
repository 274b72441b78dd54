"""What a channel's values say about its role, in log-likelihood: how they go with the motion, how they behave alone."""

import math

import numpy as np
from numpy.typing import NDArray
from scipy.constants import g as GRAVITY

from lauftakt.core.log.evidence.motion import STEP_S, Bench, Motion
from lauftakt.core.log.roles import WHEELS

Array = NDArray[np.float64]

# The most that behaviour says for a role, and against it.
MOST = 6.0
LEAST = -9.0
# Share of the driving force that drag takes away, in (m/s)^-1 of speed squared: a road car's.
DRAG = 4e-4
WHEEL_SPEEDS = tuple(f"wheel_{end}_{side}" for end, side in WHEELS)
# Factors between a speed channel and m/s that a unit can explain.
FACTORS = (1.0, 3.6, 2.23694, 1.94384, 3.28084, 100.0, 0.27778)
REAR = 1.5
# A pedal is at a stop within so much of its range.
STOP = 0.06


def evidence_of_behaviour(bench: Bench, motion: Motion | None) -> list[dict[str, float]]:
    """For each channel what its values say of the roles that behaviour can tell; other roles are not in it.

    Parameters
    ----------
    bench : all channels on one clock
    motion : what the car did, where the log shows it
    """
    found: list[dict[str, float]] = []
    for index, row in enumerate(bench.rows):
        own: dict[str, float] = {}
        if bench.lively[index]:
            own |= _alone(row)
            if motion is not None and motion.enough:
                own |= _with_motion(row, motion, own)
        found.append(own)
    return found


def says(match: float, needed: float = 0.8) -> float:
    """Log-likelihood of a correlation where one of about ``needed`` or more is expected.

    Above it the evidence grows as the unexplained part of the variance shrinks; a correlation near zero, or of the
    wrong sign, contradicts.
    """
    if not math.isfinite(match):
        return 0.0
    low = needed - 0.3
    if match >= needed:
        return min(MOST, 1.0 + 2.2 * math.log((1.0 - needed**2) / max(1.0 - match**2, 1e-4)))
    if match >= low:
        return (match - low) / (needed - low)
    return max(LEAST, LEAST * (low - match) / low)


def likeness(own: Array, other: Array, where: NDArray[np.bool_]) -> float:
    """Correlation of two arrays (n,) where both are known; NaN where one of them does not change."""
    where = where & np.isfinite(own) & np.isfinite(other)
    if where.sum() < 50:
        return math.nan
    a, b = own[where] - own[where].mean(), other[where] - other[where].mean()
    size = math.sqrt(float(a @ a) * float(b @ b))
    return float(a @ b) / size if size > 0 and math.isfinite(size) else math.nan


def _alone(row: Array) -> dict[str, float]:
    """What values show without the motion: whole figures that count or shift, saws that count metres."""
    values = row[np.isfinite(row)]
    low, high = float(values.min()), float(values.max())
    found = dict.fromkeys(("gear", "lap_number", "lap_distance", "lap_share", "distance", "lap_trigger"), -1.0)
    # Means over a step are whole except where the figure changes within it.
    whole = float(np.mean(np.abs(values - np.round(values)) < 1e-6))
    steps = np.diff(values)
    rising = float(np.mean(steps >= -1e-9 * max(abs(high), 1.0)))
    if whole > 0.8 and low >= -1.5 and high <= 12 and 3 <= len(np.unique(np.round(values))) <= 13:
        found["gear"] = 0.5
    if whole > 0.95 and rising > 0.999 and 0 < high - low < 2000 and _levels_last(values, 10.0):
        found["lap_number"] = 2.0 if np.all(np.abs(np.diff(np.unique(np.round(values)))) <= 1.5) else -1.0
    saw = _saw(values, steps)
    if saw is not None:
        found["lap_share" if high <= 1.5 or 95 < high <= 101 else "lap_distance"] = 3.0
    elif rising > 0.999 and high - low > 300:
        found["distance"] = 0.5
    if _pulses(values):
        found["lap_trigger"] = 3.0
    return found


def _levels_last(values: Array, seconds: float) -> bool:
    """Whether a figure that counts keeps each value for long."""
    changes = np.flatnonzero(np.abs(np.diff(np.round(values))) > 0.5)
    return len(changes) < 2 or float(np.median(np.diff(changes))) * STEP_S > seconds


def _saw(values: Array, steps: Array) -> float | None:
    """The height of a saw that rises evenly and falls back to its beginning, lap after lap; None where it is none."""
    span = float(values.max() - values.min())
    falls = np.flatnonzero(steps < -0.5 * span)
    if span <= 0 or not 1 <= len(falls) <= len(values) * STEP_S / 15 or float(np.mean(steps >= -0.01 * span)) < 0.98:
        return None
    return span if float(np.mean(steps > 0)) > 0.5 else None


def _pulses(values: Array) -> bool:
    """Whether a channel rests but for short pulses, apart by a lap's time."""
    rest = float(np.median(values))
    away = np.abs(values - rest) > 0.05 * float(np.ptp(values))
    begins = np.flatnonzero(np.diff(away.astype(int)) > 0)
    if not 1 <= len(begins) <= 2000 or away.mean() > 0.05:
        return False
    return len(begins) < 2 or float(np.min(np.diff(begins))) * STEP_S > 15.0


def _with_motion(row: Array, motion: Motion, alone: dict[str, float]) -> dict[str, float]:
    moving, speed, gain = motion.moving, motion.speed, motion.gain
    found: dict[str, float] = {}
    pace = likeness(row, speed, np.isfinite(speed))
    never = float(np.nanmin(row)) < -0.02 * float(np.nanmax(np.abs(row)))
    found["speed"] = found["receiver_speed"] = LEAST if never and motion.by_positions else says(pace, 0.9)
    if found["speed"] > 0 and motion.by_positions and not _explained(row, motion):
        found["speed"] = found["receiver_speed"] = -2.0
    found |= dict.fromkeys(WHEEL_SPEEDS, found["speed"])
    lopsided = _one_sided(row, moving)
    ahead = likeness(row, gain, moving)
    found["longitudinal_acceleration"] = says(abs(ahead), 0.8) - lopsided
    if motion.turning is not None:
        aside = likeness(row, motion.turning * speed, moving)
        turn = likeness(row, motion.turning, moving)
        bend = likeness(row, motion.turning / np.maximum(speed, 1.0), moving & (speed > 0.3 * np.nanmax(speed)))
        found["lateral_acceleration"] = says(abs(aside), 0.85) - lopsided
        found["yaw_rate"] = says(abs(turn), 0.85) - lopsided
        found["steering"] = says(max(abs(bend), 0.97 * abs(turn)), 0.8) - lopsided
        found["heading"] = _as_heading(row, motion)
        if motion.by_positions:
            # These are known in size, too: what goes with the turning in another proportion is the steering.
            for role, shown, sizes in (
                ("yaw_rate", motion.turning, (1.0, 180 / math.pi)),
                ("lateral_acceleration", motion.turning * speed, (1.0, 1 / GRAVITY)),
            ):
                if found[role] > 0 and not _in_size(row, shown, moving, sizes):
                    found[role] = -2.0
    found |= _pedals(row, motion)
    if alone.get("gear", -1) > 0:
        found["gear"] = says(pace, 0.55) if not math.isnan(pace) else 0.0
    bands = _bands(row, motion)
    if bands is not None:
        found["engine_speed"] = bands
    if alone.get("distance", -1) > 0:
        found["distance"] = says(likeness(np.gradient(row), speed, np.isfinite(speed)), 0.8)
    return found


def _explained(row: Array, motion: Motion) -> bool:
    """Whether a unit explains a speed's factor to m/s."""
    where = motion.moving & np.isfinite(row)
    middle = float(np.median(row[where] / motion.speed[where])) if where.any() else 1.0
    return any(abs(middle / factor - 1.0) < 0.12 for factor in FACTORS)


def _in_size(row: Array, shown: Array, moving: NDArray[np.bool_], sizes: tuple[float, ...]) -> bool:
    """Whether a channel is what the positions show, times one of some factors of units."""
    where = moving & np.isfinite(row)
    slope = abs(float(row[where] @ shown[where]) / max(float(shown[where] @ shown[where]), 1e-12))
    return any(0.7 < slope / size < 1.4 for size in sizes)


def _one_sided(row: Array, moving: NDArray[np.bool_]) -> float:
    """What speaks against a quantity with two directions: values of one sign only that rest at zero."""
    low, high = np.nanpercentile(row[moving], [1, 99])
    size = max(abs(low), abs(high))
    return 3.0 if size > 0 and min(abs(low), abs(high)) < 0.03 * size else 0.0


def _as_heading(row: Array, motion: Motion) -> float:
    assert motion.turning is not None
    low, high = float(np.nanmin(row)), float(np.nanmax(row))
    turn = 2 * math.pi if high - low < 7.0 else 360.0
    if not 0.5 * turn < high - low < 1.05 * turn:
        return 0.0 if high - low > 1.05 * turn else -3.0
    step = np.diff(row, append=np.nan)
    step = (step + turn / 2) % turn - turn / 2
    # The clock's steps across the wrap are means of both ends: leave out what no car turns.
    step[np.abs(step) > 0.15 * turn] = np.nan
    match = likeness(step, motion.turning, motion.moving)
    return says(abs(match), 0.75)


def _pedals(row: Array, motion: Motion) -> dict[str, float]:
    """How a channel goes with driving force and with deceleration, if it rests at stops as pedals do."""
    moving = motion.moving & np.isfinite(row)
    own = row[moving]
    if len(own) < 100:
        return {}
    low, high = (float(value) for value in np.percentile(own, [0.5, 99.5]))
    span = high - low
    if span <= 0:
        return {}
    scale = 1.0 if motion.by_positions else 1.0 / max(float(np.percentile(motion.speed, 98)) / 50.0, 1e-9)
    speed, gain = motion.speed * scale, motion.gain * scale
    force = gain + DRAG * speed**2
    slowing = np.maximum(-gain - 1.0, 0.0)
    at_low, at_high = float(np.mean(own < low + STOP * span)), float(np.mean(own > high - STOP * span))
    found: dict[str, float] = {}
    drives = likeness(row, force, moving)
    slows = likeness(row, slowing, moving)
    # A throttle is flat out for a good part of a lap and shut for another; what is lifted has no lower stop.
    stops = 1.0 if at_high > 0.12 and at_low > 0.02 else 0.6 if at_high > 0.05 else 0.0
    found["throttle"] = says(drives, 0.6) if stops else min(says(drives, 0.6), -3.0)
    if stops and found["throttle"] > 0:
        found["throttle"] *= stops
    rests = at_low > 0.5
    brake = says(slows, 0.65) if rests else min(says(slows, 0.65), -4.0)
    # Figures of 15 to 250 that stop at no round end are bars; anything else is as likely a travel, or a voltage.
    bars = 15.0 < high < 250.0 and not (95.0 < high < 101.0 and at_high > 0.01)
    found["brake_pressure"] = brake + (0.5 if bars else -0.5)
    # Nothing tells front from rear; a single one is more often the front's.
    found["rear_brake_pressure"] = found["brake_pressure"] - REAR
    found["brake_pedal"] = brake - (0.5 if bars else -0.5)
    return found


def _bands(row: Array, motion: Motion) -> float | None:
    """Whether a channel is proportional to the speed within a few bands, as an engine's speed is in its gears."""
    moving = motion.moving & np.isfinite(row) & (row > 0)
    if moving.sum() < 200 or float(np.nanmin(row)) < 0 or float(np.nanmax(row)) < 15:
        return None
    ratio = np.log(row[moving] / np.maximum(motion.speed[moving], 1e-6))
    change = np.abs(np.diff(ratio))
    steady = change < 0.02
    if steady.mean() < 0.4:
        return -2.0
    settled = ratio[1:][steady]
    low, high = np.percentile(settled, [2, 98])
    if high - low < 0.35:  # one ratio all the way: a wheel, or an engine with a single gear
        return 2.5 if not _explained(row, motion) and float(np.nanmax(row)) > 450 else -4.0
    heights, _ = np.histogram(settled, bins=np.arange(low - 0.03, high + 0.06, 0.03))
    share = heights / heights.sum()
    crowded = float(np.sort(share)[::-1][:8].sum())
    tall = int(np.sum(share > 0.06))
    if 2 <= tall <= 9 and crowded > 0.75:
        return 4.0 * (crowded - 0.5) / 0.5 + 1.0
    return 0.0
