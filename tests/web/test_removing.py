"""What is removed is hidden everywhere at once, comes back whole, and is gone after a month."""

from dataclasses import replace
from datetime import timedelta
from pathlib import Path
from typing import Any

import pytest
from sqlalchemy import select

from lauftakt.core.log.model import Channel
from lauftakt.formats.csv_out import write_csv
from lauftakt.store.database import INCLUDE_REMOVED, Database, now
from lauftakt.store.forgetting import mentions
from lauftakt.store.models import ChannelRow, Driver, Event, HandIn, LayoutRow, Run, Samples
from lauftakt.store.removing import KEPT, purge
from tests.day import Day
from tests.web.coach import Coach
from tests.web.schools import give


@pytest.fixture
def full(coach: Coach, app: Any, database: Database, day: Day) -> Coach:
    return give(coach, app, database, (day.layout_file, *day.files[:2]))


def everything(coach: Coach) -> dict[str, Any]:
    """What the screens show, without what only says when it was asked."""
    paddock, files = coach.get("/api/paddock").json, coach.get("/api/hand-ins").json
    files.pop("as_of")
    choices = coach.get("/api/choices").json if paddock["runs"] else None
    return {"paddock": paddock, "files": files, "choices": choices}


def names(rows: list[dict[str, Any]]) -> list[str]:
    return sorted(row["name"] for row in rows)


def test_a_run_goes_with_what_only_it_held_and_comes_back(full: Coach, stranger: Coach) -> None:
    before = everything(full)
    run = next(run for run in before["paddock"]["runs"] if run["driver"]["name"] == "Ines")
    path = f"/api/removals/run/{run['id']}"
    assert stranger.get(path).status_code == stranger.delete(path).status_code == 404
    told = full.get(path).json
    assert (told["runs"], told["drivers"], told["events"]) == (1, ["Ines"], [])
    assert told["laps"] > 3
    assert everything(full) == before
    action = full.delete(path).json["action"]
    after = everything(full)
    assert [found["driver"]["name"] for found in after["paddock"]["runs"]] == ["Halvard"]
    assert names(after["paddock"]["drivers"]) == ["Halvard"]
    assert [item["driver"]["name"] for item in after["paddock"]["deliveries"]] == ["Halvard"]
    assert all(item["run"] is None or item["run"]["run"]["id"] != run["id"] for item in after["files"]["hand_ins"])
    assert full.get(f"/api/runs/{run['id']}").status_code == 404
    assert full.get(f"/api/desk?laps={run['id']}.2").status_code == 404
    assert full.post(f"/api/actions/{action}/undo").status_code == 204
    assert everything(full) == before


def test_removing_the_last_run_leaves_no_empty_day(full: Coach) -> None:
    paddock = full.get("/api/paddock").json
    told = full.delete(f"/api/removals/event/{paddock['event']['id']}").json
    assert (told["runs"], told["drivers"]) == (2, ["Halvard", "Ines"])
    after = full.get("/api/paddock").json
    assert after["events"] == after["runs"] == after["drivers"] == after["deliveries"] == []
    assert names(after["circuits"]) == ["Ellerholm Park"]


def test_a_file_is_handed_in_again_after_its_run_was_removed(full: Coach, day: Day) -> None:
    run = full.get("/api/paddock").json["runs"][0]
    action = full.delete(f"/api/removals/run/{run['id']}").json["action"]
    again = full.hand_in("again.csv", day.files[0].read_bytes()).json
    assert again["state"] == "taken"
    assert again["run"]["run"]["id"] != run["id"]
    refused = full.post(f"/api/actions/{action}/undo")
    assert (refused.status_code, refused.json["code"]) == (409, "again")


def test_a_driver_takes_runs_and_links_along(full: Coach) -> None:
    link = full.post("/api/links", json={"driver": "Ines"}).json
    token = link["address"].rsplit("/", 1)[-1]
    driver = link["driver"]["id"]
    told = full.delete(f"/api/removals/driver/{driver}").json
    assert (told["runs"], told["links"]) == (1, 1)
    assert full.client.get(f"/api/link/{token}").status_code == 410
    assert names(full.get("/api/paddock").json["drivers"]) == ["Halvard"]
    full.post(f"/api/actions/{told['action']}/undo")
    assert full.client.get(f"/api/link/{token}").status_code == 200
    # Who was removed is back when named again, without what was removed with them.
    full.delete(f"/api/removals/driver/{driver}")
    halvard = full.get("/api/paddock").json["runs"][0]
    full.patch(f"/api/runs/{halvard['id']}", json={"driver": "Ines"})
    paddock = full.get("/api/paddock").json
    assert [(run["driver"]["name"], run["driver"]["id"]) for run in paddock["runs"]] == [("Ines", driver)]
    # And nobody lingers whose last run was given to somebody else.
    assert names(paddock["drivers"]) == ["Ines"]


def test_a_car_leaves_its_runs(full: Coach) -> None:
    run = full.get("/api/paddock").json["runs"][0]
    car = next(item["id"] for item in full.get("/api/paddock").json["cars"] if item["name"] == run["car"])
    full.delete(f"/api/removals/car/{car}")
    paddock = full.get("/api/paddock").json
    assert len(paddock["runs"]) == 2
    assert paddock["runs"][0]["car"] is None
    assert paddock["cars"] == []


def test_a_circuit_takes_its_days_along(full: Coach) -> None:
    layout = full.get("/api/hand-ins").json["choices"]["circuits"][0]["id"]
    told = full.delete(f"/api/removals/layout/{layout}").json
    assert told["runs"] == 2
    assert full.get("/api/hand-ins").json["choices"]["circuits"] == []
    full.post(f"/api/actions/{told['action']}/undo")
    assert len(full.get("/api/paddock").json["runs"]) == 2
    assert full.get("/api/removals/circuit/1").status_code == 404
    assert full.get("/api/removals/nonsense/1").status_code == 404


def test_after_a_month_it_is_gone_for_good(full: Coach, database: Database) -> None:
    run = next(run for run in full.get("/api/paddock").json["runs"] if run["driver"]["name"] == "Ines")
    action = full.delete(f"/api/removals/run/{run['id']}").json["action"]
    with database.begin() as session:
        assert purge(session) == 0
    with database.begin() as session:
        for model in (Run, Driver):
            rows = session.scalars(
                select(model).where(model.team_id == full.team_id, model.removed_at.is_not(None)),
                execution_options=INCLUDE_REMOVED,
            )
            for row in rows:
                row.removed_at = now() - KEPT - timedelta(minutes=1)
    with database.begin() as session:
        assert purge(session) >= 2
        gone = select(Run.id).where(Run.id == run["id"])
        assert session.scalar(gone, execution_options=INCLUDE_REMOVED) is None
        channels = select(ChannelRow.id).where(ChannelRow.run_id == run["id"])
        assert session.scalar(channels) is None
        assert session.scalar(select(Samples.id).where(Samples.channel_id.in_(channels))) is None
    assert full.post(f"/api/actions/{action}/undo").status_code == 409
    assert len(full.get("/api/paddock").json["runs"]) == 1


def moved(day: Day, tmp_path: Path, name: str) -> bytes:
    """The first log a little beside where it was, as another receiver sees it, on a circuit called otherwise."""
    log = day.logs[1]

    def shift(channel: Channel) -> Channel:
        by = {"latitude": 2e-6, "longitude": 3e-6}.get(channel.role or "", 0.0)
        return replace(channel, values=channel.values + by)

    path = tmp_path / name
    write_csv(replace(log, channels=tuple(shift(c) for c in log.channels), meta={"circuit": "The Meadows"}), path)
    return path.read_bytes()


def test_a_circuit_taken_for_two_is_joined_and_parted_again(
    coach: Coach, stranger: Coach, day: Day, database: Database, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    from lauftakt.work import locating

    for path in (day.layout_file, day.files[0]):
        coach.hand_in(path.name, path.read_bytes())
    # As if the first one had not been found near the second log.
    with monkeypatch.context() as patch:
        patch.setattr(locating, "layouts_near", lambda *_: [])
        second = coach.hand_in("mara.csv", moved(day, tmp_path, "mara.csv")).json
    assert second["state"] == "taken", second["message"]
    circuits = {row["name"]: row["id"] for row in coach.get("/api/hand-ins").json["choices"]["circuits"]}
    assert set(circuits) == {"Ellerholm Park", "The Meadows"}
    path = f"/api/layouts/{circuits['The Meadows']}/join"
    kept = {"into": circuits["Ellerholm Park"]}
    assert stranger.post(path, json=kept).status_code == 404
    assert coach.post(path, json={"into": circuits["The Meadows"]}).status_code == 422
    answer = coach.post(path, json=kept)
    assert (answer.status_code, answer.json["runs"]) == (200, 1)
    run = coach.get(f"/api/runs/{second['run']['run']['id']}").json
    assert run["event"]["circuit"] == "Ellerholm Park"
    times = [lap["time_s"] for lap in run["laps"] if lap["time_s"]]
    assert times == pytest.approx([lap.time_s for lap in day.runs[1].laps if lap.time_s], abs=0.05)
    after = coach.get("/api/hand-ins").json["choices"]["circuits"]
    assert [row["name"] for row in after] == ["Ellerholm Park"]
    assert coach.post(f"/api/actions/{answer.json['action']}/undo").status_code == 204
    run = coach.get(f"/api/runs/{second['run']['run']['id']}").json
    assert run["event"]["circuit"] == "The Meadows"
    assert len(coach.get("/api/hand-ins").json["choices"]["circuits"]) == 2


def test_different_circuits_stay_two(coach: Coach, day: Day, database: Database) -> None:
    for path in (day.layout_file, day.files[0]):
        coach.hand_in(path.name, path.read_bytes())
    first = coach.get("/api/hand-ins").json["choices"]["circuits"][0]["id"]
    from lauftakt.core.circuit.turning import turned
    from lauftakt.store.layouts import add_layout, add_version

    with database.begin() as session:
        back = turned(day.layout, "Back")
        row = add_layout(session, coach.team_id, "Back", (back.plane.latitude, back.plane.longitude), "Back")
        add_version(session, row, back)
        waiting = add_layout(session, coach.team_id, "Waiting", (50.0, 8.0), "Waiting")
        ids = [row.id, waiting.id]
    assert coach.post(f"/api/layouts/{ids[0]}/join", json={"into": first}).json["code"] == "other-way"
    assert coach.post(f"/api/layouts/{first}/join", json={"into": ids[1]}).json["code"] == "no-layout"
    assert coach.post(f"/api/layouts/{ids[1]}/join", json={"into": first}).status_code == 200
    with database.begin() as session:
        assert session.get(LayoutRow, ids[1]) is None
        assert session.scalars(select(Event).where(Event.team_id == coach.team_id)).all()
        assert session.scalars(select(HandIn).where(HandIn.team_id == coach.team_id)).all()


def test_a_driver_is_forgotten_and_nothing_names_them(
    full: Coach, stranger: Coach, database: Database, day: Day
) -> None:
    link = full.post("/api/links", json={"driver": "Ines"}).json
    run = next(run for run in full.get("/api/paddock").json["runs"] if run["driver"]["name"] == "Ines")
    other = next(run for run in full.get("/api/paddock").json["runs"] if run["driver"]["name"] != "Ines")
    full.patch(f"/api/runs/{run['id']}", json={"notes": "Ines turned in late"})
    full.post(f"/api/runs/{run['id']}/export", json={"format": "csv"})
    # A second run of hers was removed before: it goes as well.
    gone = full.hand_in("hers.csv", day.files[2].read_bytes(), driver="Ines").json["run"]["run"]["id"]
    full.delete(f"/api/removals/run/{gone}")
    full.patch(f"/api/runs/{other['id']}", json={"notes": "Held up by Ines"})
    path = f"/api/drivers/{link['driver']['id']}/forget"
    old_log = full.client.application.config["LAUFTAKT"].var / "of-before.log"
    old_log.write_text(f"The file of {link['driver']['name']} was damaged.")
    assert stranger.get(path).status_code == stranger.post(path).status_code == 404
    before = everything(full)
    told = full.get(path).json
    assert (told["name"], told["runs"], told["links"]) == ("Ines", 2, 1)
    assert everything(full) == before
    answer = full.post(path)
    assert answer.status_code == 200, answer.data
    assert old_log.read_text() == "The file of **** was damaged."
    # Only what somebody wrote about another run still names her, and it is said where.
    assert answer.json["mentions"] == {"run.notes": 1}
    full.patch(f"/api/runs/{other['id']}", json={"notes": "Held up"})
    with database.begin() as session:
        left = mentions(session, full.team_id, "Ines")
        # The undo of that last change knows what stood there before.
        assert set(left) <= {"action.inverse"}
        for model in (Run, Driver):
            rows = select(model).where(model.team_id == full.team_id)
            assert len(session.scalars(rows, execution_options=INCLUDE_REMOVED).all()) == 1
    assert full.get(f"/api/runs/{run['id']}").status_code == 404
    assert full.client.get(f"/api/link/{link['address'].rsplit('/', 1)[-1]}").status_code == 404
    summaries = [item["summary"] for item in full.get("/api/actions").json["actions"]]
    assert not any("Ines" in summary for summary in summaries)
    assert "A driver was forgotten, as they wished." in summaries


def test_a_run_comes_back_with_what_was_left_empty_meanwhile(full: Coach, database: Database) -> None:
    # Both runs are of one driver and one day; one is removed, then nothing is left of either.
    runs = full.get("/api/paddock").json["runs"]
    first, second = (run["id"] for run in runs)
    name = runs[0]["driver"]["name"]
    full.patch(f"/api/runs/{second}", json={"driver": name})
    action = full.delete(f"/api/removals/run/{first}").json["action"]
    full.patch(f"/api/runs/{second}", json={"driver": "Somebody else", "car": "Another car", "event": "Another day"})
    assert names(full.get("/api/paddock").json["drivers"]) == ["Somebody else"]
    assert full.post(f"/api/actions/{action}/undo").status_code == 204
    found = full.get(f"/api/runs/{first}").json
    assert found["run"]["driver"]["name"] == name
    assert len(full.get("/api/paddock").json["events"]) == 2
    # Nor does the emptied day take the run along when its time is over.
    with database.begin() as session:
        session.get_one(Event, found["event"]["id"]).removed_at = now() - KEPT - timedelta(minutes=1)
    with database.begin() as session:
        purge(session)
        assert session.scalar(select(Run.id).where(Run.id == first)) == first
        event = session.scalars(
            select(Event).where(Event.id == found["event"]["id"]), execution_options=INCLUDE_REMOVED
        ).one()
        event.removed_at = None
