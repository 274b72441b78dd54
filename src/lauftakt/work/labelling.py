"""Proposes a run's labels from whatever knows them: the link used, the file, its name, the driver's last run."""

import re
from datetime import datetime, timedelta
from pathlib import Path

from sqlalchemy.orm import Session, selectinload

from lauftakt.core.laps.counting import is_wet
from lauftakt.core.log.model import RawLog
from lauftakt.store.database import mine
from lauftakt.store.models import Car, Driver, Event, HandIn, LayoutRow, Run
from lauftakt.store.runs import Labels, parse_date

KINDS = {
    "practice": ("practice", "practise", "training", "free", "fp", "fp1", "fp2", "fp3", "warmup"),
    "qualifying": ("qualifying", "quali", "qualy", "q1", "q2", "q3"),
    "race": ("race", "rennen", "heat", "final"),
    "test": ("test", "testing", "shakedown"),
}
CONDITIONS = ("dry", "damp", "wet")
# A run belongs to the same day's doings as the last one only if it is this close.
RECENT_DAYS = 3
# A device whose clock is off by less is taken at its word.
CLOCK_SLACK_S = 30.0


def propose(session: Session, team_id: int, hand_in: HandIn, raw: RawLog, layout: LayoutRow) -> Labels:
    """Labels of a run, each with its source: ``link``, ``person``, ``file``, ``name``, ``last run`` or ``assumed``.

    Parameters
    ----------
    session : to look up the team's drivers, cars and last runs
    team_id, hand_in : whose, and how the file came
    raw : the log
    layout : on which it was driven
    """
    told: dict[str, str] = {}
    words = _words(hand_in.file_name)
    driver = _driver(session, team_id, hand_in, raw, words, told)
    started, zone = parse_date(raw.meta.get("date"))
    if started is not None:
        told["started"] = "file"
    else:
        started = _date_in(hand_in.file_name)
        if started is not None:
            told["started"] = "name"
    if started is not None and hand_in.clock_off_s and abs(hand_in.clock_off_s) > CLOCK_SLACK_S:
        started -= timedelta(seconds=round(hand_in.clock_off_s))
        told["started"] = "logger's clock"
    last = _last_run(session, team_id, driver, layout, started or hand_in.created_at)
    car = raw.meta.get("car")
    if car:
        told["car"] = "file"
    else:
        car = _named_in(words, [row.name for row in session.scalars(mine(Car, team_id))])
        if car:
            told["car"] = "name"
        elif last is not None and last.car is not None:
            car, told["car"] = last.car.name, "last run"
    event = raw.meta.get("event")
    if event:
        told["event"] = "file"
    else:
        event = _event_of_day(session, team_id, layout, started or hand_in.created_at)
        if event:
            told["event"] = "last run"
    kind = _kind(raw.meta.get("kind", "").lower().split())
    if kind:
        told["kind"] = "file"
    else:
        kind = _kind(words)
        if kind:
            told["kind"] = "name"
        elif last is not None:
            kind, told["kind"] = last.kind, "last run"
        else:
            kind, told["kind"] = "practice", "assumed"
    conditions = _conditions(raw.meta, words, told)
    if conditions is None and last is not None and last.conditions:
        conditions, told["conditions"] = last.conditions, "last run"
    tyres = raw.meta.get("tyres")
    if tyres:
        told["tyres"] = "file"
    elif last is not None and last.tyres:
        tyres, told["tyres"] = last.tyres, "last run"
    told["layout"] = "position" if any("lat" in channel.name.lower() for channel in raw.channels) else "corners"
    return Labels(
        driver=driver,
        car=car,
        event=event,
        started=started,
        zone=zone,
        kind=kind,
        conditions=conditions,
        tyres=tyres,
        notes=raw.meta.get("notes"),
        told_by=told,
    )


def _words(file_name: str) -> list[str]:
    return [word.lower() for word in re.findall(r"[^\W_]+", Path(file_name).stem)]


def _driver(
    session: Session, team_id: int, hand_in: HandIn, raw: RawLog, words: list[str], told: dict[str, str]
) -> str:
    if hand_in.driver_id is not None:
        told["driver"] = "link" if hand_in.link_id is not None else "person"
        return session.get_one(Driver, hand_in.driver_id).name
    if hand_in.driver_name:
        told["driver"] = "person"
        return hand_in.driver_name
    if raw.meta.get("driver"):
        told["driver"] = "file"
        return raw.meta["driver"]
    known = _named_in(words, [row.name for row in session.scalars(mine(Driver, team_id))])
    told["driver"] = "name"
    return known or Path(hand_in.file_name).stem


def _named_in(words: list[str], names: list[str]) -> str | None:
    """The longest known name whose words all occur in a file's name."""
    fitting = [
        name for name in names if (own := [w.lower() for w in re.findall(r"[^\W_]+", name)]) and set(own) <= set(words)
    ]
    return max(fitting, key=len, default=None)


def _kind(words: list[str]) -> str | None:
    return next((kind for kind, names in KINDS.items() for word in words if word in names), None)


def _conditions(meta: dict[str, str], words: list[str], told: dict[str, str]) -> str | None:
    said = meta.get("conditions", "").lower()
    found = next((word for word in CONDITIONS if word in said.split()), None)
    if found is None and is_wet(meta):
        found = "wet"
    if found is not None:
        told["conditions"] = "file"
        return found
    found = next((word for word in ("wet", "damp", "rain", "dry") if word in words), None)
    if found is not None:
        told["conditions"] = "name"
        return "wet" if found == "rain" else found
    return None


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
