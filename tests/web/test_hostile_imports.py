"""Hostile files handed in: each gets its sentence, nothing of it is stored, and the worker goes on."""

import pytest
from sqlalchemy import func, select

from lauftakt import settings
from lauftakt.store.database import Database
from lauftakt.store.models import Base
from tests.hostile import FILES, Hostile, zipped
from tests.web.coach import Coach
from tests.web.test_ways_in import announcing

STORED = ("run", "channel", "samples", "lap", "curves", "layout", "driver", "car", "event", "dialect")


def stored(database: Database, team_id: int) -> int:
    with database.begin() as session:
        return sum(
            session.scalar(
                select(func.count())
                .select_from(Base.metadata.tables[name])
                .where(Base.metadata.tables[name].c.team_id == team_id)
            )
            for name in STORED
        )


@pytest.mark.parametrize("item", FILES, ids=lambda item: item.name)
def test_nothing_of_a_hostile_file_is_stored(coach: Coach, database: Database, item: Hostile) -> None:
    answer = coach.hand_in(item.name, item.data())
    assert answer.status_code == 201
    found = coach.get("/api/hand-ins").json["hand_ins"]
    told = next(row for row in found if row["id"] == answer.json["id"])
    # None of them holds a lap: what could be read is refused for that.
    assert told["state"] == "refused", (told["state"], told["code"], told["message"])
    assert told["code"] != "internal"
    assert told["message"]
    if item.refused:
        assert told["code"] in item.refused
    assert stored(database, coach.team_id) == 0
    # What may be placed once somebody says where stays until it is taken off the list.
    assert bool(list(settings.load().inbox.glob(f"{answer.json['id']}.*"))) == told["can_place"]


def test_paths_in_an_archive_lead_nowhere(coach: Coach) -> None:
    data = zipped(
        {"../../../tmp/evil.csv": b"x", "/etc/evil.csv": b"x", "C:\\evil.csv": b"x", "__MACOSX/._a.csv": b"x"}
    )
    answer = coach.hand_in("day.zip", data)
    assert answer.json["state"] == "taken"
    names = [row["file_name"] for row in coach.get("/api/hand-ins").json["hand_ins"]]
    assert names.count("evil.csv") == 3
    assert not list(settings.load().inbox.parent.rglob("evil*"))


def test_a_link_in_an_archive_is_left_out(coach: Coach) -> None:
    data = zipped({"link.csv": b"/etc/passwd", "also.csv": b"x"}, external_attr=0o120777 << 16, create_system=3)
    answer = coach.hand_in("links.zip", data)
    assert answer.json["code"] == "archive"


def test_an_archive_in_an_archive_is_left_out(coach: Coach) -> None:
    answer = coach.hand_in("nest.zip", zipped({"inner.zip": zipped({"a.csv": b"x"}), "b.csv": b"x"}))
    assert answer.json["state"] == "taken"
    assert "inner.zip" in answer.json["message"]
    assert len(coach.get("/api/hand-ins").json["hand_ins"]) == 2


def test_two_gigabytes_are_refused_when_they_are_announced(coach: Coach) -> None:
    answer = announcing(coach, "huge.csv", 2_000_000_000)
    assert answer.status_code == 413
    assert "limit" in answer.json["message"]


def test_an_import_that_takes_too_long_is_stopped(coach: Coach, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("LAUFTAKT_IMPORT_SECONDS", "0")
    rows = "".join(f"{i / 10},50,53.{i:04d},10.1\n" for i in range(400))
    answer = coach.hand_in("slow.csv", ("time [s],speed,latitude,longitude\n" + rows).encode())
    assert answer.json["code"] == "too-long"
    assert "limit" in answer.json["message"]


def test_a_reader_that_needs_too_much_memory_is_stopped(coach: Coach, monkeypatch: pytest.MonkeyPatch) -> None:
    from lauftakt.work import importing

    def greedy(_path: object) -> None:
        raise MemoryError

    monkeypatch.setattr(importing, "read_raw", greedy)
    answer = coach.hand_in("big.csv", b"time,speed\n" * 50)
    assert answer.json["code"] == "too-large"
