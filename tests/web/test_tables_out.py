"""Whatever a person names goes into every CSV that leaves without running as a formula, whichever sign parts cells."""

import csv
import io
from typing import Any

import pytest
from sqlalchemy import select, update

from lauftakt.formats.tables import FORMULA
from lauftakt.store.database import Database
from lauftakt.store.lineup import CurveCache
from lauftakt.store.models import Car, ChannelRow, Driver, Event, Run, SectorSet, StintWord
from lauftakt.store.models.circuits import Circuit, LayoutRow
from tests.day import Day
from tests.web.coach import Coach
from tests.web.schools import give

NAMES = ("=1+1", "a;=1+1", "b,@x", 'c";-2', "＝1+1", "d\t+3")


@pytest.fixture
def school(coach: Coach, app: Any, database: Database, day: Day) -> Coach:
    return give(coach, app, database, (day.layout_file, *day.files[:2]))


def cells(data: bytes) -> list[str]:
    text = data.decode("utf-8-sig")
    return [
        cell for sign in ",;\t" for row in csv.reader(io.StringIO(text, newline=""), delimiter=sign) for cell in row
    ]


@pytest.mark.parametrize("name", NAMES)
def test_a_name_runs_in_no_table(school: Coach, app: Any, database: Database, name: str) -> None:
    laps = school.get("/api/laps").json
    keys = [lap["key"] for lap in laps["laps"] if lap["time_s"]]
    event = laps["event"]["id"]
    said = {"lap": keys[0], "tried": "x"}
    assert school.post("/api/stints/said", json=said).status_code in (200, 201), said
    with database.begin() as session:
        for model, fields in (
            (Driver, ("name",)), (Car, ("name",)), (Event, ("name",)), (Circuit, ("name",)), (LayoutRow, ("name",)),
            (Run, ("tyres", "notes", "file_name")), (StintWord, ("tried",)),
        ):  # fmt: skip
            for row in session.scalars(select(model.id).where(model.team_id == school.team_id)).all():
                # Two drivers of one name there cannot be.
                values = {field: f"{name}{row}" if field == "name" else name for field in fields}
                session.execute(update(model).where(model.id == row).values(**values))
        session.execute(
            update(ChannelRow)
            .where(ChannelRow.team_id == school.team_id, ChannelRow.role.is_(None))
            .values(name=name, unit=name)
        )
        for sectors in session.query(SectorSet).filter(SectorSet.team_id == school.team_id):
            sectors.splits = {**sectors.splits, "names": [name for _ in sectors.splits["m"]], "first": name}
    app.extensions["lauftakt-curves"] = CurveCache()
    lap = keys[0]
    run = laps["laps"][0]["run"]
    tables = {
        "laps": f"/api/laps/file?event={event}",
        "stints": f"/api/stints/file?event={event}",
        "desk": f"/api/desk/numbers?laps={lap}&reference={lap}&roles=speed,delta&format=csv",
        "lap": f"/api/runs/{run}/file?lap=2&format=csv",
    }
    for what, address in tables.items():
        answer = school.get(address)
        assert answer.status_code == 200, (what, answer.data[:300])
        found = cells(answer.data)
        wrong = [cell for cell in found if cell.strip().startswith(FORMULA) and not _number(cell)]
        assert not wrong, (what, wrong[:3])
        # A driver's name is in each of them.
        assert any(" ".join(name.split()) in cell.replace("'", "") for cell in found), what
    head = next(csv.reader(io.StringIO(school.get(tables["laps"]).data.decode("utf-8-sig"), newline="")))
    assert [cell.replace("'", "") for cell in head[7:]] == [f"{' '.join(name.split())} [s]"] * 3


def _number(cell: str) -> bool:
    try:
        float(cell)
    except ValueError:
        return False
    return True
