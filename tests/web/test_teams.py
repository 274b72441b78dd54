"""Who gets what from which route: a table of every route and every kind of viewer, and nothing that crosses teams."""

import io
import re
from dataclasses import dataclass
from datetime import timedelta
from typing import Any

import pytest
from sqlalchemy import select

from lauftakt.store.accounts import add_account
from lauftakt.store.database import Database
from lauftakt.store.models import Driver, HandIn, HandInLink, Run, Team
from tests.web.coach import Coach, make_coach
from tests.web.test_ways_in import announce, metadata

pytestmark = pytest.mark.in_order

OPEN = {"/api/session", "/api/openapi.json", "/api/first", "/api/first/open", "/api/first/demo"}
# Where the owner goes elsewhere, or takes the whole team away: asked in tests of their own.
APART = {
    ("POST", "/api/drivers/<int:driver_id>/forget"),
    ("POST", "/api/demo"),
    ("DELETE", "/api/demo"),
    ("DELETE", "/api/team"),
}
BY_INVITATION = {("GET", "/api/invitation/<token>"), ("POST", "/api/invitation/<token>")}
VIEWERS = ("owner", "coach", "assistant", "driver", "other team", "signed out", "link")
# What each route may answer to each of the viewers, in their order: "+" lets in, "-" 403, "?" 404, "0" 401, "e" an
# empty list. Ids are those of the team's first run, whose driver the driver is not; a body is empty unless one is named
# below, so that "+" may also be told what is wrong with it (409, 415, 422).
TABLE = """
GET    /api/account                                        + + + + + 0 0
PATCH  /api/account                                        + + + + + 0 0
POST   /api/account/password                               + + + + + 0 0
DELETE /api/account/sign-ins                               + + + + + 0 0
DELETE /api/account/sign-ins/<int:sign_in_id>              + ? ? ? ? 0 0
GET    /api/actions                                        + + + - e 0 0
POST   /api/actions/<int:action_id>/undo                   + + - - ? 0 0
GET    /api/card                                           + + + ? ? 0 0
GET    /api/card/without                                   + + + ? ? 0 0
GET    /api/card/figures                                   + + + ? ? 0 0
GET    /api/beside                                         + + + ? ? 0 0
GET    /api/stretches                                      + + + ? ? 0 0
GET    /api/choices                                        + + + ? ? 0 0
GET    /api/curves                                         + + + ? ? 0 0
GET    /api/bands                                          + + + ? ? 0 0
GET    /api/driven                                         + + + ? ? 0 0
GET    /api/driven/points                                  + + + ? ? 0 0
GET    /api/notes                                          + + + e e 0 0
POST   /api/notes                                          + + + - + 0 0
PATCH  /api/notes/<int:note_id>                            + + - - ? 0 0
GET    /api/debriefs                                       + + + - + 0 0
GET    /api/debriefs/runs/<int:run_id>                     + + + - ? 0 0
GET    /api/debriefs/runs/<int:run_id>/picture             + + + - ? 0 0
POST   /api/debriefs/<int:debrief_id>/give                 + + - - ? 0 0
GET    /api/debriefs/<int:debrief_id>/check                + + + - ? 0 0
GET    /api/debriefs/<int:debrief_id>/sheet                + + + ? ? 0 0
GET    /api/debriefs/<int:debrief_id>/sheet/file           + + + ? ? 0 0
GET    /api/season/drivers/<int:driver_id>                 + + + ? ? 0 0
POST   /api/season/follow                                  + + - - + 0 0
GET    /api/season/school                                  + + + - + 0 0
GET    /api/season/day                                     + + + - ? 0 0
GET    /api/season/calendar                                + + + - e 0 0
POST   /api/season/days/<int:event_id>/sheets              + + + - ? 0 0
GET    /api/season/days/<int:event_id>/summary             + + + - ? 0 0
GET    /api/layouts/<int:layout_id>/notes-sheet            + + + - ? 0 0
GET    /api/find                                           + + + e e 0 0
GET    /api/own-debriefs                                   e e e e e 0 0
POST   /api/cues                                           + + - - ? 0 0
PATCH  /api/cues/<int:cue_id>                              + + - - ? 0 0
POST   /api/cues/<int:cue_id>/answer                       ? ? - ? ? 0 0
POST   /api/voices                                         ? ? - ? ? 0 0
GET    /api/desk/numbers                                   + + + ? ? 0 0
GET    /api/steady                                         + + + ? ? 0 0
GET    /api/grip                                           + + + ? ? 0 0
GET    /api/often                                          + + + ? ? 0 0
GET    /api/samples                                        + + + ? ? 0 0
GET    /api/desk                                           + + + ? ? 0 0
GET    /api/doubt                                          + + + ? ? 0 0
GET    /api/dialects                                       + + + - e 0 0
PATCH  /api/dialects/<int:dialect_id>                      + + - - ? 0 0
DELETE /api/dialects/<int:dialect_id>                      + + - - ? 0 0
GET    /api/dialects/<int:dialect_id>/file                 + + + - ? 0 0
PATCH  /api/drivers/<int:driver_id>                        + + - - ? 0 0
GET    /api/drivers/<int:driver_id>/forget                 + + - - ? 0 0
POST   /api/drivers/<int:driver_id>/join                   + + - - ? 0 0
POST   /api/events/<int:event_id>/export                   + + + - ? 0 0
GET    /api/events/<int:event_id>/reading                  + + + - ? 0 0
GET    /api/events/<int:event_id>/reference                + + + - ? 0 0
PUT    /api/events/<int:event_id>/reference                + + - - ? 0 0
GET    /api/fillings                                       + + + ? ? 0 0
GET    /api/hand-ins                                       + + + - e 0 0
POST   /api/hand-ins                                       + + - - + 0 0
DELETE /api/hand-ins/<int:hand_in_id>                      + + - - ? 0 0
GET    /api/hand-ins/<int:hand_in_id>/channels             + + + - ? 0 0
PATCH  /api/hand-ins/<int:hand_in_id>/channels             + + - - ? 0 0
POST   /api/hand-ins/<int:hand_in_id>/cancel               + + - - ? 0 0
POST   /api/hand-ins/<int:hand_in_id>/restore              + + - - ? 0 0
POST   /api/hand-ins/<int:hand_in_id>/retry                + + - - ? 0 0
GET    /api/held-up                                        + + + ? ? 0 0
GET    /api/line-ups                                       + + + - ? 0 0
POST   /api/line-ups                                       + + - - ? 0 0
PATCH  /api/line-ups/<int:line_up_id>                      + + - - ? 0 0
DELETE /api/line-ups/<int:line_up_id>                      + + - - ? 0 0
GET    /api/staves                                         + + + + + 0 0
PUT    /api/staves                                         + + + + + 0 0
POST   /api/invitations                                    + - - - + 0 0
DELETE /api/invitations/<int:invitation_id>                + - - - ? 0 0
GET    /api/jobs/<int:job_id>                              + + + ? ? 0 0
GET    /api/jobs                                           + + + - e 0 0
POST   /api/jobs/<int:job_id>/cancel                       + + - ? ? 0 0
POST   /api/jobs/<int:job_id>/retry                        + + - ? ? 0 0
GET    /api/jobs/<int:job_id>/file                         + + + ? ? 0 0
GET    /api/circuits                                       + + + - e 0 0
GET    /api/layouts/<int:layout_id>                        + + + - ? 0 0
PATCH  /api/layouts/<int:layout_id>                        + + - - ? 0 0
GET    /api/layouts/<int:layout_id>/geojson                + + + - ? 0 0
GET    /api/laps                                           + + + ? ? 0 0
GET    /api/laps/file                                      + + + ? ? 0 0
GET    /api/laps/sheet                                     + + + ? ? 0 0
GET    /api/laps/all                                       + + + e e 0 0
POST   /api/laps/traffic                                   + + - - ? 0 0
GET    /api/stints/file                                    + + + ? ? 0 0
POST   /api/stints/said                                    + + - - ? 0 0
POST   /api/laps/judged                                    + + - - ? 0 0
GET    /api/watch                                          + + + ? ? 0 0
GET    /api/cars/<int:car_id>                              + + + ? ? 0 0
PUT    /api/cars/<int:car_id>/sheet                        + + - - ? 0 0
POST   /api/figure-sets                                    + + - - + 0 0
DELETE /api/figure-sets/<int:figure_set_id>                + + - - ? 0 0
GET    /api/stints                                         + + + ? ? 0 0
POST   /api/layouts/<int:layout_id>/edges                  + + - - ? 0 0
POST   /api/layouts/<int:layout_id>/join                   + + - - ? 0 0
POST   /api/layouts/<int:layout_id>/marks                  + + - - ? 0 0
PATCH  /api/layouts/<int:layout_id>/marks/<int:mark_id>    + + - - ? 0 0
DELETE /api/layouts/<int:layout_id>/marks/<int:mark_id>    + + - - ? 0 0
POST   /api/layouts/<int:layout_id>/preview                + + - - ? 0 0
POST   /api/layouts/<int:layout_id>/preview/findings       + + - - ? 0 0
POST   /api/layouts/<int:layout_id>/sets                   + + - - ? 0 0
DELETE /api/layouts/<int:layout_id>/sets/<int:set_id>      + + - - ? 0 0
POST   /api/layouts/<int:layout_id>/line                   + + - - ? 0 0
GET    /api/layouts/<int:layout_id>/sheet                  + + + - ? 0 0
POST   /api/layouts/<int:layout_id>/versions               + + - - ? 0 0
POST   /api/layouts/<int:layout_id>/versions/<int:version_id>/current + + - - ? 0 0
POST   /api/events/<int:event_id>/sectors                  + + - - ? 0 0
GET    /api/links                                          + + + - e 0 0
POST   /api/links                                          + + - - + 0 0
DELETE /api/links/<int:link_id>                            + + - - ? 0 0
POST   /api/links/<int:link_id>/restore                    + + - - ? 0 0
GET    /api/loggers                                        + + + - e 0 0
POST   /api/loggers/fetch                                  ? ? - - ? 0 0
GET    /api/paddock                                        + + + e e 0 0
PATCH  /api/people/<int:account_id>                        + - - - ? 0 0
DELETE /api/people/<int:account_id>                        + - - - ? 0 0
GET    /api/registry                                       + + + + + 0 0
GET    /api/removals/<kind>/<int:row_id>                   + + - - ? 0 0
DELETE /api/removals/<kind>/<int:row_id>                   + + - - ? 0 0
GET    /api/runs/<int:run_id>                              + + + ? ? 0 0
PATCH  /api/runs/<int:run_id>                              + + - - ? 0 0
GET    /api/runs/<int:run_id>/channels                     + + + ? ? 0 0
PATCH  /api/runs/<int:run_id>/channels                     + + - - ? 0 0
POST   /api/runs/<int:run_id>/export                       + + + ? ? 0 0
PATCH  /api/runs/<int:run_id>/felt                         + + - ? ? 0 0
GET    /api/runs/<int:run_id>/cues                         + + - - ? 0 0
GET    /api/runs/<int:run_id>/file                         + + + ? ? 0 0
PATCH  /api/runs/<int:run_id>/laps/<int:number>            + + - - ? 0 0
PATCH  /api/runs/<int:run_id>/notes                        + + + - ? 0 0
GET    /api/runs/<int:run_id>/original                     + + + ? ? 0 0
POST   /api/runs/labels                                    + + - - ? 0 0
PATCH  /api/session/preferences                            + + + + + 0 0
GET    /api/stream                                         + + + - + 0 0
PATCH  /api/stream                                         + + - - + 0 0
GET    /api/team                                           + + + - + 0 0
PATCH  /api/team                                           + - - - + 0 0
POST   /api/uploads                                        + + - - + 0 0
GET    /api/uploads/<int:upload_id>                        + ? - - ? 0 0
PATCH  /api/uploads/<int:upload_id>                        + ? - - ? 0 0
DELETE /api/uploads/<int:upload_id>                        + ? - - ? 0 0
"""
# The same for whoever holds a link: the one by which the run came, another driver's, one that was taken back, one that
# ran out, one of another team, and one that nobody gave out. "x": 410.
HOLDERS = ("own", "another's", "taken back", "run out", "other team's", "made up")
BY_LINK = """
GET    /api/link/<token>                                   + e x x e ?
PATCH  /api/link/<token>/runs/<int:run_id>                 + ? x x ? ?
GET    /api/link/<token>/debriefs                          + e x x e ?
GET    /api/link/<token>/debriefs/<int:debrief_id>         + ? x x ? ?
GET    /api/link/<token>/debriefs/<int:debrief_id>/file    + ? x x ? ?
POST   /api/link/<token>/voices                            + ? x x ? ?
POST   /api/link/<token>/cues/<int:cue_id>/answer          + ? x x ? ?
POST   /api/link/<token>/uploads                           + + x x + ?
GET    /api/link/<token>/uploads/<int:upload_id>           + ? x x ? ?
PATCH  /api/link/<token>/uploads/<int:upload_id>           + ? x x ? ?
DELETE /api/link/<token>/uploads/<int:upload_id>           + ? x x ? ?
"""
LINE_UP = {"name": "Ours", "address": "laps=1-20,2-30&ref=1-20"}
PREVIEW = {"base": 1, "corners": [], "borders": [], "splits": [], "event": 1}
BODIES: dict[tuple[str, str], Any] = {
    ("PATCH", "/api/dialects/<int:dialect_id>"): {"name": "Ours"},
    ("POST", "/api/events/<int:event_id>/export"): {"format": "csv"},
    ("POST", "/api/runs/<int:run_id>/export"): {"format": "csv"},
    ("PATCH", "/api/hand-ins/<int:hand_in_id>/channels"): {"channels": [{"name": "gear", "role": "gear"}]},
    ("PATCH", "/api/runs/<int:run_id>/channels"): {"channels": [{"name": "gear", "role": "gear"}]},
    ("PATCH", "/api/runs/<int:run_id>/laps/<int:number>"): {"counts": None},
    ("POST", "/api/links"): {"driver": "Ines"},
    ("POST", "/api/notes"): {"pin": "circuit", "text": "A note"},
    ("PATCH", "/api/notes/<int:note_id>"): {"text": "Another note"},
    ("POST", "/api/debriefs/<int:debrief_id>/give"): {"given": True},
    ("PATCH", "/api/cues/<int:cue_id>"): {"text": "In other words"},
    ("POST", "/api/cues/<int:cue_id>/answer"): {"tried": True},
    ("POST", "/api/figure-sets"): {"name": "Engine", "figures": ["engine_speed:high"]},
    ("POST", "/api/layouts/<int:layout_id>/edges"): {"base": 1, "left": None},
    ("POST", "/api/layouts/<int:layout_id>/marks"): {"name": "board", "at_m": 10.0},
    ("PATCH", "/api/layouts/<int:layout_id>/marks/<int:mark_id>"): {"name": "board"},
    ("POST", "/api/layouts/<int:layout_id>/preview"): PREVIEW,
    ("POST", "/api/layouts/<int:layout_id>/preview/findings"): PREVIEW,
    ("POST", "/api/layouts/<int:layout_id>/sets"): {"name": "Fine"},
    ("POST", "/api/layouts/<int:layout_id>/versions"): {"base": 1, "corners": [], "borders": [], "splits": []},
    ("POST", "/api/events/<int:event_id>/sectors"): {"sector_set": 999999},
    ("POST", "/api/invitations"): {"role": "coach"},
    ("PATCH", "/api/people/<int:account_id>"): {"role": "assistant"},
    ("PATCH", "/api/team"): {"name": "Another name"},
    ("PATCH", "/api/stream"): {"wanted": False},
    ("POST", "/api/loggers/fetch"): {"logger": "none", "keys": ["1"]},
}
# What an upload says of itself, in headers that nobody else reads.
ANNOUNCED = {"Tus-Resumable": "1.0.0", "Upload-Length": "1", "Upload-Metadata": metadata(filename="x.csv")}
TAKES = {"+": (200, 201, 202, 204, 409, 415, 422), "-": (403,), "?": (404,), "0": (401,), "e": (200,), "x": (410,)}


def routes(app: Any) -> set[tuple[str, str]]:
    return {
        (method, rule.rule)
        for rule in app.url_map.iter_rules()
        if rule.rule.startswith("/api/")
        for method in rule.methods - {"HEAD", "OPTIONS"}
    }


def cells(table: str = TABLE) -> dict[tuple[str, str], str]:
    return {(line.split()[0], line.split()[1]): "".join(line.split()[2:]) for line in table.strip().splitlines()}


@dataclass
class Team_:
    """A team with one of each viewer, and one row of each kind that is its own."""

    viewers: dict[str, Coach]
    ids: dict[str, Any]
    queries: dict[str, str]

    def path(self, rule: str) -> str:
        found = rule
        for name, value in self.ids.items():
            found = found.replace(f"<int:{name}>", str(value)).replace(f"<{name}>", str(value))
        assert "<" not in found, found
        return found + self.queries.get(rule, "")


def of_layout(owner: Coach) -> dict[str, Any]:
    layout = owner.get("/api/circuits").json["circuits"][0]["id"]
    return {
        "mark_id": owner.post(f"/api/layouts/{layout}/marks", json={"name": "board", "at_m": 10.0}).json["id"],
        "set_id": owner.get(f"/api/layouts/{layout}").json["sector_set"],
        "version_id": owner.get(f"/api/layouts/{layout}").json["version"]["id"],
    }


def note_of(owner: Coach) -> int:
    lap = owner.get("/api/desk").json["laps"][0]["key"]
    return owner.post("/api/notes", json={"pin": "lap", "text": "Ours", "lap": lap}).json["id"]


def debrief_of(owner: Coach) -> dict[str, Any]:
    """A debrief that was given to Ines."""
    ines = next(run for run in owner.get("/api/paddock").json["runs"] if run["driver"]["name"] == "Ines")
    done = owner.post("/api/cues", json={"run": ines["id"], "kind": "cue", "passage": "P1"}).json
    owner.post(f"/api/debriefs/{done['debrief']['id']}/give", json={"given": True})
    return {"debrief_id": done["debrief"]["id"], "cue_id": done["cue"]["id"]}


def ids_of(owner: Coach) -> dict[str, Any]:
    day = owner.get("/api/paddock").json
    run_id = day["runs"][0]["id"]
    gear = [{"name": "gear", "role": "gear"}]
    owner.patch(f"/api/runs/{run_id}/channels", json={"channels": gear, "name": "Ours"})
    changed = owner.patch(f"/api/runs/{run_id}", json={"notes": "First run."}).json
    return {
        "run_id": run_id,
        "hand_in_id": owner.get("/api/hand-ins").json["hand_ins"][-1]["id"],
        "event_id": day["event"]["id"],
        "driver_id": owner.get(f"/api/runs/{run_id}").json["run"]["driver"]["id"],
        "link_id": owner.post("/api/links", json={"driver": "Ines"}).json["id"],
        "dialect_id": owner.get("/api/dialects").json["dialects"][0]["id"],
        "upload_id": announce(owner, "begun.csv", b"0123456789")["id"],
        "job_id": owner.post(f"/api/runs/{run_id}/export", json={"format": "csv"}).json["id"],
        "action_id": changed["action"],
        "number": 2,
        "sign_in_id": next(row["id"] for row in owner.get("/api/account").json["sign_ins"] if not row["here"]),
        "invitation_id": owner.post("/api/invitations", json={"role": "coach"}).json["id"],
        "layout_id": owner.get("/api/hand-ins").json["choices"]["circuits"][0]["id"],
        **of_layout(owner),
        "car_id": owner.get("/api/watch").json["cars"][0]["id"],
        "figure_set_id": owner.post("/api/figure-sets", json={"name": "Ours", "figures": ["gear:low"]}).json["id"],
        "line_up_id": owner.post("/api/line-ups", json={"event": day["event"]["id"], **LINE_UP}).json["id"],
        "note_id": note_of(owner),
        **debrief_of(owner),
        "kind": "driver",
        "row_id": owner.post("/api/links", json={"driver": "Who goes"}).json["driver"]["id"],
        "token": "x.y",
    }


@pytest.fixture(scope="module")
def team(app: Any, database: Database, now: None, day: Any) -> Team_:
    owner = make_coach(app, database, role="owner")
    Coach(app.test_client(), owner.team_id, owner.email).sign_in()  # on another device
    owner.sign_in()
    for path in (day.layout_file, day.files[0], day.files[1]):
        assert owner.hand_in(path.name, path.read_bytes()).status_code == 201
    viewers = {"owner": owner}
    with database.begin() as session:
        own = session.get_one(Team, owner.team_id)
        alone = Driver(team_id=own.id, name="Nobody's run")
        session.add(alone)
        session.flush()
        for role in ("coach", "assistant", "driver"):
            email = f"{role}-of-{own.id}@team.example"
            add_account(
                session, own, email=email, name=role, password="secret word", role=role,
                driver_id=alone.id if role == "driver" else None,
            )  # fmt: skip
            viewers[role] = Coach(app.test_client(), own.id, email)
    stranger = make_coach(app, database, role="owner")
    viewers["other team"] = stranger
    for name in ("coach", "assistant", "driver", "other team"):
        assert viewers[name].sign_in().status_code == 200
    nobody = Coach(app.test_client(), 0, "")
    nobody.csrf = nobody.get("/api/session").json["csrf"]
    viewers["signed out"] = nobody
    phone = Coach(app.test_client(), 0, "")
    phone.csrf = phone.get("/api/session").json["csrf"]
    viewers["link"] = phone
    ids = ids_of(owner)
    leaver = f"leaver-of-{owner.team_id}@team.example"
    with database.begin() as session:
        own = session.get_one(Team, owner.team_id)
        ids["account_id"] = add_account(session, own, email=leaver, name="L", password="secret word").id
    desk = owner.get("/api/desk").json
    keys = ",".join(lap["key"] for lap in desk["laps"])
    curves = ",".join(lap["curves"] for lap in desk["laps"])
    base = desk["laps"][0]["curves"]
    queries = {
        "/api/desk": f"?laps={keys}&reference={desk['reference']}",
        "/api/curves": f"?laps={curves}&reference={base}",
        "/api/bands": f"?laps={curves}&reference={base}",
        "/api/driven": f"?laps={curves}",
        "/api/driven/points": f"?laps={curves}",
        "/api/steady": f"?laps={base}&reference={base}",
        "/api/desk/numbers": f"?laps={keys}&reference={desk['reference']}",
        "/api/grip": f"?laps={curves}&reference={base}",
        "/api/debriefs/runs/<int:run_id>/picture": "?passage=P1",
        "/api/season/day": f"?event={ids['event_id']}",
        "/api/find": "?q=e",
        "/api/often": f"?laps={curves}&role=speed",
        "/api/samples": f"?laps={curves}&from_m=100&to_m=200",
        "/api/doubt": f"?laps={curves}&reference={base}",
        "/api/card": f"?laps={curves}&reference={base}&passage=P1",
        "/api/card/figures": f"?laps={curves}&reference={base}&passage=P1",
        "/api/beside": f"?laps={curves.split(',')[1]}&reference={base}",
        "/api/stretches": f"?laps={curves.split(',')[1]}&reference={base}",
        "/api/card/without": f"?laps={curves.split(',')[1]}&reference={base}&passage=P1&cause=soft_brake",
        "/api/held-up": f"?laps={curves}",
        "/api/line-ups": f"?event={ids['event_id']}",
        "/api/choices": f"?event={ids['event_id']}",
        "/api/fillings": f"?event={ids['event_id']}&kind=bests",
        "/api/laps": f"?event={ids['event_id']}",
        "/api/watch": f"?event={ids['event_id']}",
        "/api/stints/file": f"?event={ids['event_id']}",
        "/api/stints": f"?event={ids['event_id']}",
        "/api/laps/sheet": f"?event={ids['event_id']}",
        "/api/laps/file": f"?event={ids['event_id']}",
        "/api/runs/<int:run_id>/file": "?lap=2&format=csv",
    }
    return Team_(viewers, ids, queries)


def test_the_table_has_a_cell_for_every_route_and_viewer(app: Any) -> None:
    links = set(cells(BY_LINK))
    guarded = {(method, rule) for method, rule in routes(app) if rule not in OPEN} - APART - BY_INVITATION
    assert guarded - set(cells()) - links == set()
    assert set(cells()) | links <= guarded
    assert {len(answers) for answers in cells().values()} == {len(VIEWERS)}
    assert {len(answers) for answers in cells(BY_LINK).values()} == {len(HOLDERS)}


def body_of(team: Team_, method: str, rule: str) -> dict[str, Any]:
    if rule == "/api/hand-ins" and method == "POST":
        return {"data": {"file": (io.BytesIO(b"x"), "talk.pdf")}, "content_type": "multipart/form-data"}
    if rule == "/api/laps/judged":
        return {"json": {"laps": [f"{team.ids['run_id']}.{team.ids['number']}"], "counts": None}}
    if rule in ("/api/laps/traffic", "/api/stints/said"):
        more = {"from_m": 100.0, "to_m": 400.0, "held": True} if rule.endswith("traffic") else {"tried": "Softer."}
        return {"json": {"lap": f"{team.ids['run_id']}.{team.ids['number']}", **more}}
    if rule == "/api/line-ups" and method == "POST":
        return {"json": {"event": team.ids["event_id"], **LINE_UP}}
    if rule in ("/api/cues", "/api/voices"):
        more = {"kind": "cue", "passage": "P2"} if rule == "/api/cues" else {"felt": "good"}
        return {"json": {"run": team.ids["run_id"], **more}}
    if rule == "/api/runs/labels":
        return {"json": {"runs": [team.ids["run_id"]], "change": {"notes": "Of all."}}}
    if rule.endswith("/join"):
        return {"json": {"into": team.ids["layout_id" if "/layouts/" in rule else "driver_id"]}}
    if method == "GET" or (rule.startswith("/api/uploads/") and method == "PATCH"):
        return {}
    return {"json": BODIES.get((method, rule), {})}


# Those who change least ask first, the owner last: what is taken away is taken away at the end.
@pytest.mark.parametrize("viewer", ["signed out", "link", "other team", "driver", "assistant", "coach", "owner"])
def test_every_route_answers_as_the_table_says(app: Any, team: Team_, viewer: str) -> None:
    who = team.viewers[viewer]
    order = sorted(cells().items(), key=lambda item: (item[0][0] == "DELETE", item[0][1].endswith("/undo"), item[0]))
    for (method, rule), answers in order:
        if viewer == "coach" and (method == "DELETE" or rule.endswith("/undo")):
            continue  # the owner does it, and may no more than a coach
        wanted = answers[VIEWERS.index(viewer)]
        headers = {"X-CSRFToken": who.csrf, **ANNOUNCED}
        answer = who.client.open(team.path(rule), method=method, headers=headers, **body_of(team, method, rule))
        assert answer.status_code in TAKES[wanted], (viewer, method, rule, answer.status_code, answer.data[:200])
        if wanted == "e":
            for name, value in answer.json.items():
                fixed = ("as_of", "choices", "more", "hidden", "reachable", "next", "csrf")
                own = viewer == "driver" and name == "drivers"  # themselves
                assert name in fixed or own or not value, (viewer, rule, name, value)


@pytest.fixture(scope="module")
def links(team: Team_, database: Database) -> dict[str, str]:
    """A token for each holder; the first run came by the one that is Ines' own."""
    owner, stranger = team.viewers["owner"], team.viewers["other team"]
    made = {}
    for holder, giver, driver in (
        ("own", owner, "Ines"), ("another's", owner, "Halvard"), ("taken back", owner, "Wanda"),
        ("run out", owner, "Ruben"), ("other team's", stranger, "Ines"),
    ):  # fmt: skip
        link = giver.post("/api/links", json={"driver": driver}).json
        made[holder] = link["address"].rsplit("/", 1)[-1]
        if holder == "taken back":
            giver.delete(f"/api/links/{link['id']}")
        with database.begin() as session:
            row = session.get_one(HandInLink, link["id"])
            if holder == "run out":
                row.expires_at = row.created_at - timedelta(days=1)
            if holder == "own":
                run = session.scalars(
                    select(Run).where(Run.team_id == owner.team_id, Run.driver_id == row.driver_id)
                ).one()
                session.scalars(select(HandIn).where(HandIn.run_id == run.id)).one().link_id = row.id
    return {**made, "made up": "x.y"}


@pytest.mark.parametrize("holder", HOLDERS)
def test_links_open_what_the_table_says(app: Any, team: Team_, links: dict[str, str], holder: str) -> None:
    phone = team.viewers["link"]
    begun = announce(phone, f"{holder}.csv", b"0123456789", f"/api/link/{links['own']}")["id"]
    run_id = next(
        r["id"] for r in team.viewers["owner"].get("/api/paddock").json["runs"] if r["driver"]["name"] == "Ines"
    )
    for (method, rule), answers in cells(BY_LINK).items():
        path = rule.replace("<token>", links[holder]).replace("<int:run_id>", str(run_id))
        for name in ("debrief_id", "cue_id"):
            path = path.replace(f"<int:{name}>", str(team.ids[name]))
        body: Any = {"felt": "Good"}
        if rule.endswith(("voices", "answer")):
            body = {"run": run_id, "felt": "good"} if rule.endswith("voices") else {"understood": True}
        answer = phone.client.open(
            path.replace("<int:upload_id>", str(begun)), method=method,
            headers={"X-CSRFToken": phone.csrf, **ANNOUNCED},
            json=body if rule.endswith(("<int:run_id>", "voices", "answer")) else None,
        )  # fmt: skip
        wanted = answers[HOLDERS.index(holder)]
        assert answer.status_code in TAKES[wanted], (method, rule, answer.status_code, answer.data[:200])
        if method == "GET" and rule.endswith("<token>") and answer.status_code == 200:
            assert [item["run"]["run"]["id"] for item in answer.json["hand_ins"]] == ([] if wanted == "e" else [run_id])


def test_a_link_opens_one_team_and_what_came_by_it(team: Team_, app: Any) -> None:
    owner = team.viewers["owner"]
    address = owner.post("/api/links", json={"driver": "Ines"}).json["address"]
    token = address.rsplit("/", 1)[-1]
    phone = app.test_client()
    assert phone.get(f"/api/link/{token}").json["hand_ins"] == []
    csrf = phone.get("/api/session").json["csrf"]
    # Her run is there, but it did not come by this link.
    ines = next(run["id"] for run in owner.get("/api/paddock").json["runs"] if run["driver"]["name"] == "Ines")
    for run_id in (ines, team.ids["run_id"]):
        answer = phone.patch(f"/api/link/{token}/runs/{run_id}", json={"felt": "x"}, headers={"X-CSRFToken": csrf})
        assert answer.status_code == 404


def test_a_driver_sees_their_own_runs_and_no_others(team: Team_, app: Any, database: Database) -> None:
    owner = team.viewers["owner"]
    runs = owner.get("/api/paddock").json["runs"]
    ines = next(run for run in runs if run["driver"]["name"] == "Ines")
    email = f"ines-{owner.team_id}@team.example"
    with database.begin() as session:
        own = session.get_one(Team, owner.team_id)
        add_account(
            session, own, email=email, name="Ines", password="secret word", role="driver",
            driver_id=ines["driver"]["id"],
        )  # fmt: skip
    driver = Coach(app.test_client(), owner.team_id, email)
    driver.sign_in()
    assert [run["id"] for run in driver.get("/api/paddock").json["runs"]] == [ines["id"]]
    desk = driver.get("/api/desk").json
    assert {lap["run"] for lap in desk["laps"]} == {ines["id"]}
    assert driver.patch(f"/api/runs/{ines['id']}/felt", json={"felt": "Good"}).json["felt"] == "Good"
    other = next(run for run in runs if run["id"] != ines["id"])
    lap = owner.get(f"/api/desk?run={other['id']}").json["laps"][0]
    # Another's lap looks like one that is not there, and takes away only itself.
    mine = desk["laps"][0]["key"]
    both = driver.get(f"/api/desk?laps={mine},{lap['key']}").json
    assert [row["key"] for row in both["laps"]] == [mine]
    assert both["missing"] == [lap["key"]]
    assert driver.get(f"/api/desk?laps={lap['key']}").status_code == 404
    # Nor is it part of what is made of everybody's laps.
    event = desk["event"]["id"]
    made = driver.get(f"/api/desk?laps={mine},median-e{event}").json["laps"][1]
    own = driver.get(f"/api/choices?event={event}").json["runs"]
    assert {run["run"] for run in own} == {ines["id"]}
    assert made["made"]["laps"] == sum(row["set_aside"] is None for row in own[0]["laps"])
    assert driver.get(f"/api/curves?laps={lap['curves']}&reference={lap['curves']}").status_code == 404


def test_an_assistant_is_shown_no_link_that_acts_as_a_driver(team: Team_) -> None:
    assert team.viewers["coach"].get("/api/links").json["links"]
    assert team.viewers["assistant"].get("/api/links").json["links"] == []
    told = team.viewers["assistant"].get("/api/links").data + team.viewers["assistant"].get("/api/paddock").data
    assert b"/give/" not in told


def test_an_assistant_notes_and_changes_nothing_else(team: Team_) -> None:
    assistant, run = team.viewers["assistant"], team.ids["run_id"]
    assert assistant.patch(f"/api/runs/{run}/notes", json={"notes": "Windy"}).json["notes"] == "Windy"
    assert assistant.patch(f"/api/runs/{run}", json={"driver": "Thief"}).status_code == 403


def test_the_thief_changed_nothing(team: Team_) -> None:
    owner = team.viewers["owner"]
    assert {run["driver"]["name"] for run in owner.get("/api/paddock").json["runs"]} == {"Halvard", "Ines"}


@pytest.mark.parametrize(
    "path",
    [
        "/api/desk?laps=1",
        "/api/desk?laps=x.y",
        "/api/desk?laps=1.1&reference=;",
        "/api/card?laps=1.1&reference=1.1",
        "/api/curves?laps=1-1&reference=1.1",
        "/api/paddock?before=nothing",
        "/api/hand-ins?since=never",
    ],
)
def test_requests_that_mean_nothing_are_told_so(coach: Coach, path: str) -> None:
    answer = coach.get(path)
    assert answer.status_code in (404, 422)
    assert answer.json["message"]


def test_ids_of_rules_are_known() -> None:
    named = set(re.findall(r"<(?:int:)?(\w+)>", TABLE + BY_LINK))
    assert named == {
        "action_id", "dialect_id", "driver_id", "event_id", "hand_in_id", "job_id", "link_id", "run_id", "number",
        "upload_id", "token",
        "account_id", "sign_in_id", "row_id", "layout_id", "invitation_id", "kind", "mark_id", "set_id", "version_id",
        "car_id", "figure_set_id", "line_up_id", "note_id", "debrief_id", "cue_id",
    }  # fmt: skip
