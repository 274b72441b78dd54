"""Three days before the school's day: one student improves, one does what was asked and forgets it on the next day,
one changes cars, one stays as they are; the road has another grip each day."""

from collections.abc import Collection
from dataclasses import dataclass, replace
from pathlib import Path

from lauftakt.demo.car import Car
from lauftakt.demo.circuits import ellerholm_park
from lauftakt.demo.drive import drive_run
from lauftakt.demo.habits import Driver, Habit
from lauftakt.demo.line import racing_line
from lauftakt.demo.school import DAY, SCHOOL_CAR
from lauftakt.demo.sensors import Sensors, record
from lauftakt.formats.csv_out import write_csv

OTHER_CAR = replace(SCHOOL_CAR, name="School coupé 1", power_w=SCHOOL_CAR.power_w * 0.93)
LAPS = 7


@dataclass(frozen=True)
class SchoolDay:
    """A day of the season: ISO date, name, and the road's grip as a share of the school day's."""

    day: str
    event: str
    grip: float


DAYS = (
    SchoolDay("2026-03-28", "Season's opening", 0.965),
    SchoolDay("2026-04-11", "Second day", 0.99),
    SchoolDay("2026-04-25", "Third day", 0.98),
)
_THEN: dict[str, Driver] = {one.driver.name: one.driver for one in DAY}


def _with(driver: Driver, *habits: Habit, level: float | None = None) -> Driver:
    """A driver with other mistakes; what is strong stays."""
    strong = tuple(habit for habit in driver.habits if habit.kind == "strong")
    return replace(driver, habits=(*habits, *strong), corner_level=level or driver.corner_level)


def _ines(day: int) -> Driver:
    """Quicker from day to day: less of each mistake, and more of the grip."""
    left = 1.9 - 0.3 * day
    mistakes = [habit for habit in _THEN["Ines"].habits if habit.kind != "strong"]
    return _with(
        _THEN["Ines"],
        *(replace(habit, amount=habit.amount * left) for habit in mistakes),
        level=_THEN["Ines"].corner_level - 0.008 * (3 - day),
    )


def _okan(day: int) -> Driver:
    """Brakes far too early for T5 until told; on the second day he does not, on the third he has forgotten it."""
    others = [habit for habit in _THEN["Okan"].habits if habit.kind != "strong" and habit.corner != "T13"]
    early = [Habit("T5", "early_brake", 24.0)] if day != 1 else []
    return _with(_THEN["Okan"], *others, *early)


@dataclass(frozen=True)
class Driven:
    """Who drove, in what, and when."""

    driver: Driver
    car: Car
    clock: str


def driven_on(day: int) -> tuple[Driven, ...]:
    """The runs of a day of :data:`DAYS`."""
    return (
        Driven(_THEN["Halvard"], SCHOOL_CAR, "09:40"),
        Driven(_ines(day), SCHOOL_CAR, "10:05"),
        Driven(_okan(day), SCHOOL_CAR, "10:05"),
        Driven(_THEN["Freya"], OTHER_CAR if day < 2 else SCHOOL_CAR, "10:35"),
        Driven(_THEN["Jonas"], SCHOOL_CAR, "11:00"),
    )


def write_season(folder: Path, *, drivers: Collection[str] | None = None, laps: int = LAPS) -> list[Path]:
    """Write the season's three days as ordinary files, one CSV log for each run.

    Parameters
    ----------
    folder : made if missing
    drivers : only these, where not all
    laps : timed ones in each run
    """
    folder.mkdir(parents=True, exist_ok=True)
    circuit = ellerholm_park()
    line = racing_line(circuit)
    scales = {one.driver.name: one.speed_scale for one in DAY}
    files = []
    for number, day in enumerate(DAYS):
        for index, run in enumerate(driven_on(number)):
            if drivers is not None and run.driver.name not in drivers:
                continue
            seed = 2000 + 20 * number + index
            car = replace(run.car, grip=run.car.grip * day.grip)
            motion = drive_run(circuit, car, run.driver, timed_laps=laps, seed=seed, line=line)
            meta = {
                "driver": run.driver.name,
                "car": car.name,
                "circuit": circuit.name,
                "event": day.event,
                "date": f"{day.day}T{run.clock}:00+02:00",
                "kind": "practice",
            }
            sensors = Sensors(speed_scale=scales[run.driver.name])
            log = record(circuit, car, motion, sensors, seed=seed + 500, meta=meta)
            path = folder / f"{day.day}-{run.clock.replace(':', '')}-{run.driver.name.lower()}.csv"
            write_csv(log, path)
            files.append(path)
    return files
