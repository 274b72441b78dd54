"""Which channels are the positions, how their figures are written, and which is latitude."""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lauftakt.core.log.evidence.behaviour import FACTORS
from lauftakt.core.log.evidence.motion import Bench, Motion, path_motion, places_motion
from lauftakt.core.log.units import Reading, into_si, reading_of

Array = NDArray[np.float64]

# Ways in which a degree is written, where the unit does not say: as it is, ddmm.mmmm, and counted in small parts.
_WRITTEN: dict[str, Reading] = {
    "deg": Reading("place", 1.0),
    "ddmm.mmmm": Reading("place", 1.0, 0.0, "minutes"),
    "1e-7 deg": Reading("place", 1e-7),
    "1e-6 deg": Reading("place", 1e-6),
    "arcmin": Reading("place", 1 / 60),
    "rad": Reading("place", 180 / np.pi),
}
# A circuit spans so many degrees, or metres.
WIDEST_DEG, NARROWEST_DEG = 1.0, 3e-4
NARROWEST_M, WIDEST_M = 60.0, 60_000.0
# How much better the speeds must agree the other way round before a name is overruled.
CLEARLY = 0.7
# Relative error of a path's speed against a logged one up to which the path is believed.
AGREES = 0.06


@dataclass(frozen=True)
class Places:
    """Two channels that are the positions: ``latitude`` and ``longitude`` (or ``local``: y and x) by index, the unit in
    which their figures are written, and the motion they show. ``error`` is the relative difference of speeds, NaN where
    no other channel shows one."""

    latitude: int
    longitude: int
    written: str
    motion: Motion
    local: bool
    error: float
    swapped: bool = False


def find_places(
    bench: Bench,
    pairs: Sequence[tuple[int, int, bool]],
    units: Sequence[str],
    speeds: Sequence[int],
) -> Places | None:
    """The positions among pairs of channels.

    Parameters
    ----------
    bench : all channels on one clock
    pairs : latitude, longitude (y and x) by index as their names say, and whether these are local coordinates
    units : of all channels, as written
    speeds : channels that may be a speed, the likeliest first

    Returns
    -------
    The first pair that makes a car's path, turned round where its speeds agree only then; None where none does.
    """
    for latitude, longitude, local in pairs:
        ways = [(latitude, longitude, False), (longitude, latitude, True)]
        found = [
            place
            for first, second, swapped in (ways if not local else ways[:1])
            if (place := _best_written(bench, first, second, local, units, speeds, swapped)) is not None
        ]
        if not found:
            continue
        best = found[0]
        if len(found) == 2 and found[1].error < CLEARLY * found[0].error and found[1].error < AGREES:
            best = found[1]
        return best
    return None


def _best_written(
    bench: Bench, latitude: int, longitude: int, local: bool, units: Sequence[str], speeds: Sequence[int], swapped: bool
) -> Places | None:
    best: Places | None = None
    for written, motion in _motions(bench, latitude, longitude, local, units):
        error, _ = agreement(bench, motion, speeds)
        found = Places(latitude, longitude, written, motion, local, error, swapped)
        if best is None or (np.isfinite(error) and not error >= best.error):
            best = found
        if best.written == written and not np.isfinite(error):
            break
        if error < AGREES:
            break
    return best


def _motions(
    bench: Bench, latitude: int, longitude: int, local: bool, units: Sequence[str]
) -> Iterator[tuple[str, Motion]]:
    one, other = bench.rows[latitude], bench.rows[longitude]
    if local:
        reading = reading_of(units[latitude], ("length",)) or Reading("length", 1.0)
        spans = [float(np.nanmax(p) - np.nanmin(p)) * reading.factor for p in (one, other)]
        if NARROWEST_M < max(spans) < WIDEST_M:
            motion = path_motion(into_si(other, reading), into_si(one, reading))
            if motion is not None:
                yield units[latitude] or "m", motion
        return
    said = reading_of(units[latitude], ("place",)) if units[latitude].strip() else None
    ways: list[tuple[str, Reading]] = [(units[latitude], said)] if said is not None else []
    ways += [(name, reading) for name, reading in _WRITTEN.items() if reading != said]
    for name, reading in ways:
        places = [into_si(p, reading) for p in (one, other)]
        spans = [float(np.nanmax(p) - np.nanmin(p)) for p in places]
        if not (NARROWEST_DEG < max(spans) < WIDEST_DEG) or not all(np.nanmax(np.abs(p)) <= 180 for p in places):
            continue
        motion = places_motion(*places)
        if motion is not None:
            yield name, motion


def agreement(bench: Bench, motion: Motion, speeds: Sequence[int]) -> tuple[float, int | None]:
    """How far a path's speed is from the logged speed that fits it best, as a share, and which channel that is.

    A speed in another unit or of a wheel that is a little too large agrees as well: only the scatter counts, and that
    the factor is one a unit explains.
    """
    best, which = np.nan, None
    for index in speeds:
        row = bench.rows[index]
        where = motion.moving & np.isfinite(row) & (row > 0)
        if where.sum() < 100:
            continue
        ratio = row[where] / motion.speed[where]
        middle = float(np.median(ratio))
        error = 1.4826 * float(np.median(np.abs(ratio / middle - 1.0)))
        if min(abs(middle / factor - 1.0) for factor in FACTORS) > 0.12:
            error += 0.2
        if not error >= best:
            best, which = error, index
    return best, which


def unnamed_pairs(bench: Bench, free: Sequence[int], first: Callable[[int], float]) -> list[tuple[int, int, bool]]:
    """Pairs of channels without telling names that could be positions, those next to each other first.

    Parameters
    ----------
    bench : all channels on one clock
    free : channels whose names do not say that they are something else
    first : a channel's place in the order of trial; less is earlier
    """
    degrees, metres = [], []
    for index in free:
        row = bench.rows[index]
        if not bench.lively[index] or not _smooth(row):
            continue
        low, high = float(np.nanmin(row)), float(np.nanmax(row))
        span = high - low
        centre = max(abs(low), abs(high))
        if any(
            NARROWEST_DEG < abs(reading.factor) * span < 0.5 and abs(reading.factor) * centre <= 180
            for reading in (_WRITTEN["deg"], _WRITTEN["1e-7 deg"], _WRITTEN["1e-6 deg"])
        ):
            degrees.append(index)
        elif 2 * NARROWEST_M < span < WIDEST_M:
            metres.append(index)
    pairs = [
        (a, b, local) for group, local in ((degrees, False), (metres, True)) for a in group for b in group if a < b
    ]
    if sum(local for _, _, local in pairs) > 200:
        pairs = [pair for pair in pairs if not pair[2] or pair[1] - pair[0] <= 2]
    return sorted(pairs, key=lambda pair: (pair[2], pair[1] - pair[0] > 1, first(pair[0]) + first(pair[1])))[:120]


def _smooth(row: Array) -> bool:
    """Whether a channel moves along as a coordinate does: without jumps, hardly ever at rest."""
    step = np.abs(np.diff(row[np.isfinite(row)]))
    span = float(np.nanmax(row) - np.nanmin(row))
    return len(step) > 0 and float(np.percentile(step, 99)) < 0.05 * span and float(np.mean(step == 0)) < 0.6
