"""What a sheet may ask for: one thing of a place, for what it buys, and nothing that is to be kept."""

from typing import Any

import pytest

from lauftakt.store.database import Database
from lauftakt.store.models import CueRow
from lauftakt.work.teams.contents import Basis
from tests.day import Day
from tests.web.coach import Coach
from tests.web.schools import give


@pytest.fixture
def own(coach: Coach, app: Any, database: Database, day: Day) -> Coach:
    """A team of its own with the layout and three runs, Halvard's the quickest."""
    return give(coach, app, database, (day.layout_file, *day.files[:3]))


def prepared(coach: Coach, name: str) -> tuple[int, dict[str, Any]]:
    """A driver's run, and what can be asked by it."""
    run = next(run["id"] for run in coach.get("/api/paddock").json["runs"] if run["driver"]["name"] == name)
    coach.get(f"/api/debriefs/runs/{run}")
    found = coach.get(f"/api/debriefs/runs/{run}").json
    assert found["state"] == "ready"
    return run, found


def test_a_place_is_not_to_be_changed_and_kept_at_once(own: Coach) -> None:
    run, found = prepared(own, "Okan")
    forward = {one["passage"] for one in found["findings"] if one["put_forward"]}
    assert forward
    assert forward.isdisjoint(one["passage"] for one in found["strengths"])
    place = found["findings"][0]
    cue = {"run": run, "kind": "cue", "passage": place["passage"], "corner": place["corner"]}
    assert own.post("/api/cues", json=cue | {"figure": "brake_point_m"}).status_code == 201
    keep = own.post("/api/cues", json={"run": run, "kind": "keep", "passage": place["passage"]})
    assert (keep.status_code, keep.json["code"]) == (409, "changed-and-kept")
    # Who brakes later comes in quicker, and in less time: neither is asked for beside it.
    for figure in ("entry_speed", "passage_s"):
        twice = own.post("/api/cues", json=cue | {"figure": figure})
        assert (twice.status_code, twice.json["code"]) == (409, "brought-along"), figure
    other = next(one["passage"] for one in found["strengths"])
    assert own.post("/api/cues", json={"run": run, "kind": "keep", "passage": other}).status_code == 201
    change = own.post("/api/cues", json={"run": run, "kind": "cue", "passage": other, "figure": "passage_s"})
    assert (change.status_code, change.json["code"]) == (409, "changed-and-kept")


def test_a_cue_promises_what_it_buys_and_leaves_with_the_team(own: Coach, database: Database) -> None:
    run, found = prepared(own, "Ines")
    place = found["findings"][0]
    offer = place["proposals"][0]
    body = {"run": run, "kind": "cue", "passage": place["passage"], "corner": place["corner"]}
    cue = own.post("/api/cues", json=body | {"figure": offer["target"]["figure"]}).json["cue"]
    assert 0.0 < cue["worth_s"] == pytest.approx(offer["worth_s"])
    assert cue["worth_s"] <= place["loss_s"]
    with database.begin() as session:
        Basis.model_validate(session.get_one(CueRow, cue["id"]).basis)
    # A smaller step promises less, one beyond the reference no more than the reference shows.
    now, value, theirs = cue["target"]["now"], cue["target"]["value"], cue["reference"]
    smaller = own.patch(f"/api/cues/{cue['id']}", json={"value": (now + value) / 2}).json["cue"]
    assert smaller["worth_s"] == pytest.approx(cue["worth_s"] / 2, rel=1e-6)
    beyond = own.patch(f"/api/cues/{cue['id']}", json={"value": theirs + 3 * (theirs - now)}).json["cue"]
    there = own.patch(f"/api/cues/{cue['id']}", json={"value": theirs}).json["cue"]
    assert beyond["worth_s"] == pytest.approx(there["worth_s"], rel=1e-6)
