"""Uploads in pieces, personal links, archives, retrying: files come in whole, from whom they should."""

import base64
from datetime import timedelta

import pytest

from lauftakt import settings
from lauftakt.store.database import Database, mine, now
from lauftakt.store.models import HandInLink, Upload
from lauftakt.web import arriving
from lauftakt.work import importing
from tests.day import Day
from tests.hostile import zipped
from tests.web.coach import Coach

PIECE = "application/offset+octet-stream"


def tus(coach: Coach, method: str, path: str, data: bytes = b"", **headers: str):
    """A request as the protocol wants it."""
    own = {"X-CSRFToken": coach.csrf, "Tus-Resumable": "1.0.0"}
    said = {name.replace("_", "-"): value for name, value in headers.items()}
    return coach.client.open(path, method=method, data=data, headers={**own, **said})


def metadata(**said: str) -> str:
    return ",".join(f"{key} {base64.b64encode(value.encode()).decode()}" for key, value in said.items())


def announcing(coach: Coach, name: str, size: int, base: str = "/api", **more: str):
    told = metadata(filename=name, modified="5", **more)
    return tus(coach, "POST", f"{base}/uploads", Upload_Length=str(size), Upload_Metadata=told)


def announce(coach: Coach, name: str, data: bytes, base: str = "/api", **more: str) -> dict:
    answer = announcing(coach, name, len(data), base, **more)
    assert answer.status_code == 201, answer.json
    assert answer.headers["Location"].endswith(f"{base}/uploads/{answer.json['id']}")
    return answer.json


def piece(coach: Coach, upload: int, offset: int, data: bytes, base: str = "/api"):
    return tus(coach, "PATCH", f"{base}/uploads/{upload}", data, Upload_Offset=str(offset), Content_Type=PIECE)


def give(coach: Coach, name: str, data: bytes, base: str = "/api") -> dict:
    upload = announce(coach, name, data, base)
    answer = piece(coach, upload["id"], upload["offset"], data[upload["offset"] :], base)
    assert answer.status_code == 204, answer.json
    return coach.get(f"{base}/uploads/{upload['id']}").json["hand_in"]


def test_a_file_in_pieces_goes_on_after_a_break(coach: Coach, day: Day) -> None:
    data = day.files[0].read_bytes()
    third = len(data) // 3
    upload = announce(coach, "a.csv", data)
    assert piece(coach, upload["id"], 0, data[:third]).headers["Upload-Offset"] == str(third)
    # The same piece once more, as after an answer that was lost: told where to go on.
    assert piece(coach, upload["id"], 0, data[:third]).json["code"] == "offset"
    again = announce(coach, "a.csv", data)
    assert (again["id"], again["offset"]) == (upload["id"], third)
    assert coach.get(f"/api/uploads/{upload['id']}").json["offset"] == third
    assert piece(coach, upload["id"], third, data[third:-5]).status_code == 204
    asked = tus(coach, "HEAD", f"/api/uploads/{upload['id']}")
    assert (asked.headers["Upload-Offset"], asked.headers["Upload-Length"]) == (str(len(data) - 5), str(len(data)))
    assert asked.headers["Cache-Control"] == "no-store"
    assert "Upload-Expires" in asked.headers
    assert coach.get(f"/api/uploads/{upload['id']}").json["hand_in"] is None
    assert piece(coach, upload["id"], len(data) - 5, data[-5:]).status_code == 204
    # Whoever missed that answer asks again, as often as they like, or sends the end once more.
    assert piece(coach, upload["id"], len(data), b"").status_code == 204
    last = [coach.get(f"/api/uploads/{upload['id']}").json for _ in range(3)]
    assert last[0] == last[1] == last[2]
    assert last[0]["hand_in"]["state"] == "taken"
    assert last[0]["hand_in"]["run"]["run"]["driver"]["name"] == day.logs[0].meta["driver"]
    assert len(coach.get("/api/hand-ins").json["hand_ins"]) == 1
    assert not uploads_left()
    # Whoever hands it in again means it.
    assert announce(coach, "a.csv", data)["id"] != upload["id"]


def test_the_protocol_is_what_it_says(coach: Coach) -> None:
    offered = coach.client.open("/api/uploads", method="OPTIONS")
    assert offered.headers["Tus-Version"] == "1.0.0"
    assert offered.headers["Tus-Extension"].split(",") == ["creation", "termination", "expiration"]
    assert int(offered.headers["Tus-Max-Size"]) == settings.load().upload_mb * 1_000_000
    upload = announce(coach, "p.csv", b"12345")["id"]
    path = f"/api/uploads/{upload}"
    other = tus(coach, "PATCH", path, b"1", Tus_Resumable="0.2.2", Upload_Offset="0", Content_Type=PIECE)
    assert other.status_code == 412
    assert other.headers["Tus-Resumable"] == "1.0.0"
    for kind in ("application/octet-stream", "application/json", "text/plain"):
        assert tus(coach, "PATCH", path, b"1", Upload_Offset="0", Content_Type=kind).status_code == 415
    for offset in ("", "x", "-1", "1e3", "9" * 30, "\u0663"):
        wrong = tus(coach, "PATCH", path, b"1", Upload_Offset=offset, Content_Type=PIECE)
        assert wrong.status_code == 422, offset
    for told in ("", "filename", "filename !!!", "filename " + "QQ" * 9000, metadata(modified="5")):
        assert tus(coach, "POST", "/api/uploads", Upload_Length="5", Upload_Metadata=told).status_code == 422
    assert tus(coach, "POST", "/api/uploads", Upload_Metadata=metadata(filename="a.csv")).status_code == 422


def test_a_file_that_is_there_is_handed_in_by_whoever_asks(coach: Coach) -> None:
    """All bytes came, but the server ended before it handed the file in."""
    upload = announce(coach, "whole.csv", b"no log\n")["id"]
    assert piece(coach, upload, 0, b"no ").status_code == 204
    with (settings.load().inbox / f"{upload}.upload").open("ab") as file:
        file.write(b"log\n")
    assert tus(coach, "HEAD", f"/api/uploads/{upload}").headers["Upload-Offset"] == "7"
    assert coach.get("/api/hand-ins").json["hand_ins"] == []
    told = [coach.get(f"/api/uploads/{upload}").json["hand_in"] for _ in range(2)]
    assert told[0] == told[1]
    assert told[0]["file_name"] == "whole.csv"
    assert len(coach.get("/api/hand-ins").json["hand_ins"]) == 1


def test_only_so_much_is_on_its_way_at_once(
    coach: Coach, phone: Coach, database: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("LAUFTAKT_OPEN_FILES", "4")
    _, base = link_of(coach, "Ada")
    own = [announce(coach, f"{number}.csv", b"12345")["id"] for number in range(4)]
    refused = announcing(coach, "more.csv", 5)
    assert (refused.status_code, refused.json["code"]) == (429, "too-many-open")
    assert "4 files of you" in refused.json["message"]
    # Announcing the same again is none more; what was given up, or came, makes room; another giver has their own.
    assert announce(coach, "0.csv", b"12345")["id"] == own[0]
    announce(phone, "mine.csv", b"123", base)
    assert tus(coach, "DELETE", f"/api/uploads/{own[1]}").status_code == 204
    announce(coach, "more.csv", b"12345")
    assert announcing(coach, "even-more.csv", 5).status_code == 429
    assert piece(coach, own[0], 0, b"12345").status_code == 204
    announce(coach, "even-more.csv", b"12345")
    assert announcing(coach, "one-more.csv", 5).status_code == 429
    # What was left an hour ago is on its way no more.
    with database.begin() as session:
        for row in session.scalars(mine(Upload, coach.team_id)):
            row.touched_at = now() - timedelta(hours=2)
    announce(coach, "one-more.csv", b"12345")
    monkeypatch.setenv("LAUFTAKT_OPEN_FILES", "99")
    monkeypatch.setenv("LAUFTAKT_OPEN_MB", "1")
    assert announcing(coach, "large.csv", 999_999).json["code"] == "too-many-open"


def uploads_left() -> list:
    return list(settings.load().inbox.glob("*.upload"))


def test_more_bytes_than_announced_are_not_kept(coach: Coach) -> None:
    upload = announce(coach, "b.csv", b"12345")
    assert piece(coach, upload["id"], 0, b"1234567").status_code == 413
    tus(coach, "DELETE", f"/api/uploads/{upload['id']}")
    assert not uploads_left()


def test_an_upload_can_be_given_up(coach: Coach) -> None:
    upload = announce(coach, "c.csv", b"12345")
    piece(coach, upload["id"], 0, b"12")
    assert tus(coach, "DELETE", f"/api/uploads/{upload['id']}").status_code == 204
    assert coach.get(f"/api/uploads/{upload['id']}").status_code == 404
    assert coach.get("/api/hand-ins").json["hand_ins"] == []


def test_old_unfinished_uploads_are_forgotten(coach: Coach, monkeypatch: pytest.MonkeyPatch) -> None:
    upload = announce(coach, "d.csv", b"12345")
    monkeypatch.setattr(arriving, "KEPT", timedelta(seconds=-5))
    announce(coach, "e.csv", b"123")
    assert coach.get(f"/api/uploads/{upload['id']}").status_code == 404


def link_of(coach: Coach, driver: str) -> tuple[dict, str]:
    made = coach.post("/api/links", json={"driver": driver, "days": 3}).json
    return made, "/api/link/" + made["address"].rsplit("/give/", 1)[1]


@pytest.fixture
def phone(app) -> Coach:
    found = Coach(app.test_client(), 0, "")
    found.csrf = found.get("/api/session").json["csrf"]
    return found


def test_a_link_takes_files_for_its_driver_only(coach: Coach, phone: Coach, day: Day) -> None:
    made, base = link_of(coach, "Zoë")
    assert "<svg" in made["qr_svg"]
    page = phone.get(base).json
    assert page["driver"]["name"] == "Zoë"
    taken = give(phone, "mine.csv", day.files[0].read_bytes(), base)
    assert taken["run"]["run"]["driver"]["name"] == "Zoë"
    assert taken["code"] == "other-name"
    assert "Halvard" in taken["message"]
    # What the coach handed in is not on the driver's page, and nothing else opens.
    coach.hand_in(day.files[1].name, day.files[1].read_bytes())
    assert [row["file_name"] for row in phone.get(base).json["hand_ins"]] == ["mine.csv"]
    assert phone.get("/api/hand-ins").status_code == 401
    own = taken["run"]["run"]["id"]
    other = coach.get("/api/hand-ins").json["hand_ins"][0]["run"]["run"]["id"]
    assert phone.patch(f"{base}/runs/{own}", json={"felt": "Loose in T5", "conditions": "damp"}).status_code == 200
    assert phone.patch(f"{base}/runs/{other}", json={"felt": "Not mine"}).status_code == 404
    assert phone.patch(f"{base}/runs/{own}", json={"driver": "Somebody"}).status_code == 422
    told = coach.get(f"/api/runs/{own}").json
    assert (told["felt"], told["conditions"]) == ("Loose in T5", "damp")
    # Given to somebody else since, it is no longer the link's to see.
    coach.patch(f"/api/runs/{own}", json={"driver": "Mila"})
    assert phone.get(base).json["hand_ins"] == []
    assert phone.patch(f"{base}/runs/{own}", json={"felt": "x"}).status_code == 404


def test_links_are_taken_back_and_run_out(coach: Coach, phone: Coach, database: Database) -> None:
    made, base = link_of(coach, "Ada")
    upload = announce(phone, "half.csv", b"12345", base)
    coach.delete(f"/api/links/{made['id']}")
    for answer in (phone.get(base), piece(phone, upload["id"], 0, b"12", base)):
        assert answer.status_code == 410
        assert answer.json["code"] == "link-revoked"
    coach.post(f"/api/links/{made['id']}/restore")
    assert phone.get(base).status_code == 200
    with database.begin() as session:
        session.get_one(HandInLink, made["id"]).expires_at = now() - timedelta(seconds=1)
    assert phone.get(base).json["code"] == "link-expired"
    assert coach.get("/api/links").json["links"] == []


def test_a_new_link_takes_the_old_one_back(coach: Coach, phone: Coach) -> None:
    _, old = link_of(coach, "Ada")
    _, new = link_of(coach, "Ada")
    assert phone.get(old).status_code == 410
    assert phone.get(new).status_code == 200
    assert len(coach.get("/api/links").json["links"]) == 1


def test_a_changed_token_opens_nothing(coach: Coach, phone: Coach) -> None:
    _, base = link_of(coach, "Ada")
    others = "AEIMQUYcgkosw048" + "BCDFGHJKLNOPRSTVXZ"
    changed = [base[:-1] + letter for letter in others if letter != base[-1]]
    for token in (*changed, base + "x", "/api/link/1", "/api/link/W10.x"):
        assert phone.get(token).status_code == 404
    assert phone.get(base).status_code == 200


def test_uploads_of_others_are_not_touched(coach: Coach, phone: Coach, stranger: Coach) -> None:
    _, base = link_of(coach, "Ada")
    own = announce(coach, "x.csv", b"12345")
    assert piece(phone, own["id"], 0, b"1", base).status_code == 404
    assert piece(stranger, own["id"], 0, b"1").status_code == 404
    theirs = announce(phone, "x.csv", b"12345", base)
    assert theirs["id"] != own["id"]
    assert piece(coach, theirs["id"], 0, b"1").status_code == 404


def test_an_archive_of_a_day_becomes_its_files(coach: Coach, day: Day) -> None:
    files = {f"day/{path.name}": path.read_bytes() for path in (day.layout_file, *day.files[:2])}
    answer = coach.hand_in("day.zip", zipped({**files, "notes.pdf": b"%PDF"}))
    assert answer.json["state"] == "taken"
    assert answer.json["message"] == "3 files were taken out of the archive. Left out: “notes.pdf”."
    rows = coach.get("/api/hand-ins").json["hand_ins"]
    assert [row["state"] for row in rows] == ["taken"] * 4
    assert {row["origin"] for row in rows[:3]} == {"day.zip"}


def test_what_failed_is_tried_again(coach: Coach, day: Day, monkeypatch: pytest.MonkeyPatch) -> None:
    with monkeypatch.context() as broken:
        broken.setattr(importing, "save_analysis", lambda *_, **__: 1 / 0)
        failed = coach.hand_in(day.files[0].name, day.files[0].read_bytes()).json
    assert (failed["state"], failed["can_retry"]) == ("failed", True)
    assert coach.post(f"/api/hand-ins/{failed['id']}/retry").json["state"] == "taken"
    assert coach.post(f"/api/hand-ins/{failed['id']}/retry").status_code == 409


def test_what_was_taken_off_the_list_comes_back(coach: Coach) -> None:
    row = coach.hand_in("bad.csv", b"x").json
    coach.delete(f"/api/hand-ins/{row['id']}")
    assert coach.get("/api/hand-ins").json["hand_ins"] == []
    assert coach.post(f"/api/hand-ins/{row['id']}/restore").status_code == 200
    assert len(coach.get("/api/hand-ins").json["hand_ins"]) == 1


def test_filters(taught: Coach) -> None:
    listed = taught.get("/api/hand-ins").json
    driver = next(item["id"] for item in listed["choices"]["drivers"] if item["name"] == "Ines")
    found = taught.get(f"/api/hand-ins?driver={driver}").json
    assert {row["run"]["run"]["driver"]["name"] for row in found["hand_ins"]} == {"Ines"}
    assert found["hidden"] == len(listed["hand_ins"]) - len(found["hand_ins"])
    assert taught.get("/api/hand-ins?state=open").json["hand_ins"] == []
    assert taught.get("/api/hand-ins?age=-1").status_code == 422
    assert len(taught.get("/api/paddock?age=1").json["events"]) == 0
    circuit = listed["choices"]["circuits"][0]["id"]
    assert len(taught.get(f"/api/paddock?circuit={circuit}&driver={driver}").json["events"]) == 1


def test_the_paddock_shows_who_has_handed_in(coach: Coach, day: Day) -> None:
    coach.hand_in(day.files[0].name, day.files[0].read_bytes())
    link_of(coach, "Late Lena")
    told = {item["driver"]["name"]: item for item in coach.get("/api/paddock").json["deliveries"]}
    assert told["Halvard"]["state"] == "in"
    assert told["Halvard"]["laps"] == 9
    assert (told["Late Lena"]["state"], told["Late Lena"]["link"]) == ("missing", True)
