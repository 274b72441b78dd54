"""A school's season as rows: sixty days of forty drivers, every run with a debrief whose cues were followed since."""

import json
from collections.abc import Sequence
from dataclasses import replace
from datetime import date, datetime, timedelta
from typing import Any

import numpy as np
from flask.testing import FlaskClient
from sqlalchemy import insert, select, update
from sqlalchemy.orm import Session

from lauftakt.core.pipeline import CODE_VERSION
from lauftakt.core.season.pace import RunPace, Scattered
from lauftakt.store.database import Database
from lauftakt.store.following import course_key, pace_from_row, pace_key, pace_to_row
from lauftakt.store.models import (
    Analysis,
    Car,
    CueCourse,
    CueRow,
    Debrief,
    Driver,
    Event,
    Note,
    Run,
    RunPaceRow,
)
from lauftakt.store.season import driver_keys, runs_of_season

LAPS = 12
FIGURES = ("brake_point_m", "throttle_pickup_m", "min_speed")
MADE = datetime(2026, 1, 1)


def fill_season(session: Session, team: int, days: int, drivers: int) -> dict[str, int]:
    """A season on the layout of a team's one real run, whose pace is every other's model."""
    real = session.scalars(select(Run).where(Run.team_id == team).order_by(Run.id)).first()
    assert real is not None
    row = session.scalars(select(RunPaceRow).where(RunPaceRow.run_id == real.id)).one()
    pace, rng = pace_from_row(row.pace), np.random.default_rng(1)
    people = [
        Driver(team_id=team, name=f"Student {n:02d}", colour=n % 12, reference_only=n < 2) for n in range(drivers)
    ]
    cars = [Car(team_id=team, name=f"School car {n}") for n in range(3)]
    session.add_all([*people, *cars])
    session.flush()
    level, gain = rng.normal(0.0, 0.02, drivers), rng.normal(-0.006, 0.006, drivers)
    gain[:2] = 0.0
    for number in range(days):
        _day(session, team, real, row.layout_version_id, pace, people, cars, number, rng.normal(0.0, 0.008), level,
             gain * number / max(days - 1, 1), rng)  # fmt: skip
    session.flush()
    return _debriefs(session, team, rng)


def _day(
    session: Session, team: int, real: Run, version: int, pace: RunPace, people: Sequence[Driver], cars: Sequence[Car],
    number: int, grip: float, level: np.ndarray, gain: np.ndarray, rng: np.random.Generator,
) -> None:  # fmt: skip
    day = date(2026, 1, 3) + timedelta(days=5 * number)
    event = Event(team_id=team, layout_id=real.layout_id, day=day.isoformat(), name=f"Day {number + 1}")
    session.add(event)
    session.flush()
    began = datetime.combine(day, datetime.min.time()) + timedelta(hours=9)
    rows = [
        Run(
            team_id=team, event_id=event.id, driver_id=one.id, car_id=cars[(n + number // 20) % 3].id, tyres="road",
            layout_id=real.layout_id, file_name=f"{number}-{n}.csv", sha256=f"s{team}-{number}-{n}", meta={},
            log_warnings=[], started_at=began + timedelta(minutes=20 * (n // 8)), created_at=MADE, laps_all=LAPS,
            laps_counting=LAPS - 2, best_number=3, duration_s=1500.0,
        )
        for n, one in enumerate(people)
    ]  # fmt: skip
    session.add_all(rows)
    session.flush()
    analyses = [
        Analysis(team_id=team, run_id=run.id, layout_version_id=version, code_version=CODE_VERSION, speed_scale=1.0,
                 delay_s=0.0, scale={}, warnings=[], created_at=MADE)
        for run in rows
    ]  # fmt: skip
    session.add_all(analyses)
    session.flush()
    kept = []
    for n, (run, analysis) in enumerate(zip(rows, analyses, strict=True)):
        own = _paced(pace, float(np.exp(level[n] + gain[n] + grip + rng.normal(0.0, 0.0035))))
        run.analysis_id, run.best_s, run.theoretical_best_s = analysis.id, own.best_s, (own.best_s or 0.0) - 0.2
        kept.append(
            {"team_id": team, "run_id": run.id, "layout_version_id": version, "key": pace_key(analysis.id, 0),
             "pace": pace_to_row(own)}
        )  # fmt: skip
    session.flush()
    session.execute(insert(RunPaceRow), kept)


def _paced(pace: RunPace, share: float) -> RunPace:
    def slower(side: Scattered) -> Scattered:
        return replace(side, median_s=side.median_s * share)

    assert pace.lap is not None
    return replace(
        pace,
        lap=slower(pace.lap),
        best_s=(pace.best_s or 0.0) * share,
        passages={name: slower(side) for name, side in pace.passages.items()},
    )


def _debriefs(session: Session, team: int, rng: np.random.Generator) -> dict[str, int]:
    """A debrief with three cues after every run, followed through all later ones of its driver."""
    runs = runs_of_season(session, team, None)
    keys = driver_keys(runs)
    by_driver: dict[int, list[int]] = {}
    for run in runs:
        by_driver.setdefault(run.driver, []).append(run.id)
    debriefs = [
        {"team_id": team, "driver_id": run.driver, "event_id": run.event, "run_id": run.id, "author": "Coach",
         "losses": {f"P{n}": [0.1, 0.02] for n in range(1, 11)}, "made_at": MADE}
        for run in runs
    ]  # fmt: skip
    session.execute(insert(Debrief), debriefs)
    rows = {row.run_id: row for row in session.scalars(select(Debrief).where(Debrief.team_id == team))}
    asked = [_cue(team, rows[run.id], n) for run in runs for n in range(3)]
    for begin in range(0, len(asked), 600):
        session.execute(insert(CueRow), asked[begin : begin + 600])
    cues: dict[int, list[CueRow]] = {}
    for cue in session.scalars(select(CueRow).where(CueRow.team_id == team)):
        cues.setdefault(cue.debrief_id, []).append(cue)
    courses = []
    for run in runs:
        row, own = rows[run.id], by_driver[run.driver]
        given = {"cues": [_given(cue) for cue in cues[row.id]], "before": None}
        followed = course_key(keys[run.driver], row.id, run.id, MADE)
        session.execute(
            update(Debrief).where(Debrief.id == row.id).values(given=given, given_at=MADE, followed=followed)
        )
        later = own[own.index(run.id) + 1 :]
        for cue in cues[row.id]:
            stage = str(rng.choice(["open", "reached", "kept", "lost_again"])) if later else "waiting"
            looks = [_look(one, stage) for one in later]
            courses.append(
                {"team_id": team, "cue_id": cue.id, "debrief_id": row.id, "driver_id": run.driver, "kind": "cue",
                 "figure": cue.figure, "stage": stage, "paid": stage == "kept", "looks": looks}
            )  # fmt: skip
    for begin in range(0, len(courses), 100):
        session.execute(insert(CueCourse), courses[begin : begin + 100])
    session.add_all(
        Note(team_id=team, pin="run", text=f"Note {n}: the kerb at T{n % 13 + 1} is wet.", author="Coach",
             written_at=MADE, run_id=runs[n].id)
        for n in range(0, len(runs), 2)
    )  # fmt: skip
    return {"runs": len(runs), "cues": len(asked), "looks": sum(len(course["looks"]) for course in courses)}


def _cue(team: int, row: Debrief, number: int) -> dict[str, Any]:
    return {
        "team_id": team, "debrief_id": row.id, "driver_id": row.driver_id, "kind": "cue", "rank": number,
        "sentence": [{"text": f"T{number + 3}: brake "}, {"value": 12.0, "quantity": "distance", "unit": True}],
        "passage": f"P{number + 3}", "corner": f"T{number + 3}", "latitude": 10.0, "longitude": 20.0,
        "figure": FIGURES[number], "direction": "high", "value": 1200.0, "now": 1190.0, "shown": "own best",
        "basis": {"loss_s": 0.2, "loss_u_s": 0.03}, "made_at": MADE,
    }  # fmt: skip


def _given(cue: CueRow) -> dict[str, Any]:
    return {
        "id": cue.id, "kind": cue.kind, "sentence": cue.sentence, "text": None, "passage": cue.passage,
        "corner": cue.corner, "figure": cue.figure, "direction": cue.direction, "value": cue.value, "now": cue.now,
        "lap": 4, "basis": cue.basis, "places": [cue.latitude, cue.longitude, None, None],
    }  # fmt: skip


def _look(run: int, stage: str) -> dict[str, Any]:
    answer = "reached_paid" if stage == "kept" else "no_change"
    figures = dict.fromkeys(("before", "after", "change", "low", "high"), 1.25)
    return {
        "key": "0" * 40, "run": run, "answer": answer, "slipped": None, "why": None, "stage": stage, **figures,
        **{f"time_{name}": value for name, value in figures.items()},
    }  # fmt: skip


def addresses_of(client: FlaskClient) -> list[str]:
    """What is opened over days: the school, a driver in the middle of the list, a day, the calendar, search."""
    school = client.get("/api/season/school").json
    assert school["follow"]["state"] == "ready", school["follow"]
    driver = school["drivers"][len(school["drivers"]) // 2]["driver"]["id"]
    day = school["days"][-1]["event"]
    return [
        "/api/season/school", f"/api/season/drivers/{driver}", f"/api/season/day?event={day}", "/api/season/calendar",
        "/api/find?q=student", "/api/find?q=kerb", "/api/find?q=brake", "/api/paddock",
    ]  # fmt: skip


def size_of(database: Database, client: FlaskClient, path: str) -> int:
    """Bytes of an answer before it is compressed."""
    return len(json.dumps(client.get(path).json))
