"""Two people at once: nobody's words are overwritten unseen, no undo takes a later change along, nothing fails."""

from concurrent.futures import Future, ThreadPoolExecutor
from typing import Any

import pytest

from lauftakt.store.accounts import add_account
from lauftakt.store.database import INCLUDE_REMOVED, Database, mine
from lauftakt.store.forgetting import forget
from lauftakt.store.models import Run, Team
from lauftakt.store.removing import goes_along, remove
from lauftakt.work import importing
from tests.day import Day
from tests.web.coach import Coach
from tests.web.schools import give


@pytest.fixture
def school(coach: Coach, app: Any, database: Database, day: Day) -> Coach:
    return give(coach, app, database, (day.layout_file, day.files[0], day.files[1]))


@pytest.fixture
def second(school: Coach, app: Any, database: Database) -> Coach:
    with database.begin() as session:
        team = session.get_one(Team, school.team_id)
        email = f"ben-of-{school.email}"
        add_account(session, team, email=email, name="Ben", password="secret word", role="owner")
    found = Coach(app.test_client(), school.team_id, email)
    assert found.sign_in().status_code == 200
    return found


def tyres(who: Coach, run: int) -> str | None:
    return who.get(f"/api/runs/{run}").json["tyres"]


def test_undo_takes_nothing_along_that_somebody_changed_since(school: Coach, second: Coach) -> None:
    run = school.get("/api/paddock").json["runs"][0]["id"]
    before = tyres(school, run)
    mine = school.patch(f"/api/runs/{run}", json={"tyres": "Soft"}).json["action"]
    other = school.patch(f"/api/runs/{run}", json={"notes": "Windy."}).json["action"]
    theirs = second.patch(f"/api/runs/{run}", json={"tyres": "Hard"}).json["action"]
    answer = school.post(f"/api/actions/{mine}/undo")
    assert (answer.status_code, answer.json["code"]) == (409, "changed-since")
    assert answer.json["message"].startswith("Ben changed the same since: “Changed tyres")
    assert tyres(school, run) == "Hard"
    # What was changed elsewhere since stands in nobody's way.
    assert school.post(f"/api/actions/{other}/undo").status_code == 204
    # Once theirs is taken back, nothing is in the way any more; or it is wished for anyway.
    assert second.post(f"/api/actions/{theirs}/undo").status_code == 204
    assert tyres(school, run) == "Soft"
    again = second.patch(f"/api/runs/{run}", json={"tyres": "Hard"})
    assert again.status_code == 200
    assert school.post(f"/api/actions/{mine}/undo?anyway=true").status_code == 204
    assert tyres(school, run) == before


def test_undo_of_a_note_does_not_remove_what_was_written_into_it_since(school: Coach, second: Coach) -> None:
    layout = school.get("/api/circuits").json["circuits"][0]["id"]
    note = school.post("/api/notes", json={"pin": "circuit", "text": "Bumpy.", "layout": layout}).json
    written = school.get("/api/actions").json["actions"][0]["id"]
    assert second.patch(f"/api/notes/{note['id']}", json={"text": "Bumpy at T3."}).status_code == 200
    assert school.post(f"/api/actions/{written}/undo").json["code"] == "changed-since"


@pytest.mark.parametrize("moment", ["on_known_layout", "overlapping", "propose"])
@pytest.mark.parametrize("way", ["removed", "forgotten"])
def test_a_driver_goes_while_a_file_of_theirs_comes_in(
    school: Coach, database: Database, day: Day, monkeypatch: pytest.MonkeyPatch, moment: str, way: str
) -> None:
    """Nothing of somebody who is not there any more is stored, and what became of the file is said."""
    ines = next(row for row in school.get("/api/paddock").json["drivers"] if row["name"] == "Ines")["id"]
    before = getattr(importing, moment)

    with ThreadPoolExecutor(1) as pool:
        going: list[Future[None]] = []

        def goes(*given: Any) -> Any:
            monkeypatch.setattr(importing, moment, before)
            going.append(pool.submit(_go, school, database, ines, way))
            if moment == "on_known_layout":
                going[0].result(20)
            return before(*given)

        monkeypatch.setattr(importing, moment, goes)
        answer = school.hand_in(day.files[2].name, day.files[2].read_bytes(), driver="Ines")
        going[0].result(20)
    assert answer.status_code < 500, answer.json
    with database.begin() as session:
        runs = session.scalars(
            mine(Run, school.team_id).where(Run.driver_id == ines, Run.removed_at.is_(None)),
            execution_options=INCLUDE_REMOVED,
        ).all()
        assert not runs
    if way == "removed" and moment == "on_known_layout":
        assert (answer.json["state"], answer.json["code"]) == ("refused", "driver-gone")
        assert "Ines" in answer.json["message"]
    names = {run["driver"]["name"] for run in school.get("/api/paddock").json["runs"]}
    assert names == {"Halvard"}


def _go(school: Coach, database: Database, driver: int, way: str) -> None:
    with database.begin() as session:
        if way == "removed":
            remove(session, school.team_id, goes_along(session, school.team_id, "driver", driver))
        else:
            forget(session, school.team_id, driver)


def notes_of(school: Coach) -> tuple[str, str, dict[str, Any], dict[str, Any], dict[str, Any]]:
    layout = school.get("/api/circuits").json["circuits"][0]["id"]
    note = school.post("/api/notes", json={"pin": "circuit", "text": "Bumpy.", "layout": layout}).json
    seen = {"was": "Bumpy."}
    return (
        "patch",
        f"/api/notes/{note['id']}",
        {"text": "Theirs.", **seen},
        {"text": "Mine.", **seen},
        {"text": "Mine."},
    )


def labels_of(school: Coach) -> tuple[str, str, dict[str, Any], dict[str, Any], dict[str, Any]]:
    run = school.get("/api/paddock").json["runs"][0]["id"]
    seen = {"runs": [run], "was": {str(run): {"tyres": None}}}
    return (
        "post", "/api/runs/labels", {**seen, "change": {"tyres": "Theirs."}}, {**seen, "change": {"tyres": "Mine."}},
        {"runs": [run], "change": {"tyres": "Mine."}},
    )  # fmt: skip


def marks_of(school: Coach) -> tuple[str, str, dict[str, Any], dict[str, Any], dict[str, Any]]:
    layout = school.get("/api/circuits").json["circuits"][0]["id"]
    mark = school.post(f"/api/layouts/{layout}/marks", json={"name": "Board", "at_m": 200.0}).json
    seen = {"was": {name: mark[name] for name in ("name", "latitude", "longitude")}}
    path = f"/api/layouts/{layout}/marks/{mark['id']}"
    return "patch", path, {"name": "Theirs.", **seen}, {"name": "Mine.", **seen}, {"name": "Mine."}


def sheets_of(school: Coach) -> tuple[str, str, dict[str, Any], dict[str, Any], dict[str, Any]]:
    car = school.get("/api/watch").json["cars"][0]
    sheet, path = car["sheet"], f"/api/cars/{car['id']}/sheet"
    return (
        "put", path, {**sheet, "mass_kg": 700.0, "was": sheet}, {**sheet, "mass_kg": 690.0, "was": sheet},
        {**sheet, "mass_kg": 690.0},
    )  # fmt: skip


@pytest.mark.parametrize("of", [notes_of, labels_of, marks_of, sheets_of])
def test_the_second_writer_is_shown_the_firsts_words(school: Coach, second: Coach, of: Any) -> None:
    method, path, theirs, mine, anyway = of(school)
    assert getattr(second, method)(path, json=theirs).status_code == 200
    answer = getattr(school, method)(path, json=mine)
    assert (answer.status_code, answer.json["code"]) == (409, "changed-meanwhile")
    assert answer.json["message"].startswith("Ben changed this meanwhile: ")
    assert ("Theirs." in answer.json["message"]) or ("700" in answer.json["message"])
    assert getattr(school, method)(path, json=anyway).status_code == 200


def test_a_role_is_not_changed_back_unseen(app: Any, school: Coach, second: Coach, database: Database) -> None:
    with database.begin() as session:
        team = session.get_one(Team, school.team_id)
        added = add_account(session, team, email=f"c-{school.email}", name="C", password="secret word", role="coach")
        number = added.id
        other = add_account(session, team, email=f"o-{school.email}", name="O", password="secret word", role="owner")
        email = other.email
    owner = Coach(app.test_client(), school.team_id, email)
    owner.sign_in()
    assert owner.patch(f"/api/people/{number}", json={"role": "assistant", "was": "coach"}).status_code == 204
    answer = second.patch(f"/api/people/{number}", json={"role": "owner", "was": "coach"})
    assert (answer.status_code, answer.json["code"]) == (409, "changed-meanwhile")
    assert answer.json["message"].startswith("O changed this meanwhile: role is “assistant”")


def twice(app: Any, who: Coach, ask: Any) -> list[int]:
    """The same request from two devices at the same moment."""
    devices = []
    for _ in range(2):
        device = Coach(app.test_client(), who.team_id, who.email)
        device.sign_in()
        devices.append(device)
    with ThreadPoolExecutor(2) as pool:
        return sorted(answer.status_code for answer in pool.map(ask, devices))


NEW: dict[str, Any] = {
    "a driver": ("post", "/api/links", {"driver": "Brand new"}),
    "a line-up": ("post", "/api/line-ups", None),
    "a set of figures": ("post", "/api/figure-sets", {"name": "The same", "figures": ["gear:low"]}),
    "a label": ("post", "/api/runs/labels", None),
    "an invitation": ("post", "/api/invitations", {"role": "coach"}),
}


@pytest.mark.parametrize("what", list(NEW))
def test_the_same_new_thing_at_the_same_moment_is_no_failure(app: Any, school: Coach, second: Coach, what: str) -> None:
    method, path, body = NEW[what]
    paddock = school.get("/api/paddock").json
    if what == "a line-up":
        desk = school.get("/api/desk").json
        address = f"laps={desk['laps'][0]['key']}"
        body = {"event": paddock["event"]["id"], "name": "The same", "address": address}
    elif what == "a label":
        body = {"runs": [paddock["runs"][0]["id"]], "change": {"driver": "Somebody new", "car": "A new car"}}
    codes = twice(app, second, lambda device: getattr(device, method)(path, json=body))
    assert all(code < 500 for code in codes), codes
    assert min(codes) < 300, codes


def test_two_newcomers_with_one_address(app: Any, second: Coach) -> None:
    tokens = [
        second.post("/api/invitations", json={"role": "coach"}).json["address"].rsplit("/", 1)[1] for _ in range(2)
    ]
    email = f"new-{second.email}"

    def join(token: str) -> int:
        device = Coach(app.test_client(), 0, "")
        device.csrf = device.get("/api/session").json["csrf"]
        body = {"email": email, "name": "N", "password": "an altogether new one"}
        return device.post(f"/api/invitation/{token}", json=body).status_code

    with ThreadPoolExecutor(2) as pool:
        codes = sorted(pool.map(join, tokens))
    assert codes == [200, 422]
