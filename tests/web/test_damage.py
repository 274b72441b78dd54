"""Data that went bad in the database: no page shows it as if it were right, none fails for it, and it is made anew."""

from collections.abc import Callable
from typing import Any

import pytest
import zstandard
from sqlalchemy import select, text, update

from lauftakt import settings
from lauftakt.store.blocks import expand, has_checksum
from lauftakt.store.counting import laps_of
from lauftakt.store.damage import digest_of_blocks, parts, seal
from lauftakt.store.database import Database
from lauftakt.store.models import (
    Analysis,
    ChannelRow,
    Curves,
    LapFigures,
    LapRow,
    Original,
    OriginalPart,
    Run,
    Samples,
    SectorTime,
)
from lauftakt.work import jobs
from lauftakt.work.doing import work_on
from lauftakt.work.sealing import unsealed
from lauftakt.work.tidying import tidy
from tests.day import Day
from tests.web.coach import Coach
from tests.web.schools import give


@pytest.fixture
def school(coach: Coach, app: Any, database: Database, day: Day) -> Coach:
    return give(coach, app, database, (day.layout_file, day.files[0], day.files[1]))


def flipped(data: bytes, byte: int | None = None) -> bytes:
    """The same bytes with a bit of the middle flipped."""
    block = bytearray(data)
    block[len(block) // 2 if byte is None else byte] ^= 4
    return bytes(block)


def first_run(database: Database, coach: Coach) -> Run:
    with database.begin() as session:
        return session.scalars(select(Run).where(Run.team_id == coach.team_id).order_by(Run.id)).first()


def flip(database: Database, model: Any, column: str, **where: Any) -> int:
    """Flip a bit in each of the rows; returns how many there were."""
    with database.begin() as session:
        rows = session.scalars(select(model).filter_by(**where)).all()
        for row in rows:
            setattr(row, column, flipped(getattr(row, column)))
        return len(rows)


def curves(database: Database, run: Run) -> None:
    assert flip(database, Curves, "data", analysis_id=run.analysis_id)


def figures_of_laps(database: Database, run: Run) -> None:
    assert flip(database, LapFigures, "data", analysis_id=run.analysis_id)


def figures(database: Database, run: Run) -> None:
    assert flip(database, Analysis, "figures", id=run.analysis_id)


def a_lap_time(database: Database, run: Run) -> None:
    with database.begin() as session:
        own = update(LapRow).where(LapRow.analysis_id == run.analysis_id, LapRow.number == 2)
        session.execute(own.values(time_s=LapRow.time_s - 1.0))


def a_sector(database: Database, run: Run) -> None:
    with database.begin() as session:
        lap = session.scalars(select(LapRow.id).where(LapRow.analysis_id == run.analysis_id, LapRow.number == 2)).one()
        session.execute(update(SectorTime).where(SectorTime.lap_id == lap).values(time_s=SectorTime.time_s + 0.3))


def a_curve_is_gone(database: Database, run: Run) -> None:
    with database.begin() as session:
        session.execute(text("DELETE FROM curves WHERE analysis_id = :a AND role = 'speed'"), {"a": run.analysis_id})


def pages(coach: Coach) -> dict[str, Any]:
    """What a coach looks at of a day; the answers without what changes with a new analysis."""
    event = coach.get("/api/paddock").json["event"]["id"]
    desk = coach.get("/api/desk").json
    keys, base = ",".join(lap["curves"] for lap in desk["laps"]), desk["laps"][0]["curves"]
    paths = [
        f"/api/laps?event={event}", f"/api/laps/sheet?event={event}", f"/api/watch?event={event}", "/api/paddock",
        "/api/desk", f"/api/curves?laps={keys}&reference={base}", f"/api/card?laps={keys}&reference={base}&passage=P1",
        f"/api/stints?event={event}", f"/api/season/day?event={event}", "/api/laps/all",
    ]  # fmt: skip
    return {path: coach.get(path) for path in paths}


def times(coach: Coach) -> list[tuple[int, float]]:
    event = coach.get("/api/paddock").json["event"]["id"]
    found = coach.get(f"/api/laps?event={event}").json
    return [(lap["number"], lap["time_s"]) for lap in found["laps"]]


HARM: list[Callable[[Database, Run], None]] = [
    curves, figures_of_laps, figures, a_lap_time, a_sector, a_curve_is_gone,
]  # fmt: skip


@pytest.mark.parametrize("harm", HARM)
def test_a_damaged_analysis_costs_no_page_and_is_made_anew(
    school: Coach, database: Database, harm: Callable[[Database, Run], None]
) -> None:
    run = first_run(database, school)
    harm(database, run)
    answers = pages(school)
    bad = {path: answer for path, answer in answers.items() if answer.status_code != 200}
    # What was asked for by the number of the analysis that is gone says so.
    assert {answer.json["code"] for answer in bad.values()} <= {"damaged", "not-found"}, bad
    assert all("laps=" in path for path in bad), bad
    assert {answer.status_code for answer in pages(school).values()} == {200}
    again = first_run(database, school)
    assert again.analysis_id != run.analysis_id, "what was damaged is out of use"
    with database.begin() as session:
        assert session.get(Analysis, run.analysis_id) is None
        fresh = session.get_one(Analysis, again.analysis_id)
        assert fresh.digest is not None
        assert parts(fresh.digest)[2] == digest_of_blocks(session, fresh)
        number = session.scalars(select(LapRow).where(LapRow.analysis_id == fresh.id, LapRow.number == 2)).one()
        assert number.time_s is not None
        assert sum(sector.time_s for sector in number.sectors) == pytest.approx(number.time_s, abs=0.02)
    assert len(times(school)) > 10


def test_a_wrong_lap_time_is_never_shown(school: Coach, database: Database) -> None:
    run = first_run(database, school)
    with database.begin() as session:
        lap = session.scalars(select(LapRow).where(LapRow.analysis_id == run.analysis_id, LapRow.number == 2)).one()
        true = lap.time_s
    a_lap_time(database, run)
    mine = [time for number, time in times(school) if number == 2]
    assert true is not None
    assert any(time == pytest.approx(true, abs=0.002) for time in mine)
    assert not any(time == pytest.approx(true - 1.0, abs=0.5) for time in mine)


def samples(database: Database, run: Run) -> None:
    with database.begin() as session:
        channel = session.scalars(select(ChannelRow.id).where(ChannelRow.run_id == run.id, ChannelRow.role == "speed"))
        number = channel.first()
    assert flip(database, Samples, "values", channel_id=number) == 1


def test_damaged_samples_are_read_again_from_the_file(school: Coach, database: Database) -> None:
    run = first_run(database, school)
    samples(database, run)
    asked = f"/api/runs/{run.id}/file?lap=2&format=csv"
    answer = school.get(asked)
    assert (answer.status_code, answer.json["code"]) == (503, "damaged")
    assert run.file_name in answer.json["message"]
    assert "made anew" in answer.json["message"]
    assert school.get(asked).status_code == 200


def test_samples_whose_file_is_damaged_too_are_whole_again_when_it_is_handed_in(
    school: Coach, database: Database, day: Day
) -> None:
    run = first_run(database, school)
    samples(database, run)
    with database.begin() as session:
        original = session.scalars(select(Original.id).where(Original.run_id == run.id)).one()
    assert flip(database, OriginalPart, "data", original_id=original)
    asked = f"/api/runs/{run.id}/file?lap=2&format=csv"
    answer = school.get(asked)
    assert (answer.status_code, answer.json["code"]) == (500, "damaged")
    assert "Hand it in again" in answer.json["message"]
    path = next(path for path in day.files if path.name == run.file_name)
    fate = school.hand_in(path.name, path.read_bytes()).json
    assert (fate["state"], fate["code"]) == ("taken", "mended")
    with database.begin() as session:
        waits = session.scalars(
            select(jobs.Job.id).where(jobs.Job.team_id == school.team_id, jobs.Job.state == "waiting")
        ).all()
    for job in waits:
        work_on(database, settings.load().inbox, job, retry=False)
    assert school.get(asked).status_code == 200
    assert len(school.get("/api/paddock").json["runs"]) == 2, "and it is no other run"


def as_before(data: bytes) -> bytes:
    """A block as an older version wrote it."""
    return data[:2] + zstandard.ZstdCompressor(level=1).compress(expand(data[2:]))


def test_older_blocks_get_their_checksums(school: Coach, database: Database, tmp_path: Any) -> None:
    run = first_run(database, school)
    with database.begin() as session:
        analysis = session.get_one(Analysis, run.analysis_id)
        analysis.digest = None
        own = select(ChannelRow.id).where(ChannelRow.run_id == run.id)
        blocks = session.scalars(select(Samples).where(Samples.channel_id.in_(own))).all()
        for block in blocks:
            block.clock, block.values = as_before(block.clock), as_before(block.values)
        for row in session.scalars(select(Curves).where(Curves.analysis_id == analysis.id)):
            row.data = as_before(row.data)
        session.get_one(Run, run.id).sealed = False
        assert not has_checksum(blocks[0].values[2:])
    school_of = school.team_id
    made = tidy(database, tmp_path / "exports", tmp_path / "inbox")
    with database.begin() as session:
        job = session.scalars(
            select(jobs.Job).where(jobs.Job.id.in_(made), jobs.Job.kind == "seal", jobs.Job.team_id == school_of)
        ).one()
    work_on(database, tmp_path / "inbox", job.id, retry=False)
    with database.begin() as session:
        assert unsealed(session, school_of) == []
        for block in session.scalars(select(Samples).where(Samples.channel_id.in_(own))):
            assert has_checksum(block.clock[2:])
            assert has_checksum(block.values[2:])
        for row in session.scalars(select(Curves).where(Curves.analysis_id == run.analysis_id)):
            assert has_checksum(row.data[2:])
        sealed = session.get_one(Analysis, run.analysis_id)
        assert sealed.digest is not None
        assert parts(sealed.digest)[2] == digest_of_blocks(session, sealed)
    assert {answer.status_code for answer in pages(school).values()} == {200}


def test_a_seal_holds_only_for_what_was_sealed(school: Coach, database: Database) -> None:
    run = first_run(database, school)
    with database.begin() as session:
        analysis = session.get_one(Analysis, run.analysis_id)
        before = analysis.digest
        seal(session, analysis, laps_of(session, analysis.id))
        assert analysis.digest == before
