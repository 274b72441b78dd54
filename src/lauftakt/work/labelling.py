"""Proposes a run's labels from whatever knows them: the link used, the file, its name, the driver's last run."""

import re
from collections.abc import Iterable, Mapping
from datetime import datetime, timedelta
from pathlib import Path

from sqlalchemy.orm import Session, selectinload

from lauftakt.core.laps.conditions import CONDITIONS, conditions_in
from lauftakt.core.log.model import Log
from lauftakt.store.database import mine
from lauftakt.store.models import Car, Circuit, Driver, Event, HandIn, LayoutRow, Run
from lauftakt.store.runs import Labels, parse_date

KINDS = {
    "practice": ("practice", "practise", "training", "free", "fp", "fp1", "fp2", "fp3", "warmup"),
    "qualifying": ("qualifying", "quali", "qualy", "q1", "q2", "q3"),
    "race": ("race", "rennen", "heat", "final"),
    "test": ("test", "testing", "shakedown"),
}
# Words of files' names that are no names.
_NO_NAMES = frozenset(
    ("log", "logs", "lap", "laps", "run", "runs", "session", "stint", "data", "export", "exported", "csv", "gps",
     "track",
     "day", "file", "new", "copy", "final", "test", "logger", "recording", "record", "outing", "driver", "kart", "car",
     "runde", "runden", "lauf", "fahrt", "tour", "essai", "vuelta", "tanda", "giro", "turno", "ronde", "sessie", "utc",
     "am", "pm", "of", "and", "the", "raw", "full", "telemetry", "canbus", "can", "obd", "imu", "sd", "phone", "app")
)  # fmt: skip
# A run belongs to the same day's doings as the last one only if it is this close.
RECENT_DAYS = 3
# A device whose clock is off by less is taken at its word.
CLOCK_SLACK_S = 30.0


def propose(session: Session, team_id: int, hand_in: HandIn, log: Log, layout: LayoutRow) -> Labels:
    """Labels of a run, each with its source: ``link``, ``person``, ``file``, ``name``, ``last run`` or ``assumed``.

    Parameters
    ----------
    session : to look up the team's drivers, cars and last runs
    team_id, hand_in : whose, and how the file came
    log : as it was understood
    layout : on which it was driven
    """
    told: dict[str, str] = {}
    meta, words = log.meta, _words(hand_in.file_name)
    driver = _driver(session, team_id, hand_in, meta, words, told)
    started, zone = _started(hand_in, meta, told)
    moment = started or hand_in.created_at
    last = _last_run(session, team_id, driver, layout, moment)

    def known(name: str, *sources: tuple[str, str | None]) -> str | None:
        """The first that is known of what several sources say; its source is noted."""
        for source, value in sources:
            if value:
                told[name] = source
                return value
        return None

    cars = [] if meta.get("car") else [row.name for row in session.scalars(mine(Car, team_id))]
    told["layout"] = "corners" if log.positions() is None else "position"
    return Labels(
        driver=driver,
        car=known(
            "car",
            ("file", meta.get("car")),
            ("name", _named_in(words, cars)),
            ("last run", last.car.name if last is not None and last.car is not None else None),
        ),
        event=known(
            "event", ("file", meta.get("event")), ("last run", _event_of_day(session, team_id, layout, moment))
        ),
        started=started,
        zone=zone,
        kind=known(
            "kind",
            ("file", _kind(meta.get("kind", "").lower().split())),
            ("name", _kind(words)),
            ("last run", last.kind if last is not None else None),
            ("assumed", "practice"),
        )
        or "practice",
        conditions=known(
            "conditions",
            ("file", conditions_in(meta.get("conditions")) or conditions_in(meta.get("kind"))),
            ("name", conditions_in(" ".join(words))),
            ("last run", last.conditions if last is not None else None),
        ),
        tyres=known("tyres", ("file", meta.get("tyres")), ("last run", last.tyres if last is not None else None)),
        notes=meta.get("notes"),
        told_by=told,
    )


def _started(hand_in: HandIn, meta: Mapping[str, str], told: dict[str, str]) -> tuple[datetime | None, str | None]:
    """When a run began, and the zone of the clock that says so; a logger whose clock was off is put right."""
    started, zone = parse_date(meta.get("date"))
    source = "file"
    if started is None:
        started, source = _date_in(hand_in.file_name), "name"
    if started is None:
        return None, zone
    if hand_in.clock_off_s and abs(hand_in.clock_off_s) > CLOCK_SLACK_S:
        started, source = started - timedelta(seconds=round(hand_in.clock_off_s)), "logger's clock"
    told["started"] = source
    return started, zone


def _words(file_name: str) -> list[str]:
    return [word.lower() for word in re.findall(r"[^\W_]+", Path(file_name).stem)]


def _driver(
    session: Session, team_id: int, hand_in: HandIn, meta: Mapping[str, str], words: list[str], told: dict[str, str]
) -> str:
    if hand_in.driver_id is not None:
        told["driver"] = "link" if hand_in.link_id is not None else "person"
        return session.get_one(Driver, hand_in.driver_id).name
    if hand_in.driver_name:
        told["driver"] = "person"
        return hand_in.driver_name
    if meta.get("driver"):
        told["driver"] = "file"
        return meta["driver"]
    known = _named_in(words, [row.name for row in session.scalars(mine(Driver, team_id))])
    told["driver"] = "name"
    others = [row.name for row in session.scalars(mine(Car, team_id))]
    others += [row.name for row in session.scalars(mine(Circuit, team_id))]
    others += [row.name for row in session.scalars(mine(Event, team_id))]
    return known or person_in(hand_in.file_name, others) or Path(hand_in.file_name).stem


def person_in(file_name: str, others: Iterable[str]) -> str | None:
    """A person's name that a file's name seems to hold: what is left of it without numbers, dates, the kind of run, and
    the words of the team's cars, circuits and events; None where nothing like a name is left.

    Parameters
    ----------
    file_name : with its ending
    others : names that are no person's
    """
    # A circuit that is called after this very file says nothing.
    others = [name for name in others if Path(file_name).stem not in name]
    taken = {word.lower() for name in others for word in re.findall(r"[^\W_]+", name)}
    taken |= {word for words in KINDS.values() for word in words} | {*CONDITIONS, "rain"} | _NO_NAMES
    spread = re.sub(r"(?<=[^\W\d_])(?=\d)|(?<=\d)(?=[^\W\d_])|(?<=[a-zà-ÿ])(?=[A-ZÀ-Ý])", " ", Path(file_name).stem)
    words = [w for w in re.findall(r"[^\W\d_]+(?:['’-][^\W\d_]+)*", spread.replace("_", " ")) if w.lower() not in taken]
    if not 1 <= len(words) <= 4 or all(len(word) < 3 for word in words):
        return None
    return " ".join(word.title() if word.islower() or word.isupper() else word for word in words)


def _named_in(words: list[str], names: list[str]) -> str | None:
    """The longest known name whose words all occur in a file's name."""
    fitting = [
        name for name in names if (own := [w.lower() for w in re.findall(r"[^\W_]+", name)]) and set(own) <= set(words)
    ]
    return max(fitting, key=len, default=None)


def _kind(words: list[str]) -> str | None:
    return next((kind for kind, names in KINDS.items() for word in words if word in names), None)


def _date_in(file_name: str) -> datetime | None:
    """The day, and the time where there is one, in a file's name."""
    match = re.search(r"(20\d\d)[-_.]?(\d\d)[-_.]?(\d\d)(?:[-_ T]+(\d\d)[-_.:h]?(\d\d)(?:[-_.:]?(\d\d))?)?", file_name)
    if match is None:
        return None
    parts = [int(part) for part in match.groups(default="0")]
    try:
        return datetime(*parts)  # type: ignore[arg-type]
    except ValueError:
        try:
            return datetime(*parts[:3])  # type: ignore[arg-type]
        except ValueError:
            return None


def _last_run(session: Session, team_id: int, driver: str, layout: LayoutRow, moment: datetime) -> Run | None:
    """The driver's run before this one on the same layout, if it was lately."""
    row = session.scalar(mine(Driver, team_id).where(Driver.name == driver))
    if row is None or layout.id is None:
        return None
    last = session.scalar(
        mine(Run, team_id)
        .where(Run.driver_id == row.id, Run.layout_id == layout.id)
        .options(selectinload(Run.car))
        .order_by(Run.created_at.desc())
        .limit(1)
    )
    if last is None or abs((moment - (last.started_at or last.created_at)).days) > RECENT_DAYS:
        return None
    return last


def _event_of_day(session: Session, team_id: int, layout: LayoutRow, moment: datetime) -> str | None:
    if layout.id is None:
        return None
    row = session.scalar(
        mine(Event, team_id).where(Event.layout_id == layout.id, Event.day == moment.date().isoformat())
    )
    return row.name if row is not None else None
