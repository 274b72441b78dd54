"""The run after the debrief: what each student of the school's day made of what they were asked, as it really was."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path

from lauftakt.demo.circuits import ellerholm_park
from lauftakt.demo.drive import drive_run
from lauftakt.demo.habits import Driver, Habit
from lauftakt.demo.line import racing_line
from lauftakt.demo.school import DAY, EVENT, SCHOOL_CAR, Attendance
from lauftakt.demo.sensors import Sensors, record
from lauftakt.formats.csv_out import write_csv


def _changed(driver: Driver, corner: str, kind: str, share: float) -> Driver:
    """A driver with so much left of one mistake."""
    habits = tuple(
        replace(habit, amount=habit.amount * share) if (habit.corner, habit.kind) == (corner, kind) else habit
        for habit in driver.habits
    )
    return replace(driver, habits=tuple(habit for habit in habits if habit.amount > 0.0))


def _took_up(driver: Driver) -> Driver:
    """Does everything that was asked."""
    for habit in driver.habits:
        if habit.kind != "strong":
            driver = _changed(driver, habit.corner, habit.kind, 0.0)
    return driver


def _half(driver: Driver) -> Driver:
    """Goes half of the way in one corner; in another does what was asked, and waits with the throttle instead."""
    driver = _changed(driver, "T4", "over_slow", 0.5)
    driver = _changed(driver, "T13", "hesitant_throttle", 0.0)
    return replace(driver, habits=(*driver.habits, Habit("T13", "late_throttle", 36.5)))


def _elsewhere(driver: Driver) -> Driver:
    """Does what was asked, and lifts in two other corners for it."""
    driver = _changed(_changed(driver, "T6", "needless_lift", 0.0), "T13", "late_throttle", 0.0)
    return replace(driver, habits=(*driver.habits, Habit("T7", "over_slow", 0.07), Habit("T8", "needless_lift", 60.0)))


def _nothing(driver: Driver) -> Driver:
    """Drives as before in one corner, and slower than before in another."""
    return _changed(driver, "T12", "over_slow", 2.2)


@dataclass(frozen=True)
class Next:
    """What a student did next: how the driving changed, in how many laps, and when."""

    of: str
    became: Callable[[Driver], Driver]
    laps: int
    clock: str


# Taken up, half taken up, not at all (and worse in one place), paid for elsewhere, and too few laps to tell.
NEXT: tuple[Next, ...] = (
    Next("Ines", _took_up, 9, "13:10"),
    Next("Okan", _half, 9, "13:10"),
    Next("Freya", _nothing, 9, "13:35"),
    Next("Priya", _elsewhere, 8, "13:35"),
    Next("Jonas", _took_up, 3, "14:00"),
)


def write_next_runs(folder: Path, *, day: str = "2026-05-16") -> list[Path]:
    """Write the afternoon of the school's day as ordinary files, one CSV log for each student.

    Parameters
    ----------
    folder : made if missing
    day : ISO date

    Returns
    -------
    The files, in the order of :data:`NEXT`.
    """
    folder.mkdir(parents=True, exist_ok=True)
    circuit = ellerholm_park()
    line = racing_line(circuit)
    before: dict[str, Attendance] = {one.driver.name: one for one in DAY}
    files = []
    for number, each in enumerate(NEXT):
        attendance = before[each.of]
        driver = each.became(attendance.driver)
        motion = drive_run(circuit, SCHOOL_CAR, driver, timed_laps=each.laps, seed=800 + number, line=line)
        meta = {
            "driver": driver.name,
            "car": SCHOOL_CAR.name,
            "circuit": circuit.name,
            "event": EVENT,
            "date": f"{day}T{each.clock}:00+02:00",
            "kind": "practice",
        }
        sensors = Sensors(speed_scale=attendance.speed_scale)
        log = record(circuit, SCHOOL_CAR, motion, sensors, seed=1300 + number, meta=meta)
        path = folder / f"{day}-{each.clock.replace(':', '')}-{driver.name.lower()}.csv"
        write_csv(log, path)
        files.append(path)
    return files
