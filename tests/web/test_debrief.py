"""Debriefs through the API: prepared, given, read by the driver, answered, and checked after the next run."""

import io
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest
from pypdf import PdfReader
from sqlalchemy import select

from lauftakt.core.debrief.check import Asked, check, losses_of
from lauftakt.core.debrief.target import Target
from lauftakt.core.findings.finding import find
from lauftakt.core.findings.pairing import Contender
from lauftakt.core.pipeline import analyse_run
from lauftakt.formats.reading import read_log
from lauftakt.store.database import Database, now
from lauftakt.store.models import Action, CueRow, Debrief, Driver, HandIn, Run
from lauftakt.web.debrief import advice
from lauftakt.web.debrief.seeing import Seen
from tests.day import Day
from tests.web.coach import Coach, make_coach

pytestmark = pytest.mark.in_order

REFERENCE = "the quickest driver of the day"


@pytest.fixture(scope="module")
def school(app: Any, database: Database, day: Day, next_files: dict[str, Path]) -> Coach:
    """A coach with the instructor's run and two runs of Ines."""
    coach = make_coach(app, database)
    coach.sign_in()
    for path in (day.layout_file, day.files[day.of("Halvard")], day.files[day.of("Ines")], next_files["ines"]):
        assert coach.hand_in(path.name, Path(path).read_bytes()).status_code == 201
    return coach


@pytest.fixture(scope="module")
def runs(school: Coach) -> list[dict]:
    """Both runs of Ines, the earlier one first."""
    found = [run for run in school.get("/api/paddock").json["runs"] if run["driver"]["name"] == "Ines"]
    return sorted(found, key=lambda run: run["started_at"])


def ready(coach: Coach, run: int) -> dict:
    """What is known of a run; the comparison is computed at the first asking."""
    coach.get(f"/api/debriefs/runs/{run}")
    found = coach.get(f"/api/debriefs/runs/{run}").json
    assert found["state"] == "ready"
    return found


def text_of(said: list[dict]) -> str:
    return "".join(part["text"] if part["text"] is not None else f"{part['value']:.2f}" for part in said)


@pytest.fixture(scope="module")
def prepared(school: Coach, runs: list[dict]) -> dict:
    """Two cues from the dearest findings and a keep, given."""
    found = ready(school, runs[0]["id"])
    for finding in found["findings"][:2]:
        body = {"run": runs[0]["id"], "kind": "cue", "passage": finding["passage"]}
        assert school.post("/api/cues", json=body).status_code == 201
    body = {"run": runs[0]["id"], "kind": "keep", "passage": found["strengths"][0]["passage"]}
    done = school.post("/api/cues", json=body)
    assert done.status_code == 201
    given = school.post(f"/api/debriefs/{done.json['debrief']['id']}/give", json={"given": True})
    assert given.json["given_at"]
    return given.json


def test_findings_bring_cues_that_the_driver_has_shown(school: Coach, runs: list[dict]) -> None:
    found = ready(school, runs[0]["id"])
    assert found["reference_driver"] == "Halvard"
    first = found["findings"][0]
    assert first["put_forward"]
    assert first["corner"] == "T5"
    brake = next(one for one in first["proposals"] if one["target"]["figure"] == "brake_point_m")
    # The truth: thirteen metres too early in most laps; what is asked is what the own quickest lap did.
    assert brake["target"]["direction"] == "high"
    assert 2.0 < brake["target"]["value"] - brake["target"]["now"] < 15.0
    assert brake["shown"] == "own best"
    assert f"lap {brake['lap']}" in text_of(brake["says"])
    assert first["proposals"][-1]["target"]["figure"] == "passage_s"
    assert found["strengths"]
    day = school.get("/api/debriefs").json
    ines = next(one for one in day["drivers"] if one["driver"]["name"] == "Ines")
    assert (ines["runs"], ines["run"]) == (2, runs[1]["id"])


def test_a_fourth_cue_asks_which_one_is_left(school: Coach, runs: list[dict]) -> None:
    run = runs[1]["id"]
    ready(school, run)
    layout = school.get("/api/desk").json["layout"]
    names = [passage["name"] for passage in layout["passages"]][:4]
    ids = [
        school.post("/api/cues", json={"run": run, "kind": "cue", "passage": name, "figure": "passage_s"}).json["cue"][
            "id"
        ]
        for name in names[:3]
    ]
    again = school.post("/api/cues", json={"run": run, "kind": "cue", "passage": names[0], "figure": "passage_s"})
    assert (again.status_code, again.json["code"]) == (409, "asked-already")
    body = {"run": run, "kind": "cue", "passage": names[3], "figure": "passage_s"}
    fourth = school.post("/api/cues", json=body)
    assert (fourth.status_code, fourth.json["code"]) == (409, "too-many")
    done = school.post("/api/cues", json=body | {"leave": ids[0]}).json
    asked = [cue["passage"] for cue in done["debrief"]["cues"]]
    told = school.get(f"/api/runs/{run}/cues").json["cues"]
    assert [cue["passage"] for cue in told] == asked
    assert school.get(f"/api/runs/{runs[0]['id']}/cues").json == {"cues": []}
    assert asked == names[1:4]
    # Taken back as a whole: the one that was left is there again.
    assert school.post(f"/api/actions/{done['action']}/undo").status_code == 204
    head = school.get(f"/api/debriefs/runs/{run}").json["debrief"]
    assert sorted(cue["passage"] for cue in head["cues"]) == sorted(names[:3])
    # Quicker than the reference itself is said to be so, and no longer once it is not.
    now_s = next(cue for cue in head["cues"] if cue["id"] == ids[1])["target"]["now"]
    daring = school.patch(f"/api/cues/{ids[1]}", json={"value": now_s - 5.0}).json["cue"]
    assert f"beyond {REFERENCE}" in text_of(daring["says"])
    meek = school.patch(f"/api/cues/{ids[1]}", json={"value": now_s - 0.01}).json["cue"]
    assert f"beyond {REFERENCE}" not in text_of(meek["says"])
    # In other words, withdrawn, brought back.
    long = school.patch(f"/api/cues/{ids[1]}", json={"text": "word " * 61})
    assert (long.status_code, long.json["code"]) == (422, "too-long")
    assert school.patch(f"/api/cues/{ids[1]}", json={"text": "Look further ahead."}).json["cue"]["text"]
    gone = school.patch(f"/api/cues/{ids[1]}", json={"removed": True}).json
    assert len(gone["debrief"]["cues"]) == 2
    assert len(school.patch(f"/api/cues/{ids[1]}", json={"removed": False}).json["debrief"]["cues"]) == 3
    for one in ids:
        school.patch(f"/api/cues/{one}", json={"removed": True})


def test_the_check_is_the_cores(
    school: Coach, runs: list[dict], prepared: dict, day: Day, next_files: dict[str, Path]
) -> None:
    told = school.get(f"/api/debriefs/{prepared['id']}/check").json
    assert told["run"] == runs[1]["id"]
    before, base = day.runs[day.of("Ines")], day.runs[day.of("Halvard")]
    after = analyse_run(read_log(next_files["ines"]), day.layout)
    asked = [
        Asked(
            cue["id"],
            Target(
                cue["target"]["figure"], cue["passage"], cue["corner"], cue["target"]["value"],
                cue["target"]["direction"],
            ),
            cue["kind"] == "keep",
        )
        for cue in prepared["cues"]
    ]  # fmt: skip
    core = check(before, after, day.layout, asked, losses=losses_of(before, day.layout, base))
    for answer in core.answers:
        row = told["answers"][str(answer.key)]
        assert row["answer"] == answer.answer
        assert row["change"] == pytest.approx(answer.figure.change, rel=0.05, abs=0.05)
        assert row["time_change_s"] == pytest.approx(answer.time.change, abs=0.01)
        assert row["before"] == pytest.approx(list(answer.before.values), abs=0.1)
    # Ines took up everything that was asked.
    cues = [cue["id"] for cue in prepared["cues"] if cue["kind"] == "cue"]
    assert {told["answers"][str(key)]["answer"] for key in cues} == {"reached_paid"}
    page = school.get(f"/api/debriefs/runs/{runs[1]['id']}").json
    assert page["before"]["id"] == prepared["id"]
    assert page["answers"] == told["answers"]


def test_other_conditions_are_not_judged(school: Coach, runs: list[dict], prepared: dict) -> None:
    school.patch(f"/api/runs/{runs[1]['id']}", json={"conditions": "wet"})
    told = school.get(f"/api/debriefs/{prepared['id']}/check").json
    school.patch(f"/api/runs/{runs[1]['id']}", json={"conditions": None})
    assert {one["answer"] for one in told["answers"].values()} == {"cannot_judge"}
    assert told["apart"] == "Conditions differ: dry before, wet after."
    assert school.get(f"/api/debriefs/{prepared['id']}/check").json["answers"]


def test_what_a_dry_run_of_the_day_answered_stays_answered(school: Coach, runs: list[dict], prepared: dict) -> None:
    before = school.get(f"/api/debriefs/{prepared['id']}/check").json
    assert before["run"] == runs[1]["id"]
    other = next(run for run in school.get("/api/paddock").json["runs"] if run["driver"]["name"] == "Halvard")
    later = {"driver": "Ines", "conditions": "wet", "started_at": "2026-05-16T19:00"}
    done = school.patch(f"/api/runs/{other['id']}", json=later).json
    told = school.get(f"/api/debriefs/{prepared['id']}/check").json
    school.post(f"/api/actions/{done['action']}/undo")
    assert told["run"] == runs[1]["id"]
    assert {key: one["answer"] for key, one in told["answers"].items()} == {
        key: one["answer"] for key, one in before["answers"].items()
    }
    assert told["apart"].startswith("Conditions differ: dry before, wet after; answered by the run of ")


def test_a_driver_reads_it_by_the_personal_link(
    school: Coach, app: Any, runs: list[dict], prepared: dict, day: Day
) -> None:
    link = school.post("/api/links", json={"driver": "Ines", "days": 3}).json
    token = link["address"].rsplit("/", 1)[1]
    phone = app.test_client()
    own = phone.get(f"/api/link/{token}/debriefs").json
    assert [sheet["id"] for sheet in own["sheets"]] == [prepared["id"]]
    assert own["latest"] is None  # nothing came by this link yet
    page = phone.get(f"/api/link/{token}/debriefs/{prepared['id']}").json
    assert [piece["kind"] for piece in page["pieces"]] == ["keep", "cue", "cue"]
    assert "km/h" in page["pieces"][2]["curves"]
    assert page["pieces"][1]["target"].startswith("brake point at 20")
    # Halvard was not asked whether others may see his laps.
    assert "left out" in page["note"]
    assert "reference" not in [role for role, _ in page["legend"]]
    assert school.get(f"/api/debriefs/runs/{runs[0]['id']}").json["debrief"]["opened_at"]
    # A later change is not the driver's to see until it is given.
    cue = page["pieces"][1]["id"]
    school.patch(f"/api/cues/{cue}", json={"text": "Brake when the tree is beside you."})
    assert phone.get(f"/api/link/{token}/debriefs/{prepared['id']}").json["pieces"][1]["says"].startswith("T5")
    school.post(f"/api/debriefs/{prepared['id']}/give", json={"given": True})
    again = phone.get(f"/api/link/{token}/debriefs/{prepared['id']}").json
    assert again["pieces"][1]["says"] == "Brake when the tree is beside you."
    assert again["changes"] == ["Changed: Brake when the tree is beside you."]
    imperial = phone.get(f"/api/link/{token}/debriefs/{prepared['id']}?units=imperial").json
    assert "mph" in imperial["pieces"][2]["curves"]
    # The file opens by itself and is small.
    file = phone.get(f"/api/link/{token}/debriefs/{prepared['id']}/file?format=html")
    assert len(file.data) < 200_000
    assert b"http://" not in file.data.replace(b"http://www.w3.org", b"")
    assert b"Brake when the tree" in file.data
    # What somebody else was given is not theirs.
    other = school.post("/api/links", json={"driver": "Halvard", "days": 3}).json["address"].rsplit("/", 1)[1]
    assert phone.get(f"/api/link/{other}/debriefs/{prepared['id']}").status_code == 404
    school.patch(f"/api/cues/{cue}", json={"text": ""})


def test_the_paper_is_one_page_with_the_same_words(school: Coach, prepared: dict) -> None:
    sheet = school.get(f"/api/debriefs/{prepared['id']}/sheet").json
    made = school.get(f"/api/debriefs/{prepared['id']}/sheet/file?format=pdf")
    pages = PdfReader(io.BytesIO(made.data)).pages
    assert len(pages) == 1
    read = " ".join(pages[0].extract_text().split())
    assert len(sheet["pieces"]) == 3
    for said in (sheet["lead"], *(part for piece in sheet["pieces"] for part in (piece["says"], piece["target"]))):
        assert said is None or " ".join(said.split()) in read, said
    assert school.get(f"/api/debriefs/{prepared['id']}/sheet/file?format=png").data.startswith(b"\x89PNG")


def test_what_drivers_say_stands_beside_the_findings(
    school: Coach, app: Any, database: Database, runs: list[dict], prepared: dict
) -> None:
    link = school.post("/api/links", json={"driver": "Ines", "days": 3}).json
    token = link["address"].rsplit("/", 1)[1]
    with database.begin() as session:
        session.scalars(select(HandIn).where(HandIn.run_id == runs[0]["id"])).one().link_id = link["id"]
    phone = Coach(app.test_client(), 0, "")
    phone.csrf = phone.get("/api/session").json["csrf"]
    latest = phone.get(f"/api/link/{token}/debriefs").json["latest"]
    assert latest["run"] == runs[0]["id"]
    assert "T5" in latest["corners"]

    def say(**said: Any) -> Any:
        return phone.post(f"/api/link/{token}/voices", json={"run": runs[0]["id"], **said})

    assert say(corner="T5", felt="good").status_code == 200
    assert say(corner="T5", felt="lost", words="Too early on the brake?").status_code == 200
    assert say(corner="T99", felt="lost").status_code == 404
    assert say(felt="question").status_code == 422
    assert say(felt="question", words="May I take third there?").status_code == 200
    assert say(corner="T1", felt="unsure").status_code == 200
    told = say(corner="T1", felt=None).json["voices"]
    assert [(row["corner"], row["felt"]) for row in told] == [("T5", "lost"), (None, "question")]
    found = school.get(f"/api/debriefs/runs/{runs[0]['id']}").json
    assert next(one for one in found["findings"] if one["corner"] == "T5")["felt"] == "lost"
    assert len(found["voices"]) == 2
    cue = next(row["id"] for row in prepared["cues"] if row["kind"] == "cue")
    answer = phone.post(f"/api/link/{token}/cues/{cue}/answer", json={"understood": True, "unsafe": True})
    assert answer.status_code == 204
    row = next(row for row in school.get(f"/api/debriefs/runs/{runs[0]['id']}").json["debrief"]["cues"]
               if row["id"] == cue)  # fmt: skip
    assert (row["understood"], row["tried"], row["unsafe"]) == (True, None, True)


def test_an_instructors_lap_stands_in_where_somebody_did_not_agree(
    school: Coach, prepared: dict, runs: list[dict]
) -> None:
    halvard = next(run for run in school.get("/api/paddock").json["runs"] if run["driver"]["name"] == "Halvard")
    driver = halvard["driver"]["id"]

    def roles() -> list[str]:
        sheet = school.get(f"/api/debriefs/{prepared['id']}/sheet").json
        assert ("reference" in [role for role, _ in sheet["legend"]]) == (sheet["note"] is None)
        return [role for role, _ in sheet["legend"]]

    assert "reference" not in roles()
    school.patch(f"/api/drivers/{driver}", json={"shows_laps": True})
    assert "reference" in roles()
    done = school.patch(f"/api/drivers/{driver}", json={"shows_laps": False}).json
    assert "reference" not in roles()
    assert "did not agree" in school.get(f"/api/debriefs/{prepared['id']}/sheet").json["note"]
    school.patch(f"/api/drivers/{driver}", json={"reference_only": True})
    assert "reference" in roles()
    school.patch(f"/api/drivers/{driver}", json={"reference_only": False})
    assert school.post(f"/api/actions/{done['action']}/undo").status_code == 204
    assert "reference" in roles()


@pytest.mark.parametrize(
    ("shows", "instructor", "told"),
    [
        (True, False, "Halvard"),
        (None, True, "Halvard"),
        (None, False, REFERENCE),
        (False, False, REFERENCE),
    ],
)
def test_a_keep_names_no_student_who_did_not_agree(
    day: Day, monkeypatch: pytest.MonkeyPatch, shows: bool | None, instructor: bool, told: str
) -> None:
    base = Run(driver_id=1, driver=Driver(name="Halvard", shows_laps=shows, reference_only=instructor))
    seen = Seen(Run(driver_id=2), base, 1, {}, day.layout, day.layout)
    names = [log.meta["driver"] for log in day.logs]
    order = [Contender(run, name, "car") for run, name in zip(day.runs, names, strict=True)]
    lost = next(one for one in find(order, day.of("Halvard"), day.layout)[0] if one.passage)
    strong = replace(lost, loss_s=-0.04)
    monkeypatch.setattr(advice, "steady_of", lambda _, __: [])
    keep = advice.keeps_of(None, seen, [strong], [])[0]  # type: ignore[arg-type]
    assert f"quicker than {told}. Keep it." in text_of([part.model_dump() for part in keep.says])


def test_pictures_are_of_figures_that_there_are(school: Coach, runs: list[dict]) -> None:
    picture = f"/api/debriefs/runs/{runs[0]['id']}/picture?passage=P1"
    assert school.get(f"{picture}&figure=nothing").status_code == 422
    assert school.get(f"{picture}&figure=min_speed&of=curves").status_code == 200


def test_the_paddock_says_who_waits_and_a_joined_driver_takes_debriefs_along(
    school: Coach, prepared: dict, runs: list[dict]
) -> None:
    states = {one["driver"]["name"]: (one["debrief"], one["latest"]) for one in
              school.get("/api/paddock").json["deliveries"]}  # fmt: skip
    assert states["Ines"][1] == runs[1]["id"]
    assert states["Ines"][0] in ("waits", "prepared")
    other = school.post("/api/links", json={"driver": "Innes", "days": 1}).json["driver"]["id"]
    ines = runs[0]["driver"]["id"]
    joined = school.post(f"/api/drivers/{ines}/join", json={"into": other})
    assert joined.status_code == 200, joined.text
    assert school.get(f"/api/debriefs/{prepared['id']}/sheet").json["driver"] == "Innes"
    assert school.get(f"/api/debriefs/{prepared['id']}/check").json["run"] == runs[1]["id"]
    assert school.post(f"/api/actions/{joined.json['action']}/undo").status_code == 204
    assert school.get(f"/api/debriefs/{prepared['id']}/sheet").json["driver"] == "Ines"


def test_a_debrief_goes_along_when_a_run_was_somebody_elses(
    school: Coach, app: Any, prepared: dict, runs: list[dict]
) -> None:
    links = {
        name: school.post("/api/links", json={"driver": name, "days": 1}).json["address"].rsplit("/", 1)[1]
        for name in ("Ines", "Tamsin")
    }

    def given(name: str) -> list[int]:
        return [sheet["id"] for sheet in app.test_client().get(f"/api/link/{links[name]}/debriefs").json["sheets"]]

    assert given("Ines") == [prepared["id"]]
    school.patch(f"/api/runs/{runs[0]['id']}", json={"driver": "Tamsin"})
    # It was about a run that was not hers, and it is nobody's to read before the coach says so.
    assert (given("Ines"), given("Tamsin")) == ([], [])
    assert school.post(f"/api/debriefs/{prepared['id']}/give", json={"given": True}).status_code == 200
    assert (given("Ines"), given("Tamsin")) == ([], [prepared["id"]])
    school.patch(f"/api/runs/{runs[0]['id']}", json={"driver": "Ines"})
    assert school.post(f"/api/debriefs/{prepared['id']}/give", json={"given": True}).status_code == 200
    assert (given("Ines"), given("Tamsin")) == ([prepared["id"]], [])


def test_a_forgotten_driver_is_named_in_no_cue(school: Coach, database: Database, prepared: dict) -> None:
    """Also where letters beyond ASCII are written as numbers, as JSON does."""
    said = [{"text": "T6: 0.03 s quicker than Zoë. Keep it."}]
    with database.begin() as session:
        driver = session.scalars(select(Driver).where(Driver.team_id == school.team_id, Driver.name == "Halvard")).one()
        driver.name = "Zoë"
        keep = session.get_one(CueRow, prepared["cues"][0]["id"])
        keep.sentence = said
        debrief = session.get_one(Debrief, prepared["id"])
        debrief.given = {"cues": [{**debrief.given["cues"][0], "sentence": said}], "before": None}
        session.add(
            Action(
                team_id=school.team_id, at=now(), kind="debrief", subject="debrief", subject_id=debrief.id,
                summary="Something.", inverse=[{"do": "debrief-given", "name": "Zoë"}],
            )
        )  # fmt: skip
        ident = driver.id
    answer = school.post(f"/api/drivers/{ident}/forget")
    assert answer.status_code == 200, answer.text
    assert answer.json["mentions"] == {}
    with database.begin() as session:
        assert "another driver" in session.get_one(CueRow, prepared["cues"][0]["id"]).sentence[0]["text"]
        assert "another driver" in session.get_one(Debrief, prepared["id"]).given["cues"][0]["sentence"][0]["text"]
    # Nobody is left to be measured against, and the sheet still opens.
    assert school.get(f"/api/debriefs/{prepared['id']}/sheet").json["pieces"]
