"""Labels proposed and confirmed, laps judged, dialects kept: what a person says stays said, and can be taken back."""

import io
import zipfile
from pathlib import Path
from typing import Any

import pytest
from sqlalchemy import select

from lauftakt.formats.csv_out import write_csv
from lauftakt.formats.reading import read_log
from lauftakt.store.database import Database
from lauftakt.store.models import Driver, Run
from lauftakt.work.renewing import renew_run
from tests.day import Day
from tests.dialects import WRITERS, named
from tests.web.coach import Coach
from tests.web.schools import give


@pytest.fixture
def season(coach: Coach, app: Any, database: Database, day: Day) -> Coach:
    """A coach with the layout and the first driver's run."""
    return give(coach, app, database, (day.layout_file, day.files[0]))


def bytes_of(log, tmp_path, name="x.csv", write=write_csv) -> bytes:
    write(log, tmp_path / name)
    return (tmp_path / name).read_bytes()


def run_of(answer) -> dict:
    assert answer.json["state"] == "taken", answer.json["message"]
    return answer.json["run"]


def test_labels_come_from_file_name_and_last_run(season: Coach, day: Day, tmp_path) -> None:
    first = season.get("/api/hand-ins").json["hand_ins"][0]["run"]
    assert first["labels_from"]["driver"] == "file"
    assert first["labels_from"]["layout"] == "position"
    change = {"tyres": "Slick, hard", "conditions": "dry", "kind": "qualifying"}
    season.patch(f"/api/runs/{first['run']['id']}", json=change)
    # The same driver's next file says nothing but its name; everything else is as in the last run.
    data = bytes_of(named(day.logs[3], driver=None, car=None, event=None, date=None, kind=None), tmp_path)
    run = run_of(season.hand_in("2026-05-16 1410 Halvard wet.csv", data))
    assert run["run"]["driver"]["name"] == "Halvard"
    assert run["run"]["car"] == "School coupé 2"
    assert run["run"]["started_at"] == "2026-05-16T14:10:00"
    assert (run["run"]["kind"], run["tyres"], run["conditions"]) == ("qualifying", "Slick, hard", "wet")
    assert run["event"]["name"] == "Spring school"
    sources = run["labels_from"]
    assert (sources["driver"], sources["started"], sources["conditions"]) == ("name", "name", "name")
    assert (sources["car"], sources["tyres"], sources["kind"]) == ("last run", "last run", "last run")
    assert "wet" not in {lap["set_aside"] for lap in run["laps"]}


def test_a_run_in_the_wet_counts_among_its_own_kind(season: Coach) -> None:
    run = season.get("/api/hand-ins").json["hand_ins"][0]["run"]
    path = f"/api/runs/{run['run']['id']}"
    wet = season.patch(path, json={"conditions": "wet"}).json
    assert wet["run"]["counting"] == run["run"]["counting"] > 0
    assert wet["run"]["conditions"] == "wet"
    assert season.patch(path, json={"conditions": "dry"}).json["run"]["counting"] == run["run"]["counting"]


def test_a_lap_is_judged_and_the_word_survives_a_new_computation(season: Coach, database: Database) -> None:
    run = season.get("/api/hand-ins").json["hand_ins"][0]["run"]
    run_id, path = run["run"]["id"], f"/api/runs/{run['run']['id']}/laps"
    told = season.patch(f"{path}/3", json={"counts": False}).json
    assert next(lap for lap in told["laps"] if lap["number"] == 3)["set_aside"] == "by_hand"
    renew_run(database, season.team_id, run_id)
    again = season.get(f"/api/runs/{run_id}").json
    assert next(lap for lap in again["laps"] if lap["number"] == 3)["set_aside"] == "by_hand"
    assert [lap["time_s"] for lap in again["laps"]] == pytest.approx([lap["time_s"] for lap in run["laps"]], abs=2e-3)
    assert season.patch(f"{path}/3", json={"counts": None}).json["run"]["counting"] == run["run"]["counting"]
    assert season.patch(f"{path}/0", json={"counts": True}).status_code == 409
    assert season.patch(f"{path}/99", json={"counts": True}).status_code == 404


def test_many_runs_are_labelled_at_once_or_not_at_all(season: Coach, day: Day) -> None:
    second = run_of(season.hand_in(day.files[1].name, day.files[1].read_bytes()))
    first = season.get("/api/hand-ins").json["hand_ins"][1]["run"]
    ids = [first["run"]["id"], second["run"]["id"]]
    answer = season.post(
        "/api/runs/labels", json={"runs": ids, "change": {"event": "Autumn school", "confirmed": True}}
    )
    assert {run["event"]["name"] for run in answer.json["runs"]} == {"Autumn school"}
    assert [item["name"] for item in season.get("/api/paddock").json["events"]] == ["Autumn school"]
    refused = season.post("/api/runs/labels", json={"runs": [*ids, 999_999], "change": {"event": "Half"}})
    assert refused.status_code == 404
    assert [item["name"] for item in season.get("/api/paddock").json["events"]] == ["Autumn school"]


def test_what_cannot_be_a_label_is_refused(season: Coach) -> None:
    path = f"/api/runs/{season.get('/api/hand-ins').json['hand_ins'][0]['run']['run']['id']}"
    for change in ({"kind": "party"}, {"conditions": "hail"}, {"started_at": "yesterday"}, {"driver": ""}, {"x": 1}):
        assert season.patch(path, json=change).status_code == 422, change
    assert season.patch(path, json={"circuit": "Ellerholm <b>"}).json["event"]["circuit"] == "Ellerholm <b>"


def test_the_same_log_in_other_clothes_is_recognised(season: Coach, day: Day, tmp_path, database: Database) -> None:
    for name, write in WRITERS.items():
        data = bytes_of(named(day.logs[0], driver="Somebody else"), tmp_path, name, write)
        answer = season.hand_in(f"copy-{name}", data).json
        assert answer["code"] == "duplicate", (name, answer["code"], answer["message"])
        assert day.files[0].name in answer["message"]
    with database.begin() as session:
        names = session.scalars(select(Driver.name).where(Driver.team_id == season.team_id)).all()
    assert names == ["Halvard"]


def test_overlapping_logs_are_shown(season: Coach, day: Day, tmp_path) -> None:
    from tests.core.test_sameness import cut

    laps = {lap.number: lap for lap in day.runs[1].laps}
    whole = run_of(season.hand_in("early.csv", bytes_of(cut(day.logs[1], 0.0, laps[5].start_s + 30), tmp_path)))
    late = season.hand_in("late.csv", bytes_of(cut(day.logs[1], laps[2].start_s - 10, laps[8].end_s + 5), tmp_path))
    assert late.json["code"] == "overlap", late.json["message"]
    overlap = run_of(late)["overlaps"][0]
    assert overlap["run"] == whole["run"]["id"]
    assert "early.csv" in overlap["message"]


def test_the_other_direction_is_another_layout(season: Coach, day: Day, tmp_path) -> None:
    from dataclasses import replace

    log = day.logs[1]
    backwards = []
    for channel in log.channels:
        if channel.role in ("latitude", "longitude", "speed"):
            end = float(log.role("speed").time[-1])
            backwards.append(replace(channel, time=(end - channel.time)[::-1], values=channel.values[::-1]))
    data = bytes_of(replace(log, channels=tuple(backwards), meta={"driver": "Rik"}), tmp_path)
    answer = season.hand_in("reverse.csv", data)
    assert run_of(answer)["event"]["circuit"] == "Ellerholm Park, other direction"
    assert answer.json["code"] == "new-layout"


def test_a_correction_is_kept_and_applied_silently(season: Coach, day: Day, tmp_path) -> None:
    name = "2026-05-16-odd.txt"
    run = run_of(season.hand_in(name, bytes_of(day.logs[1], tmp_path, name, WRITERS[name])))
    path = f"/api/runs/{run['run']['id']}/channels"
    before = {c["name"]: c for c in season.get(path).json["channels"]}
    assert before["An2"]["role"] == "brake_pedal"
    assert before["An2"]["by"] == "values"
    assert before["G_Lat"]["flipped"]
    said = [{"name": "An2", "role": "brake_pressure", "unit": "psi"}, {"name": "An1", "role": ""}]
    answer = season.patch(path, json={"channels": said, "name": "Odd box"})
    assert answer.status_code == 202
    after = {c["name"]: c for c in season.get(path).json["channels"]}
    assert (after["An2"]["role"], after["An2"]["by"], after["An2"]["taken_unit"]) == (
        "brake_pressure",
        "dialect",
        "psi",
    )
    assert after["An1"]["role"] is None
    # The next file of this kind of logger is understood so without asking.
    other = run_of(season.hand_in("next.txt", bytes_of(day.logs[2], tmp_path, name, WRITERS[name])))
    assert other["dialect"] == "Odd box"
    known = {c["name"]: c for c in season.get(f"/api/runs/{other['run']['id']}/channels").json["channels"]}
    assert (known["An2"]["role"], known["An1"]["role"]) == ("brake_pressure", None)
    # It leaves as a file, and teaches another team.
    listed = season.get("/api/dialects").json["dialects"][0]
    assert (listed["name"], listed["known"], listed["runs"]) == ("Odd box", 2, 2)
    exported = season.get(f"/api/dialects/{listed['id']}/file")
    assert "attachment" in exported.headers["Content-Disposition"]
    season.delete(f"/api/dialects/{listed['id']}")
    assert season.get("/api/dialects").json["dialects"] == []
    assert season.hand_in("odd box.json", exported.data).json["code"] == "dialect"
    assert season.get("/api/dialects").json["dialects"][0]["known"] == 2


@pytest.mark.parametrize(
    "said",
    [
        {"name": "nothing like it", "role": "gear"},
        {"name": "gear", "role": "brain"},
        {"name": "gear", "role": "speed", "unit": "bar"},
        {"name": "gear", "unit": "furlong per jiffy ⚑"},
    ],
)
def test_a_correction_that_cannot_be_is_refused(season: Coach, said: dict) -> None:
    run = season.get("/api/hand-ins").json["hand_ins"][0]["run"]["run"]["id"]
    answer = season.patch(f"/api/runs/{run}/channels", json={"channels": [said]})
    assert answer.status_code == 422
    assert answer.json["message"]


def test_a_correction_that_makes_the_run_useless_leaves_it_as_it_was(season: Coach) -> None:
    row = season.get("/api/hand-ins").json["hand_ins"][0]
    run = row["run"]["run"]["id"]
    season.patch(
        f"/api/runs/{run}/channels",
        json={"channels": [{"name": "latitude", "role": ""}, {"name": "speed", "role": ""}]},
    )
    told = season.get("/api/hand-ins").json["hand_ins"][0]
    assert told["state"] == "taken"
    assert "stays as it was" in told["message"]
    assert told["run"]["run"]["best_s"] == row["run"]["run"]["best_s"]
    # Taken back, the sentence goes with it.
    back = [{"name": "latitude", "role": "latitude"}, {"name": "speed", "role": "speed"}]
    season.patch(f"/api/runs/{run}/channels", json={"channels": back})
    told = season.get("/api/hand-ins").json["hand_ins"][0]
    assert (told["state"], told["message"]) == ("taken", None)


@pytest.mark.parametrize("kind", ["csv", "parquet", "mdf4", "gpx", "geojson"])
def test_everything_leaves_in_open_formats(taught: Coach, tmp_path, kind: str) -> None:
    run = taught.get("/api/paddock").json["runs"][0]
    answer = taught.get(f"/api/runs/{run['id']}/file?format={kind}&lap={run['best_lap']}")
    assert answer.status_code == 200
    name = answer.headers["Content-Disposition"].split("filename=")[-1].strip('"')
    assert f"lap-{run['best_lap']}" in name
    if kind != "geojson":
        path = tmp_path / name
        path.write_bytes(answer.data)
        log = read_log(path)
        assert log.meta["driver"] == run["driver"]["name"]
        assert log.role("latitude").time[-1] == pytest.approx(run["best_s"], abs=0.2)


@pytest.mark.parametrize("kind", ["parquet", "mdf4", "gpx"])
def test_a_day_leaves_as_an_archive(taught: Coach, kind: str) -> None:
    event = taught.get("/api/paddock").json["event"]["id"]
    begun = taught.post(f"/api/events/{event}/export", json={"format": kind})
    assert begun.status_code == 202
    job = taught.get(f"/api/jobs/{begun.json['id']}").json
    assert (job["state"], job["message"]) == ("done", None)
    answer = taught.get(f"/api/jobs/{job['id']}/file")
    assert "attachment" in answer.headers["Content-Disposition"]
    names = zipfile.ZipFile(io.BytesIO(answer.data)).namelist()
    assert len(names) == 2
    assert len({Path(name).suffix for name in names}) == 1
    assert taught.post(f"/api/events/{event}/export", json={"format": "exe"}).status_code == 422


def test_a_whole_run_leaves_by_a_job(taught: Coach, tmp_path) -> None:
    run = taught.get("/api/paddock").json["runs"][0]
    job = taught.post(f"/api/runs/{run['id']}/export", json={"format": "csv"}).json
    (tmp_path / "run.csv").write_bytes(taught.get(f"/api/jobs/{job['id']}/file").data)
    assert read_log(tmp_path / "run.csv").meta["driver"] == run["driver"]["name"]


def test_runs_of_an_older_version_are_read_as_they_were(season: Coach, database: Database) -> None:
    """Samples that were stored in SI units, before channels were kept as logged."""
    with database.begin() as session:
        run = session.scalars(select(Run).where(Run.team_id == season.team_id)).one()
        best = season.get(f"/api/runs/{run.id}").json["run"]["best_s"]
        for channel in run.channels:
            if channel.role == "speed":
                from lauftakt.store.blocks import pack, unpack
                from lauftakt.store.models import Samples

                channel.as_logged = False
                for block in session.scalars(select(Samples).where(Samples.channel_id == channel.id)):
                    block.values = pack(unpack(block.values) / 3.6)
        run_id = run.id
    renew_run(database, season.team_id, run_id)
    assert season.get(f"/api/runs/{run_id}").json["run"]["best_s"] == pytest.approx(best, abs=2e-3)
