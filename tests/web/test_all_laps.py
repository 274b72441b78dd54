"""The list of all laps: every lap once, in its order, filtered as asked, whatever the size of a page."""

from typing import Any

import pytest

from lauftakt.store.database import Database
from lauftakt.web import lap_list
from tests.day import Day
from tests.web.coach import Coach
from tests.web.schools import give


@pytest.fixture
def school(coach: Coach, app: Any, database: Database, day: Day) -> Coach:
    return give(coach, app, database, (day.layout_file, *day.files[:2]))


def all_of(school: Coach, **query: Any) -> list[dict[str, Any]]:
    found: list[dict[str, Any]] = []
    after = None
    for _ in range(100):
        asked = {**query, **({"after": after} if after else {})}
        answer = school.get("/api/laps/all?" + "&".join(f"{name}={value}" for name, value in asked.items()))
        assert answer.status_code == 200, answer.json
        found += answer.json["laps"]
        after = answer.json["next"]
        if after is None:
            return found
    raise AssertionError("the list has no end")


@pytest.mark.parametrize(("page", "days"), [(1, 1), (5, 1), (7, 2), (200, 3)])
@pytest.mark.parametrize("order", ["newest", "quickest"])
def test_every_lap_comes_once(
    school: Coach, day: Day, monkeypatch: pytest.MonkeyPatch, page: int, days: int, order: str
) -> None:
    monkeypatch.setattr(lap_list, "PAGE", page)
    monkeypatch.setattr(lap_list, "DAYS", days)
    found = all_of(school, order=order)
    laps = [lap for run in day.runs[:2] for lap in run.laps if order == "newest" or lap.time_s is not None]
    assert len(found) == len({row["key"] for row in found}) == len(laps)
    times = [row["time_s"] for row in found if row["time_s"] is not None]
    assert sorted(times) == pytest.approx(sorted(lap.time_s for lap in laps if lap.time_s is not None), abs=1e-3)
    if order == "quickest":
        assert times == sorted(times)


def test_the_list_is_narrowed(school: Coach, day: Day) -> None:
    first = school.get("/api/laps/all").json
    assert [row["name"] for row in first["drivers"]] == ["Halvard", "Ines"]
    assert [row["name"] for row in first["layouts"]] == ["Ellerholm Park"]
    ines = next(row["id"] for row in first["drivers"] if row["name"] == "Ines")
    counting = all_of(school, driver=ines, counting="true")
    assert len(counting) == len(day.runs[1].counting)
    assert {row["driver"]["name"] for row in counting} == {"Ines"}
    assert sum(row["best_of_run"] for row in counting) == 1
    assert all_of(school, since="2026-05-17") == []
    assert all_of(school, until="2026-05-16", reason="out") == [
        row for row in all_of(school) if row["set_aside"] == "out"
    ]
    assert school.get("/api/laps/all?driver=999999").status_code == 404
    for wrong in ("after=AAAA", "after=WzEsIngiXQ==", "since=yesterday", "order=best"):
        assert school.get(f"/api/laps/all?{wrong}").status_code == 422


def test_listed_laps_lie_on_one_desk(school: Coach) -> None:
    quick = all_of(school, order="quickest")
    answer = school.get(f"/api/desk?laps={quick[0]['key']},{quick[-1]['key']}&reference={quick[-1]['key']}")
    assert answer.json["reference"] == quick[-1]["key"]
