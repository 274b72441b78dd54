"""A team leaves in open formats, and another installation takes it in."""

import io
import json
import zipfile
from datetime import datetime
from pathlib import Path
from typing import Any

import jsonschema
import pytest
from sqlalchemy import select
from sqlalchemy.orm import Session

from lauftakt import settings
from lauftakt.core.log.model import Unusable
from lauftakt.formats.geojson import read_layout
from lauftakt.formats.reading import read_log
from lauftakt.store.accounts import add_team
from lauftakt.store.counting import laps_of, say_of_lap, settle
from lauftakt.store.database import Database
from lauftakt.store.lap_names import key_of, lap_of
from lauftakt.store.models import CueRow, Debrief, Event, Note, Original, Run, Voice
from lauftakt.web.debrief.telling import snapshot
from lauftakt.work.direct import hand_in_now
from lauftakt.work.intake import Giver
from lauftakt.work.teams.export import export_team
from lauftakt.work.teams.taking_in import take_team_in
from tests.day import Day


def quiet(_: str) -> None:
    """Says nothing."""


@pytest.fixture
def team(database: Database, day: Day) -> int:
    with database.begin() as session:
        team_id = add_team(session, "Leaving").id
    for path in (day.layout_file, *day.files[:2]):
        hand_in_now(database, settings.load().inbox, Giver(team_id, "shell"), path)
    with database.begin() as session:
        first, second = session.scalars(select(Run).where(Run.team_id == team_id).order_by(Run.id)).all()
        first.notes, first.felt, first.tyres, first.conditions = "Zoë's\nnotes", "Rear light", "worn", "damp"
        first.confirmed = True
        lap = next(lap for lap in laps_of(session, first.analysis_id) if lap.time_s)
        say_of_lap(session, first, lap, None, counts=False, reason="traffic")
        settle(session, first)
        say_something(session, first)
        best = next(lap for lap in laps_of(session, second.analysis_id) if lap.time_s)
        first.event.reference = key_of(second, best)
        # Of a run without kept bytes its samples leave.
        session.delete(session.scalars(select(Original).where(Original.run_id == second.id)).one())
    return team_id


def measured(database: Database, team_id: int) -> list[tuple[str, int]]:
    """By which lap each day is measured: the log of its run, and the second in it."""
    with database.begin() as session:
        found = []
        for event in session.scalars(select(Event).where(Event.team_id == team_id).order_by(Event.day)):
            run, second = lap_of(event.reference or "")
            found.append((session.get_one(Run, run).driver.name, second))
        return found


def told(database: Database, team_id: int) -> list[dict[str, Any]]:
    with database.begin() as session:
        return [
            {
                "driver": run.driver.name, "car": run.car.name if run.car else None, "layout": run.layout.name,
                "event": (run.event.name, run.event.day), "started": run.started_at, "kind": run.kind,
                "notes": run.notes, "felt": run.felt, "tyres": run.tyres, "conditions": run.conditions,
                "confirmed": run.confirmed,
                "laps": [(lap.number, lap.set_aside) for lap in laps_of(session, run.analysis_id)],
                "times": [lap.time_s for lap in laps_of(session, run.analysis_id) if lap.time_s],
            }
            for run in session.scalars(select(Run).where(Run.team_id == team_id).order_by(Run.id))
        ]  # fmt: skip


def said(database: Database, team_id: int) -> dict[str, Any]:
    """Debriefs, what drivers said, and notes, by what they say and not by their numbers."""
    with database.begin() as session:
        debriefs = session.scalars(select(Debrief).where(Debrief.team_id == team_id).order_by(Debrief.id)).all()
        cues = session.scalars(select(CueRow).where(CueRow.team_id == team_id).order_by(CueRow.id)).all()
        order = {cue.id: number for number, cue in enumerate(cues)}
        return {
            "debriefs": [
                (
                    row.driver.name, row.author, row.losses, row.made_at, row.given_at,
                    [cue | {"id": order[cue["id"]]} for cue in (row.given or {"cues": []})["cues"]],
                    row.given == {"cues": snapshot([cue for cue in cues if cue.debrief_id == row.id]), "before": None},
                )
                for row in debriefs
            ],
            "cues": [
                (cue.kind, cue.sentence, cue.text, cue.figure, cue.value, cue.latitude, cue.basis, cue.understood)
                for cue in cues
            ],
            "voices": [
                (row.felt, row.corner, row.words, row.said_at)
                for row in session.scalars(select(Voice).where(Voice.team_id == team_id).order_by(Voice.id))
            ],
            "notes": [
                (row.pin, row.text, row.shared, row.author, row.written_at, row.moment_s, row.run_id is None)
                for row in session.scalars(select(Note).where(Note.team_id == team_id).order_by(Note.id))
            ],
        }  # fmt: skip


def say_something(session: Session, run: Run) -> None:
    """A debrief that was given, with a cue that was answered and a keep; what the driver felt; notes."""
    at = datetime(2026, 5, 16, 12, 30)
    debrief = Debrief(
        team_id=run.team_id, driver_id=run.driver_id, event_id=run.event_id, run_id=run.id, author="Coach",
        losses={"P1": [0.2, 0.03]}, made_at=at, given_at=at,
    )  # fmt: skip
    session.add(debrief)
    session.flush()
    shared = {
        "team_id": run.team_id, "debrief_id": debrief.id, "driver_id": run.driver_id, "passage": "P1", "rank": 1,
        "latitude": 50.0, "longitude": 7.0, "direction": "low", "value": 3.0, "now": 3.2, "made_at": at,
    }  # fmt: skip
    keep = CueRow(
        kind="keep", sentence=[{"text": "T1: quick. Keep it."}], figure="passage_s", shown="kept", basis={}, **shared
    )
    cue = CueRow(
        kind="cue", text="Später", figure="brake_point_m", shown="own best", understood=True, target_latitude=50.1,
        sentence=[{"text": "T1: brake "}, {"value": 4.0, "quantity": "distance", "unit": True}],
        target_longitude=7.1, basis={"loss_s": 0.2, "loss_u_s": 0.03, "seen": 3}, **shared,
    )  # fmt: skip
    cues = [keep, cue]
    session.add_all(cues)
    session.flush()
    debrief.given = {"cues": snapshot(cues), "before": None}
    whose = {"team_id": run.team_id, "author": "Coach", "written_at": at}
    session.add_all([
        Voice(team_id=run.team_id, driver_id=run.driver_id, run_id=run.id, felt="lost", corner="T1", words="Rutschte",
              said_at=at),
        Note(pin="lap", text="Kerb", run_id=run.id, moment_s=130.5, shared=True, **whose),
        Note(pin="driver", text="Ruhig bleiben", driver_id=run.driver_id, **whose),
        Note(pin="place", text="Bump", circuit_id=run.layout.circuit_id, latitude=50.0, longitude=7.0, **whose),
    ])  # fmt: skip


def test_a_team_leaves_and_is_taken_in(database: Database, team: int, day: Day, tmp_path: Path) -> None:
    archive = tmp_path / "team.zip"
    export_team(database, team, archive, quiet)
    assert archive.stat().st_mode & 0o077 == 0
    with zipfile.ZipFile(archive) as found:
        content, schema = json.loads(found.read("team.json")), json.loads(found.read("team.schema.json"))
        jsonschema.validate(content, schema)
        whole, samples = content["runs"]
        assert found.read(whole["file"]) == day.files[0].read_bytes()
        assert (whole["as_handed_in"], samples["as_handed_in"]) == (True, False)
        (tmp_path / "log.parquet").write_bytes(found.read(samples["file"]))
        assert read_log(tmp_path / "log.parquet").positions() is not None
        (layout,) = content["layouts"]
        sketch = read_layout(found.read(layout["file"]), "?")
        assert len(sketch.corners) == len(day.layout.corners)
        assert len(sketch.splits) == 2
    with database.begin() as session:
        other = add_team(session, "Taking in").id
    inbox = settings.load().inbox
    assert take_team_in(database, inbox, other, archive, quiet) == (2, 2)
    before, after = told(database, team), told(database, other)
    for one, two in zip(before, after, strict=True):
        assert two.pop("times") == pytest.approx(one.pop("times"), abs=2e-3)
        assert two == one
    assert said(database, other) == said(database, team)
    assert measured(database, other) == measured(database, team)
    assert len(measured(database, team)) == 1
    # Once more changes nothing.
    assert take_team_in(database, inbox, other, archive, quiet) == (2, 2)
    assert len(told(database, other)) == 2
    assert said(database, other) == said(database, team)


def changed(archive: Path, target: Path, **parts: bytes | None) -> Path:
    out = io.BytesIO()
    with zipfile.ZipFile(archive) as found, zipfile.ZipFile(out, "w") as made:
        for name in found.namelist():
            data = parts.get(name.replace(".", "_"), found.read(name))
            if data is not None:
                made.writestr(name, data)
    target.write_bytes(out.getvalue())
    return target


def test_what_is_no_exported_team_is_refused_whole(database: Database, team: int, tmp_path: Path) -> None:
    archive = tmp_path / "team.zip"
    export_team(database, team, archive, quiet)
    with zipfile.ZipFile(archive) as found:
        content = json.loads(found.read("team.json"))
    newer = json.dumps({**content, "lauftakt-team": 2}).encode()
    gone = json.dumps({**content, "dialects": ["dialects/none.json"]}).encode()
    wrong = json.dumps({**content, "runs": [{**content["runs"][0], "day": "../../etc"}]}).encode()
    unknown = json.loads(json.dumps(content))
    unknown["runs"][0]["debrief"]["given"]["cues"][0]["figure"] = "made_up"
    silent = json.loads(json.dumps(content))
    silent["runs"][0]["debrief"]["cues"][0]["sentence"] = [{"quantity": "distance"}]
    (tmp_path / "text.zip").write_bytes(b"no archive")
    with database.begin() as session:
        other = add_team(session, "Refusing").id
    for path, words in (
        (tmp_path / "none.zip", "no file"),
        (tmp_path / "text.zip", "not a whole archive"),
        (changed(archive, tmp_path / "a.zip", team_json=None), "no team.json"),
        (changed(archive, tmp_path / "b.zip", team_json=b"{}"), "cannot be used"),
        (changed(archive, tmp_path / "c.zip", team_json=newer), "another version"),
        (changed(archive, tmp_path / "d.zip", team_json=gone), "none.json is missing"),
        (changed(archive, tmp_path / "e.zip", team_json=wrong), "runs.0.day"),
        (changed(archive, tmp_path / "f.zip", team_json=json.dumps(unknown).encode()), "no figure made_up"),
        (changed(archive, tmp_path / "g.zip", team_json=json.dumps(silent).encode()), "part of a sentence"),
    ):
        with pytest.raises(Unusable, match=words):
            take_team_in(database, settings.load().inbox, other, path, quiet)
    assert told(database, other) == []
