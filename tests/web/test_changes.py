"""What changes over time stays right: corrections, edits at the same moment, renewals, undo, what browsers may keep."""

import io
import threading
import time
from concurrent.futures import ThreadPoolExecutor
from datetime import timedelta
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pytest
from sqlalchemy import func, select, text, update

from lauftakt import settings
from lauftakt.core.log.model import Unusable
from lauftakt.core.pipeline import make_layout
from lauftakt.formats.reading import read_log
from lauftakt.operate import check
from lauftakt.store import layouts
from lauftakt.store.analyses import KEPT, forget_replaced
from lauftakt.store.database import Database
from lauftakt.store.database import now as present
from lauftakt.store.models import (
    Analysis,
    Comparison,
    DialectRow,
    Event,
    FindingRow,
    HandIn,
    Job,
    LayoutRow,
    Original,
    OriginalPart,
    Run,
)
from lauftakt.work import importing, jobs, locating, open_jobs, queue, renewing
from lauftakt.work.doing import work_on
from tests.day import Day
from tests.web.coach import Coach, make_coach
from tests.web.schools import give


@pytest.fixture
def school(coach: Coach, app: Any, database: Database, day: Day) -> Coach:
    """A coach with the layout and two drivers' runs."""
    return give(coach, app, database, (day.layout_file, *day.files[:2]))


def run_of(school: Coach, driver: str) -> int:
    return next(run["id"] for run in school.get("/api/paddock").json["runs"] if run["driver"]["name"] == driver)


def curves(school: Coach, laps: list[str], roles: str) -> Any:
    answer = school.get(f"/api/curves?laps={','.join(laps)}&reference={laps[0]}&roles={roles}")
    assert answer.status_code == 200, answer.json
    return answer, pa.ipc.open_stream(io.BytesIO(answer.data)).read_all()


# ---- a correction reaches the running server ------------------------------------------------------------------------


def test_a_corrected_channel_is_seen_at_once(taught: Coach) -> None:
    run = run_of(taught, "Ines")
    lap = taught.get(f"/api/desk?laps={run}.2").json["laps"][0]
    before = curves(taught, [lap["curves"]], "steering")[1][f"{lap['curves']}|steering"].to_numpy()
    turned = [{"name": "steering", "role": "steering", "flipped": True}]
    answer = taught.patch(f"/api/runs/{run}/channels", json={"channels": turned})
    assert answer.status_code == 202
    again = taught.get(f"/api/desk?laps={lap['key']}").json["laps"][0]
    assert again["curves"] != lap["curves"]
    after = curves(taught, [again["curves"]], "steering")[1][f"{again['curves']}|steering"].to_numpy()
    assert np.allclose(after, -before, atol=1e-6)
    # The old analysis is what it was, for a page that was opened with it; what is cached is named by it.
    old, table = curves(taught, [lap["curves"]], "steering")
    assert np.array_equal(table[f"{lap['curves']}|steering"].to_numpy(), before)
    assert old.headers["Cache-Control"] == "private, max-age=31536000, immutable"
    # Taken back by its number, it is as it was before.
    assert taught.post(f"/api/actions/{answer.json['action']}/undo").status_code == 204
    back = taught.get(f"/api/desk?laps={lap['key']}").json["laps"][0]
    values = curves(taught, [back["curves"]], "steering")[1][f"{back['curves']}|steering"].to_numpy()
    assert np.allclose(values, before, atol=1e-6)


def test_curves_and_laps_of_one_line_up_are_of_one_analysis(school: Coach, database: Database, day: Day) -> None:
    """The layout gets a new version between the line-up and its curves."""
    desk = school.get("/api/desk").json
    names = [lap["curves"] for lap in desk["laps"]]
    moved, _ = make_layout(day.logs[1], "Ellerholm Park")
    with database.begin() as session:
        row = session.scalars(select(LayoutRow).where(LayoutRow.team_id == school.team_id)).one()
        layouts.add_version(session, row, moved)
        waiting = open_jobs.renew_runs(session, school.team_id, [lap["run"] for lap in desk["laps"]])
    _, table = curves(school, names, "speed")
    assert table["s"].to_numpy()[-1] == pytest.approx(desk["layout"]["length_m"])
    # One run is on the new version: until the other is, both are shown on the old one, with a word of it.
    work_on(database, settings.load().inbox, waiting[0])
    between = school.get("/api/desk").json
    assert between["layout"]["length_m"] == desk["layout"]["length_m"]
    assert between["renewing"]
    work_on(database, settings.load().inbox, waiting[1])
    after = school.get("/api/desk").json
    assert not after["renewing"]
    assert after["layout"]["length_m"] == pytest.approx(moved.length)
    assert after["layout"]["length_m"] != desk["layout"]["length_m"]
    # An address that was sent to somebody still names the same laps, although the start line lies elsewhere.
    keys = ",".join(lap["key"] for lap in desk["laps"])
    sent = school.get(f"/api/desk?laps={keys}&reference={desk['reference']}").json
    assert [lap["run"] for lap in sent["laps"]] == [lap["run"] for lap in desk["laps"]]
    for lap, old in zip(sent["laps"], desk["laps"], strict=True):
        assert lap["time_s"] == pytest.approx(old["time_s"], abs=1.5)


def test_a_replaced_analysis_goes_when_nobody_can_need_it_any_more(school: Coach, database: Database) -> None:
    run = run_of(school, "Ines")
    desk = school.get("/api/desk").json
    laps = ",".join(lap["curves"] for lap in desk["laps"])
    query = f"laps={laps}&reference={desk['laps'][0]['curves']}"
    assert school.get(f"/api/card?{query}&passage=P1").status_code == 200
    renewing.renew_run(database, school.team_id, run)
    with database.begin() as session:
        assert forget_replaced(session) == 0
        for row in session.scalars(select(Analysis).where(Analysis.run_id == run)):
            row.created_at = present() - 2 * KEPT
    with database.begin() as session:
        assert forget_replaced(session) >= 1
        assert len(session.scalars(select(Analysis).where(Analysis.run_id == run)).all()) == 1
    assert school.get(f"/api/curves?{query}").status_code == 404
    assert school.get("/api/desk").status_code == 200


# ---- edits at the same moment ---------------------------------------------------------------------------------------


def test_a_circuit_renamed_while_a_run_is_placed_keeps_its_name(
    coach: Coach, day: Day, monkeypatch: pytest.MonkeyPatch
) -> None:
    for path in (day.layout_file, day.files[0]):
        coach.hand_in(path.name, path.read_bytes())
    first = coach.get("/api/paddock").json["runs"][0]["id"]
    analyse = locating.analyse_run

    def rename_meanwhile(*args: Any, **kwargs: Any) -> Any:
        assert coach.patch(f"/api/runs/{first}", json={"circuit": "Ellerholm Ring"}).status_code == 200
        return analyse(*args, **kwargs)

    monkeypatch.setattr(locating, "analyse_run", rename_meanwhile)
    taken = coach.hand_in(day.files[1].name, day.files[1].read_bytes()).json
    assert taken["run"]["event"]["circuit"] == "Ellerholm Ring"
    assert {event["circuit"] for event in coach.get("/api/paddock").json["events"]} == {"Ellerholm Ring"}


def test_two_browsers_correct_one_logger_and_nothing_is_lost(school: Coach, database: Database, app: Any) -> None:
    run = run_of(school, "Ines")
    names = ["gear", "throttle", "steering", "brake pressure", "engine speed", "yaw rate", "oil temperature", "speed"]
    known = {channel["name"] for channel in school.get(f"/api/runs/{run}/channels").json["channels"]}
    names = [name for name in names if name in known]
    assert len(names) >= 6
    start = threading.Barrier(len(names))

    def correct(name: str) -> int:
        other = Coach(app.test_client(), school.team_id, school.email)
        other.sign_in()
        start.wait()
        return other.patch(
            f"/api/runs/{run}/channels", json={"channels": [{"name": name, "flipped": False}]}
        ).status_code

    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(queue.run_job, "delay", lambda _: None)
        with ThreadPoolExecutor(len(names)) as pool:
            assert set(pool.map(correct, names)) == {202}
    with database.begin() as session:
        row = session.scalars(select(DialectRow).where(DialectRow.team_id == school.team_id)).one()
        assert set(row.choices) == set(names)
        # Every correction is one more reading; the runs wait for one renewal each, not for eight.
        assert session.get_one(Run, run).reading == 1 + len(names)
        open_jobs = select(func.count()).where(
            Job.team_id == school.team_id, Job.kind == "renew", Job.state == "waiting", Job.subject_id == run
        )
        assert session.scalar(open_jobs) == 1


def test_a_correction_while_a_run_is_computed_is_not_overtaken(
    school: Coach, database: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    """What was computed by the old reading does not become the run's analysis after the new one was said."""
    run = run_of(school, "Ines")
    lap = school.get(f"/api/desk?laps={run}.2").json["laps"][0]
    before = curves(school, [lap["curves"]], "steering")[1][f"{lap['curves']}|steering"].to_numpy()
    analyse, once = renewing.analyse_run, []

    def correct_meanwhile(*args: Any, **kwargs: Any) -> Any:
        if not once:
            once.append(True)
            monkeypatch.setattr(queue.run_job, "delay", lambda _: None)
            turned = [{"name": "steering", "role": "steering", "flipped": True}]
            assert school.patch(f"/api/runs/{run}/channels", json={"channels": turned}).status_code == 202
        return analyse(*args, **kwargs)

    monkeypatch.setattr(renewing, "analyse_run", correct_meanwhile)
    renewing.renew_run(database, school.team_id, run)
    again = school.get(f"/api/desk?laps={lap['key']}").json["laps"][0]
    after = curves(school, [again["curves"]], "steering")[1][f"{again['curves']}|steering"].to_numpy()
    assert np.allclose(after, -before, atol=1e-6)


# ---- jobs -----------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("beat_s", [0.05, 600.0])
def test_a_worker_that_was_presumed_dead_changes_nothing(
    coach: Coach, day: Day, database: Database, monkeypatch: pytest.MonkeyPatch, beat_s: float
) -> None:
    """Whether its heartbeat stops it while it sleeps, or it goes on, and finds out when it wants to tell of it."""
    monkeypatch.setattr(jobs, "LONGEST_BEAT_S", beat_s)
    monkeypatch.setattr(jobs, "LEASE", 3 * timedelta(seconds=600))
    monkeypatch.setattr(queue.run_job, "delay", lambda _: None)
    hand_in = coach.hand_in(day.files[0].name, day.files[0].read_bytes()).json
    with database.begin() as session:
        job_id = session.scalars(select(Job.id).where(Job.subject_id == hand_in["id"], Job.kind == "import")).one()
    read, rounds = importing.read_raw, []

    def fall_asleep(path: Path) -> Any:
        """The first worker sleeps over its lease; another one takes the job and does it."""
        rounds.append(path)
        if len(rounds) == 1:
            # On another thread, as on another machine.
            threading.Thread(target=do_it).start()
            assert done.wait(120)
        return read(path)

    def do_it() -> None:
        # Until it got it: the first one's heart still beats.
        while len(rounds) < 2:
            with database.begin() as session:
                session.get_one(Job, job_id).lease_until = present().replace(year=2000)
            work_on(database, settings.load().inbox, job_id, retry=False)
        done.set()

    # Not the thread is waited for: a wait for it that is interrupted takes it for ended, whether it is or not.
    done = threading.Event()
    monkeypatch.setattr(importing, "read_raw", fall_asleep)
    work_on(database, settings.load().inbox, job_id, retry=False)
    assert done.wait(120)
    assert len(rounds) == 2
    told = coach.get("/api/hand-ins").json["hand_ins"][0]
    assert (told["state"], told["code"]) == ("taken", "new-layout")
    with database.begin() as session:
        assert session.scalar(select(func.count()).where(Run.team_id == coach.team_id)) == 1
        assert session.get_one(Job, job_id).attempts == 2


def test_every_write_of_a_lost_claim_is_refused(
    coach: Coach, day: Day, database: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(queue.run_job, "delay", lambda _: None)
    coach.hand_in(day.files[0].name, day.files[0].read_bytes())
    with database.begin() as session:
        job_id = session.scalars(select(Job.id).where(Job.team_id == coach.team_id)).one()
    first = jobs.claim(database, job_id)
    with database.begin() as session:
        session.get_one(Job, job_id).lease_until = present().replace(year=2000)
    second = jobs.claim(database, job_id)
    assert first is not None
    assert second is not None
    assert first.token != second.token
    for write in (
        lambda: jobs.progress(database, first, 0.5, "reading"),
        lambda: jobs.finish(database, first, "done"),
    ):
        with pytest.raises(jobs.Lost):
            write()
    with database.begin() as session, pytest.raises(jobs.Lost):
        jobs.hold(session, first)
    assert jobs.progress(database, second, 0.5, "reading") is False


# ---- comparisons ----------------------------------------------------------------------------------------------------


def readings_of(coach: Coach) -> dict:
    """What the paddock says of each run, computed where it is new."""
    event = coach.get("/api/paddock").json["event"]["id"]
    coach.get(f"/api/events/{event}/reading")
    found = coach.get(f"/api/events/{event}/reading").json
    assert found["state"] == "ready"
    return found


def test_findings_are_computed_once_and_follow_what_counts(school: Coach, database: Database) -> None:
    before = readings_of(school)
    assert any(run["says"] for run in before["runs"])
    with database.begin() as session:
        row = session.scalars(select(Comparison).where(Comparison.team_id == school.team_id)).one()
        kept = session.scalars(select(FindingRow).where(FindingRow.comparison_id == row.id)).all()
        assert [item for item in kept if not item.strength]
        assert {member.run_id for member in row.members} == {run["run"] for run in before["runs"]}
    # Another set of laps that count is another comparison; back again, the one that is kept serves. The card follows.
    desk = school.get("/api/desk").json
    laps = ",".join(lap["curves"] for lap in desk["laps"])
    query = f"laps={laps}&reference={desk['laps'][0]['curves']}&passage=P1"
    card = school.get(f"/api/card?{query}").json
    ines = run_of(school, "Ines")
    school.patch(f"/api/runs/{ines}/laps/3", json={"counts": False})
    other = school.get(f"/api/card?{query}").json
    assert other["habits"][1]["of"] == card["habits"][1]["of"] - 1
    readings_of(school)
    school.patch(f"/api/runs/{ines}/laps/3", json={"counts": None})
    assert school.get(f"/api/card?{query}").json == card
    assert readings_of(school) == before
    with database.begin() as session:
        count = session.scalar(select(func.count()).where(Comparison.team_id == school.team_id))
        assert count == 2


def test_nothing_is_found_about_the_reference_driver(school: Coach) -> None:
    """Two runs of one driver: what one loses to the other is no habit of somebody else."""
    run = run_of(school, "Ines")
    assert {item["against"] for item in readings_of(school)["runs"]} == {"reference", None}
    school.patch(f"/api/runs/{run}", json={"driver": "Halvard"})
    assert "reference" not in {item["against"] for item in readings_of(school)["runs"]}


# ---- undo and the log of what was done ------------------------------------------------------------------------------


def test_everything_is_taken_back_by_one_log(school: Coach) -> None:
    run = run_of(school, "Ines")
    before = school.get(f"/api/runs/{run}").json
    done = [
        school.patch(f"/api/runs/{run}", json={"tyres": "Slick", "conditions": "wet"}).json["action"],
        school.post("/api/runs/labels", json={"runs": [run], "change": {"event": "Autumn"}}).json["action"],
        school.patch(f"/api/runs/{run}/laps/2", json={"counts": False}).json["action"],
        school.patch(f"/api/runs/{run}/laps/3", json={"note": "Missed a gear"}).json["action"],
    ]
    changed = school.get(f"/api/runs/{run}").json
    assert changed["run"]["counting"] == before["run"]["counting"] - 1
    assert next(lap for lap in changed["laps"] if lap["number"] == 3)["note"] == "Missed a gear"
    listed = school.get("/api/actions").json["actions"]
    assert [item["id"] for item in listed[:4]] == done[::-1]
    assert all(item["can_undo"] and item["who"] == "C" for item in listed[:4])
    for action in reversed(done):
        assert school.post(f"/api/actions/{action}/undo").status_code == 204
        assert school.post(f"/api/actions/{action}/undo").status_code == 409
    after = school.get(f"/api/runs/{run}").json
    for key in ("run", "tyres", "conditions", "laps"):
        assert after[key] == before[key], key
    assert after["event"]["name"] == before["event"]["name"]
    page = school.get("/api/actions?limit=3").json
    assert page["next"] == page["actions"][-1]["id"]
    assert school.get(f"/api/actions?before={page['next']}").json["actions"][0]["id"] < page["next"]


# ---- bytes as handed in ---------------------------------------------------------------------------------------------


def test_the_bytes_are_kept_and_read_again_when_the_reader_changed(
    school: Coach, database: Database, day: Day, monkeypatch: pytest.MonkeyPatch
) -> None:
    run = run_of(school, "Ines")
    assert school.get(f"/api/runs/{run}").json["original"]
    assert school.get(f"/api/runs/{run}/original").data == day.files[1].read_bytes()
    best = school.get(f"/api/runs/{run}").json["run"]["best_s"]
    monkeypatch.setattr(renewing, "READER_VERSION", 99)
    again: list[Path] = []
    read = renewing.read_raw
    monkeypatch.setattr(renewing, "read_raw", lambda path: again.append(path) or read(path))
    renewing.renew_run(database, school.team_id, run)
    assert len(again) == 1
    with database.begin() as session:
        assert session.get_one(Run, run).reader_version == 99
    assert school.get(f"/api/runs/{run}").json["run"]["best_s"] == pytest.approx(best, abs=1e-9)
    # A run older than this says that its file is gone, and is read from its samples.
    with database.begin() as session:
        session.delete(session.scalars(select(Original).where(Original.run_id == run)).one())
    assert not school.get(f"/api/runs/{run}").json["original"]
    assert school.get(f"/api/runs/{run}/original").json["code"] == "no-original"
    renewing.renew_run(database, school.team_id, run)


def test_a_new_reader_makes_runs_outdated_whose_file_can_be_read_again(
    school: Coach, database: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    both = [run_of(school, name) for name in ("Halvard", "Ines")]

    def outdated() -> list[int]:
        with database.begin() as session:
            return [run for team, run in renewing.outdated(session) if team == school.team_id]

    assert outdated() == []
    monkeypatch.setattr(renewing, "READER_VERSION", 99)
    assert outdated() == both
    renewing.renew_run(database, school.team_id, both[0])
    assert outdated() == both[1:]
    # What has no kept file cannot be read again, and is not tried for ever.
    with database.begin() as session:
        session.delete(session.scalars(select(Original).where(Original.run_id == both[1])).one())
    assert outdated() == []


def test_a_damaged_file_is_told_and_costs_nothing_else(
    school: Coach, database: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    run = run_of(school, "Ines")
    before, file = school.get(f"/api/runs/{run}").json, school.get(f"/api/runs/{run}").json["run"]["file_name"]
    assert not {"file-damaged", "file-unread"} & {one["code"] for one in before["warnings"]}
    part = select(OriginalPart).join(Original, Original.id == OriginalPart.original_id).where(Original.run_id == run)
    with database.begin() as session:
        row = session.scalars(part).first()
        assert row is not None
        good, row.data = row.data, row.data[:-9] + b"\0" * 9
    monkeypatch.setattr(renewing, "READER_VERSION", 99)
    renewing.renew_run(database, school.team_id, run)
    after = school.get(f"/api/runs/{run}").json
    assert "file-damaged" in {one["code"] for one in after["warnings"]}
    assert after["run"]["best_s"] == pytest.approx(before["run"]["best_s"], abs=1e-6)
    with database.begin() as session:
        assert run not in [one for _, one in renewing.outdated(session)]
    told = list(check._known_damage(database))
    assert any(file in one.text for one in told)
    # Once its bytes are good again it is read, and nothing more is said.
    with database.begin() as session:
        row = session.scalars(part).first()
        assert row is not None
        row.data = good
    assert not any(file in one.text for one in check._originals(database))
    renewing.renew_run(database, school.team_id, run)
    assert "file-damaged" not in {one["code"] for one in school.get(f"/api/runs/{run}").json["warnings"]}


def test_a_file_that_the_present_reader_refuses_is_told(
    school: Coach, database: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    run = run_of(school, "Ines")
    monkeypatch.setattr(renewing, "READER_VERSION", 99)

    def refuse(_: Path) -> None:
        raise Unusable("file-kind", "Not any more.")

    monkeypatch.setattr(renewing, "read_raw", refuse)
    renewing.renew_run(database, school.team_id, run)
    assert "file-unread" in {one["code"] for one in school.get(f"/api/runs/{run}").json["warnings"]}
    with database.begin() as session:
        assert run not in [one for _, one in renewing.outdated(session)]
    # The next reader is asked again.
    monkeypatch.setattr(renewing, "READER_VERSION", 100)
    with database.begin() as session:
        assert run in [one for _, one in renewing.outdated(session)]


def test_what_browsers_keep_is_named_by_program_and_database(coach: Coach, database: Database) -> None:
    before = coach.get("/api/session")
    name = before.json["build"]
    assert before.headers["X-Lauftakt-Build"] == name
    assert coach.get("/api/session").json["build"] == name
    # Tables that were filled anew hold other rows under the same numbers.
    time.sleep(1.1)  # the moment at which tables are made is kept in whole seconds
    with database.begin() as session:
        session.execute(text("ALTER TABLE analysis FORCE"))
    database._filling = None
    assert coach.get("/api/session").json["build"] != name


# ---- lists to their end, and what browsers keep ---------------------------------------------------------------------


def test_events_are_read_to_their_end(school: Coach, database: Database) -> None:
    with database.begin() as session:
        layout = session.scalars(select(LayoutRow).where(LayoutRow.team_id == school.team_id)).one()
        for number in range(95):
            session.add(
                Event(
                    team_id=school.team_id, layout_id=layout.id, name=f"E{number}", day=f"2025-{1 + number % 3:02d}-05"
                )
            )
    seen: list[int] = []
    before = ""
    for _ in range(9):
        page = school.get(f"/api/paddock{before}").json
        seen += [event["id"] for event in page["events"]]
        if page["next"] is None:
            break
        before = f"?before={page['next']}"
    assert len(seen) == len(set(seen)) == 96


def test_a_busy_list_tells_only_what_changed(school: Coach, database: Database, day: Day) -> None:
    whole = school.get("/api/hand-ins").json
    assert whole["choices"]["drivers"]
    since = f"/api/hand-ins?since={whole['as_of']}"
    with database.begin() as session:
        for row in session.scalars(select(HandIn).where(HandIn.team_id == school.team_id)):
            row.changed_at = present().replace(year=2020)
    quiet = school.get(since).json
    assert (quiet["hand_ins"], quiet["gone"], quiet["choices"]) == ([], [], None)
    refused = school.hand_in("bad.csv", b"x").json
    assert [row["id"] for row in school.get(since).json["hand_ins"]] == [refused["id"]]
    school.delete(f"/api/hand-ins/{refused['id']}")
    assert school.get(since).json["gone"] == [refused["id"]]
    # More than a page changed: a look tells all of it.
    many = [school.hand_in(f"bad {n}.csv", b"x%d" % n).json["id"] for n in range(25)]
    assert sorted(row["id"] for row in school.get(since).json["hand_ins"]) == many
    whole = school.get("/api/hand-ins").json
    assert (len(whole["hand_ins"]), whole["more"]) == (20, True)
    # A run that was computed anew is told, too.
    run = run_of(school, "Ines")
    with database.begin() as session:
        session.execute(update(HandIn).values(changed_at=present().replace(year=2020)))
    turned = [{"name": "steering", "role": "steering", "flipped": True}]
    school.patch(f"/api/runs/{run}/channels", json={"channels": turned})
    assert run in [row["run"]["run"]["id"] for row in school.get(since).json["hand_ins"]]


def test_what_lists_is_sent_only_where_it_differs(school: Coach) -> None:
    first = school.get("/api/paddock")
    tag = first.headers["ETag"]
    assert first.headers["Cache-Control"] == "private, no-cache"
    again = school.get("/api/paddock", headers={"If-None-Match": tag})
    assert (again.status_code, again.data) == (304, b"")
    school.patch(f"/api/runs/{run_of(school, 'Ines')}", json={"driver": "Inés"})
    assert school.get("/api/paddock", headers={"If-None-Match": tag}).status_code == 200


def test_answers_are_compressed(taught: Coach) -> None:
    desk = taught.get("/api/desk").json
    laps = ",".join(lap["curves"] for lap in desk["laps"])
    path = f"/api/curves?laps={laps}&reference={desk['laps'][0]['curves']}&roles=speed"
    plain = taught.get(path)
    for kind in ("br", "gzip"):
        packed = taught.get(path, headers={"Accept-Encoding": kind})
        assert packed.headers["Content-Encoding"] == kind
        assert len(packed.data) < 0.8 * len(plain.data)
    assert taught.get("/api/desk", headers={"Accept-Encoding": "gzip"}).headers["Content-Encoding"] == "gzip"


def test_signing_out_clears_what_the_browser_kept(app: Any, database: Database) -> None:
    coach = make_coach(app, database)
    coach.sign_in()
    assert coach.delete("/api/session").headers["Clear-Site-Data"] == '"cache"'


# ---- the registry, and channels without a role ----------------------------------------------------------------------


def test_the_registry_tells_every_channel(taught: Coach) -> None:
    found = taught.get("/api/registry").json
    channels = {entry["code"]: entry for entry in found["channels"]}
    assert (channels["delta"]["drawn"], channels["gear"]["drawn"]) == ("signed", "steps")
    desk = taught.get("/api/desk").json
    for lap in desk["laps"]:
        assert {role for role in lap["roles"] if not role.startswith("~")} <= set(channels)
    shown = set(
        taught.get(f"/api/card?laps={desk['laps'][0]['curves']}&reference={desk['laps'][0]['curves']}&passage=P1").json[
            "figures"
        ][0]
    )
    assert {"min_speed", "brake_point_m"} <= shown & {entry["code"] for entry in found["figures"]}


def test_a_channel_without_a_role_reaches_the_grid(school: Coach, day: Day, tmp_path: Path) -> None:
    lines = day.files[2].read_text().splitlines()
    header = next(i for i, line in enumerate(lines) if line.startswith("time"))
    lines[header] += ',"Aux, 1 [kPa]"'
    table = [f"{line},{float(line.split(',')[0]) * 2:.4f}" for line in lines[header + 1 :]]
    school.hand_in("aux.csv", "\n".join([*lines[: header + 1], *table]).encode())
    run = run_of(school, "Okan")
    desk = school.get(f"/api/desk?laps={run}.2").json
    assert desk["nameless"] == [{"code": "~Aux, 1", "label": "Aux, 1", "unit": "kPa"}]
    lap = desk["laps"][0]
    assert "~Aux, 1" in lap["roles"]
    _, found = curves(school, [lap["curves"]], "speed,~Aux%252C%25201")
    time = found[f"{lap['curves']}|time"].to_numpy()
    start = next(item for item in school.get(f"/api/runs/{run}").json["laps"] if item["number"] == 2)["start_s"]
    assert np.allclose(found[f"{lap['curves']}|~Aux, 1"].to_numpy(), 2 * (start + time), atol=0.05)


# ---- hostile text ---------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("name", ["Zoë\x00 <b>&", "half \ud800 pair", "R&D <tag> \"quoted\" 'x'"])
def test_names_that_no_file_can_hold_lose_only_what_cannot_be_held(school: Coach, tmp_path: Path, name: str) -> None:
    run = run_of(school, "Ines")
    best = school.get(f"/api/runs/{run}").json["run"]["best_lap"]
    told = school.patch(f"/api/runs/{run}", json={"driver": name, "tyres": name, "event": name}).json
    kept = told["run"]["driver"]["name"]
    assert kept == " ".join(name.replace("\x00", "").replace("\ud800", "").split())
    for kind in ("csv", "parquet", "mdf4", "gpx"):
        answer = school.get(f"/api/runs/{run}/file?format={kind}&lap={best}")
        assert answer.status_code == 200, kind
        path = tmp_path / f"lap-{kind}.{kind}"
        path.write_bytes(answer.data)
        assert read_log(path).meta["driver"] == kept, kind
    event = school.get(f"/api/runs/{run}").json["event"]["id"]
    job = school.post(f"/api/events/{event}/export", json={"format": "gpx"}).json
    assert school.get(f"/api/jobs/{job['id']}").json["state"] == "done"
