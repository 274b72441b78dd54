"""What creeps in a car from lap to lap and day to day, and what grows in its driver."""

from collections.abc import Callable, Iterable, Sequence
from functools import partial

import numpy as np
from numpy.typing import NDArray

from lauftakt.core.registry import BY_LAP
from lauftakt.core.technique.watching import Limit, Trend, growth, trend
from lauftakt.store.analyses import LapView
from lauftakt.store.models import Car, Run
from lauftakt.web import schemas, show
from lauftakt.web.cars import sheet_of
from lauftakt.web.keeping import Kept

Array = NDArray[np.float64]
# An analysis and its figures never change.
_kept = Kept[Trend | None](20_000)
# Laps of a run's analysis, and their figures.
Of = Callable[[Run], tuple[tuple[LapView, ...], dict[str, Array]]]

# Channels of the car that creep; of others a trend over laps says nothing about the car.
CREEPING = ("temperature", "pressure", "voltage")
DRIVERS_OWN = ("brake_pressure",)
# Less over all that was looked at is not worth a word: K, Pa, V.
LEAST = {"temperature": 2.0, "pressure": 5_000.0, "voltage": 0.1}
# A limit that is further away is no news.
NEAR_S = 7200.0
AMBIENT = "ambient_temperature"
# A change of what a driver does that is worth a word: m/s^2, share of the lap.
WORTH = {"acceleration": 0.3, "share": 0.01}


def growths(runs: Sequence[Run], of: Of) -> list[schemas.GrowthOut]:
    """For each driver, whether what they do grows over the laps that count, through all runs in order."""
    drivers = {run.driver.id: run.driver for run in runs}
    found = []
    for driver in drivers.values():
        for role, entry in BY_LAP.items():
            values: list[float] = []
            for run in runs:
                laps, figures = of(run)
                rows = figures.get(role)
                if run.driver_id == driver.id and rows is not None and len(rows) == len(laps):
                    values += [float(rows[k, 2]) for k, lap in enumerate(laps) if lap.time_s and not lap.set_aside]
            own = growth(np.array(values), WORTH[entry.quantity])
            if own is not None:
                found.append(
                    schemas.GrowthOut(
                        driver=show.driver(driver), role=role, label=entry.label, quantity=entry.quantity,
                        laps=own.laps, by=own.by, by_low=own.low, by_high=own.high,
                        verdict=own.verdict,
                    )
                )  # fmt: skip
    return found


def trends(
    runs: Sequence[Run], of: Of, roles: Sequence[schemas.WatchRole], cars: Iterable[Car]
) -> list[schemas.TrendOut]:
    """What creeps within runs, and from run to run of a car; what is nearest to its limit first."""
    found = []
    creeping = [role for role in roles if _creeps(role)]
    for run in runs:
        laps, figures = of(run)
        limits = sheet_of(run.car).limits if run.car is not None else []
        for role in creeping:
            rows = figures.get(role.role)
            if rows is None or len(rows) != len(laps):
                continue
            inner = [k for k, lap in enumerate(laps) if lap.time_s is not None]
            moments = np.array([(laps[k].start_s + laps[k].end_s) / 2 for k in inner])
            limit = _limit_for(role.role, limits)
            own = _kept.get((run.analysis_id, role.role, limit), partial(trend, moments, rows[inner, 2], limit))
            found += _worth(role, own, moments, run.id, run.car_id)
    found += _over_days(runs, of, creeping, cars)
    return sorted(found, key=lambda row: row.left_s if row.left_s is not None else float("inf"))


def _over_days(
    all_runs: Sequence[Run], of: Of, creeping: Sequence[schemas.WatchRole], cars: Iterable[Car]
) -> list[schemas.TrendOut]:
    """What creeps from run to run of a car."""
    found = []
    for car in cars:
        runs = [run for run in all_runs if run.car_id == car.id and run.started_at is not None]
        for role in creeping:
            moments, values = [], []
            for run in runs:
                rows = of(run)[1].get(role.role)
                if rows is not None and run.started_at is not None and np.isfinite(rows[:, 2]).any():
                    moments.append(run.started_at.timestamp())
                    values.append(float(np.nanmedian(rows[:, 2])))
            own = trend(np.array(moments), np.array(values), _limit_for(role.role, sheet_of(car).limits))
            found += _worth(role, own, np.array(moments), None, car.id)
    return found


def _limit_for(role: str, limits: Sequence[schemas.CarLimit]) -> Limit | None:
    own = next((limit for limit in limits if limit.role == role), None)
    return Limit(**own.model_dump()) if own is not None else None


def _creeps(role: schemas.WatchRole) -> bool:
    """Whether a channel tells of the car what creeps."""
    return role.quantity in CREEPING and role.role != AMBIENT and not role.role.startswith(DRIVERS_OWN)


def _worth(
    role: schemas.WatchRole, own: Trend | None, moments: Array, run: int | None, car: int | None
) -> list[schemas.TrendOut]:
    """A trend that is worth a word, with what it comes to over all that was looked at; none otherwise."""
    if own is None or not own.clear:
        return []
    span = float(np.ptp(moments))
    if abs(own.per_s) * span < LEAST[role.quantity]:
        return []
    return [
        schemas.TrendOut(
            run=run,
            car=car,
            role=role.role,
            label=role.label,
            quantity=role.quantity,
            over_s=span,
            by=own.per_s * span,
            by_low=own.low * span,
            by_high=own.high * span,
            left_s=own.left_s if own.left_s is not None and own.left_s < NEAR_S else None,
        )
    ]
