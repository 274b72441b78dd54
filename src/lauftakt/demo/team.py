"""Puts the demo team into the database: an account, and the school's day handed in like anybody's files."""

import secrets
import tempfile
from collections.abc import Callable
from pathlib import Path

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from lauftakt.core.circuit.ground import on_ground
from lauftakt.demo.endurance import CAR, SHEET, STINTS, write_endurance
from lauftakt.demo.next_runs import NEXT, write_next_runs
from lauftakt.demo.school import DAY, SCHOOL_CAR, TEAM, write_day
from lauftakt.demo.season import DAYS, driven_on, write_season
from lauftakt.store.accounts import add_account, add_team, set_password, verify
from lauftakt.store.database import Database, now
from lauftakt.store.layouts import load_layout
from lauftakt.store.models import Account, Car, Driver, LapRow, MarkRow, Note, Run, StintWord, Team, Voice
from lauftakt.store.runs import named

EMAIL = "coach@ellerholm.example"
SCHOOL_TYRES = "road, set 2"
PASSWORD = "ellerholm"  # noqa: S105 (printed at every start of the demo)

HandInFile = Callable[[Database, int, Path], None]


def close_known_password(session: Session) -> None:
    """Let the demo's password, which everybody knows, open nothing in a school's own installation."""
    account = session.scalar(select(Account).where(Account.email == EMAIL))
    if account is not None and verify(session, EMAIL, PASSWORD) is not None:
        set_password(session, account, secrets.token_urlsafe(32))


def load_demo_team(database: Database, hand_in: HandInFile, say: Callable[[str], None]) -> None:
    """Make the demo team and hand in its files, where it is not there yet.

    Parameters
    ----------
    database : where to
    hand_in : imports one file for a team, through the same way as anybody's
    say : told what happens
    """
    with database.begin() as session:
        account = session.scalar(select(Account).where(Account.email == EMAIL))
        if account is None:
            team = add_team(session, TEAM, demo=True)
            account = add_account(session, team, email=EMAIL, name="Coach", password=PASSWORD, role="owner")
        # Also where an older version made it, before teams were told apart.
        session.get_one(Team, account.team_id).demo = True
        team_id = account.team_id
        runs = session.scalar(select(func.count()).where(Run.team_id == team_id)) or 0
    if runs >= len(DAY) + len(NEXT) + len(STINTS) + sum(len(driven_on(day)) for day in range(len(DAYS))):
        return
    with tempfile.TemporaryDirectory() as folder:
        say("Driving the demo laps …")
        files = write_day(Path(folder)) + write_next_runs(Path(folder)) + write_season(Path(folder))
        files += write_endurance(Path(folder))
        with database.begin() as session:
            endow(session, team_id)
        for number, path in enumerate(files, 1):
            say(f"Handing in {path.name} ({number} of {len(files)}) …")
            hand_in(database, team_id, path)
    with database.begin() as session:
        say_what_was_tried(session, team_id)
        say_on_which_tyres(session, team_id)
        write_notes(session, team_id)
        set_marks(session, team_id)
        say_what_was_felt(session, team_id)


def endow(session: Session, team_id: int) -> None:
    """The sheet of the endurance car, before its first run comes."""
    car = named(session, Car, team_id, CAR.name)
    if car.sheet is None:
        car.sheet = SHEET


def say_on_which_tyres(session: Session, team_id: int) -> None:
    """The school's cars go on other tyres than the endurance car, so that two days can be held against each other."""
    of_day = select(Driver.id).where(Driver.team_id == team_id, Driver.name.in_([one.driver.name for one in DAY]))
    for run in session.scalars(select(Run).where(Run.team_id == team_id, Run.driver_id.in_(of_day))):
        if run.tyres is None:
            run.tyres = SCHOOL_TYRES


def write_notes(session: Session, team_id: int) -> None:
    """What the coach wrote down of the day: a place on the ground, a driver, a set of tyres."""
    account = session.scalar(select(Account).where(Account.team_id == team_id, Account.email == EMAIL))
    run = session.scalar(
        select(Run).join(Driver).where(Run.team_id == team_id, Driver.name == "Jonas").order_by(Run.id).limit(1)
    )
    there = session.scalar(select(func.count()).select_from(Note).where(Note.team_id == team_id)) or 0
    if account is None or run is None or run.analysis is None or there:
        return
    layout = load_layout(session, run.analysis.layout_version_id, None)
    hairpin = next((corner for corner in layout.corners if corner.name == "T5"), layout.corners[0])
    latitude, longitude = on_ground(layout, min(hairpin.exit_m + 25.0, layout.length))
    whose = {"team_id": team_id, "account_id": account.id, "author": account.name, "written_at": now()}
    circuit_id = run.layout.circuit_id
    session.add_all([
        Note(pin="place", text="A bump where the throttle goes down: the quick ones are on it beside the bump.",
             circuit_id=circuit_id, latitude=latitude, longitude=longitude, shared=True, **whose),
        Note(pin="driver", text="Quick where it is steady. First the same brake point ten times, then a later one.",
             driver_id=run.driver_id, **whose),
        Note(pin="tyres", text="Warm after two laps, the first one says little.", tyres=SCHOOL_TYRES, **whose),
    ])  # fmt: skip


# What can be seen from the seat at Ellerholm Park: name, side of the road, and place, m from the start line.
MARKS = (
    ("the 100 board", "right", 425.0),
    ("the white post", "left", 1642.0),
    ("the second seam", "", 2017.0),
    ("the bent birch", "left", 2405.0),
    ("the tyre wall's end", "right", 3386.0),
    ("the marshal's hut", "left", 4090.0),
)


def set_marks(session: Session, team_id: int) -> None:
    """Marks of the school's circuit, and whose laps others may be shown: the instructor agreed."""
    run = session.scalar(
        select(Run).join(Driver).where(Run.team_id == team_id, Driver.name == DAY[0].driver.name).order_by(Run.id)
    )
    if run is None or run.analysis is None:
        return
    if run.driver.shows_laps is None:
        run.driver.shows_laps, run.driver.reference_only = True, True
    there = session.scalar(select(func.count()).select_from(MarkRow).where(MarkRow.layout_id == run.layout_id))
    if there:
        return
    layout = load_layout(session, run.analysis.layout_version_id, None)
    for name, side, at in MARKS:
        offset = {"left": 7.0, "right": -7.0}.get(side, 0.0)
        latitude, longitude = on_ground(layout, min(at, layout.length), offset)
        session.add(
            MarkRow(
                team_id=team_id, layout_id=run.layout_id, name=name, side=side, latitude=latitude, longitude=longitude
            )
        )


# What students said from the phone after the afternoon's run: driver, corner, how it felt, words.
FELT = (
    ("Ines", "T5", "good", None),
    ("Ines", "T4", "unsure", "I am never sure where to turn in."),
    ("Priya", "T8", "lost", "Lifted twice, the car moved under me."),
    ("Priya", None, "question", "May I stay flat through T6 when it is damp?"),
    ("Okan", "T4", "lost", None),
    ("Freya", "T5", "good", None),
)


def say_what_was_felt(session: Session, team_id: int) -> None:
    """What the students felt in the afternoon, where none of them said anything yet."""
    if session.scalar(select(func.count()).select_from(Voice).where(Voice.team_id == team_id)):
        return
    for name, corner, felt, words in FELT:
        run = session.scalar(
            select(Run)
            .join(Driver)
            .join(Car, Car.id == Run.car_id)
            .where(Run.team_id == team_id, Driver.name == name, Car.name == SCHOOL_CAR.name)
            .order_by(Run.started_at.desc())
            .limit(1)
        )
        if run is not None:
            session.add(
                Voice(
                    team_id=team_id, driver_id=run.driver_id, run_id=run.id, felt=felt, corner=corner, words=words,
                    said_at=now(),
                )
            )  # fmt: skip


def say_what_was_tried(session: Session, team_id: int) -> None:
    """What the drivers of the endurance afternoon were told to try in their stints."""
    runs = session.scalars(
        select(Run).join(Car, Car.id == Run.car_id).where(Run.team_id == team_id, Car.name == CAR.name)
    ).all()
    said = {stint[0].name: stint[3] for stint in STINTS}
    for run in runs:
        there = session.scalar(select(StintWord).where(StintWord.run_id == run.id))
        first = session.scalar(
            select(LapRow)
            .where(LapRow.analysis_id == run.analysis_id, LapRow.time_s.is_not(None))
            .order_by(LapRow.number)
            .limit(1)
        )
        if there is None and first is not None and run.driver.name in said:
            session.add(
                StintWord(
                    team_id=team_id, run_id=run.id, moment_s=first.start_s, tried=said[run.driver.name], said_at=now()
                )
            )
