"""What an older version stored opens with the same laps, decisions and links, wherever the migration was killed.

``tests/kept`` holds a dump that version 0003 of the tables made, with what that version answered about it: three short
runs of a day, a lap set aside by hand, one that counts although its run was wet, labels, a dialect, a link.
"""

import contextlib
import itertools
import json
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from flask.testing import FlaskClient
from sqlalchemy import event, text

from lauftakt.core.pipeline import CODE_VERSION
from lauftakt.operate.dumps import bring_up_to_date, dump, load
from lauftakt.operate.mariadb import CannotStart, PrivateMariaDB
from lauftakt.settings import Settings
from lauftakt.store.database import Database
from lauftakt.store.models import Base
from lauftakt.web.application import create_app
from lauftakt.web.limits import limiter
from lauftakt.work.doing import work_on
from lauftakt.work.renewing import outdated, want_all

KEPT = Path(__file__).parents[1] / "kept"
TOLD: dict[str, Any] = json.loads((KEPT / "tables-0003.json").read_text())
_count = itertools.count()

MakeDatabase = Callable[[], Database]


@pytest.fixture
def old(mariadb: PrivateMariaDB) -> Iterator[MakeDatabase]:
    """Makes databases as version 0003 left them."""
    made: list[tuple[str, Database]] = []

    def make() -> Database:
        name = f"lauftakt_old_{next(_count)}"
        with mariadb.connect() as connection, connection.cursor() as cursor:
            cursor.execute(f"CREATE DATABASE {name} CHARACTER SET utf8mb4 COLLATE utf8mb4_bin")
        load(mariadb, KEPT / "tables-0003.sql.gz", name)
        database = Database(mariadb.url.replace("/lauftakt?", f"/{name}?"))
        made.append((name, database))
        return database

    yield make
    for name, database in made:
        database.close()
        with mariadb.connect() as connection, connection.cursor() as cursor:
            cursor.execute(f"DROP DATABASE {name}")


@pytest.fixture(autouse=True)
def as_often_as_needed(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(limiter, "enabled", False)


def client_of(database: Database, tmp_path: Path) -> FlaskClient:
    found = Settings(database.url, "memory://", tmp_path, TOLD["secret"], False, 10)
    client = create_app(found, database, front_end=tmp_path).test_client()
    token = client.get("/api/session").json["csrf"]
    answer = client.post(
        "/api/session",
        json={"email": TOLD["email"], "password": TOLD["password"]},
        headers={"X-CSRFToken": token},
    )
    assert answer.status_code == 200
    return client


def with_wet_laps(told: dict[str, Any]) -> dict[str, Any]:
    """A run as it was told, with its laps in the wet counting among their own kind."""
    laps = [
        [n, kind, None if aside == "wet" else aside, time_s, sectors]
        for n, kind, aside, time_s, sectors in told["laps"]
    ]
    counting = [lap for lap in laps if lap[2] is None and lap[3] is not None]
    best = min(counting, key=lambda lap: lap[3])
    theory = sum(min(times) for times in zip(*(lap[4] for lap in counting), strict=True))
    return told | {
        "laps": laps, "counting": len(counting), "best_lap": best[0], "best_s": best[3], "theoretical_best_s": theory,
    }  # fmt: skip


def check(client: FlaskClient, *, near_s: float = 1e-9, anew: bool = False) -> None:
    """Everything is as version 0003 told it; ``anew``: computed by the present version since."""
    paddock = client.get("/api/paddock").json
    assert [[e["name"], e["day"], e["circuit"], e["runs"]] for e in paddock["events"]] == TOLD["events"]
    rows = client.get("/api/hand-ins?age=0").json["hand_ins"]
    assert [row["file_name"] for row in rows if row["state"] == "refused"] == TOLD["refused"]
    runs = {row["run"]["run"]["driver"]["name"]: row["run"] for row in rows if row["run"]}
    assert set(runs) == set(TOLD["runs"])
    for name, old_run in TOLD["runs"].items():
        found, told = runs[name], with_wet_laps(old_run) if anew else old_run
        for key in ("conditions", "tyres", "felt", "confirmed", "dialect"):
            assert found[key] == told[key], (name, key)
        assert found["run"]["id"] == told["id"]
        assert (found["run"]["best_lap"], found["run"]["counting"]) == (told["best_lap"], told["counting"])
        assert found["run"]["best_s"] == pytest.approx(told["best_s"], abs=near_s)
        assert found["run"]["theoretical_best_s"] == pytest.approx(told["theoretical_best_s"], abs=near_s)
        assert not found["original"]
        for lap, (number, kind, set_aside, time_s, sectors) in zip(found["laps"], told["laps"], strict=True):
            assert (lap["number"], lap["kind"], lap["set_aside"]) == (number, kind, set_aside), name
            assert lap["time_s"] == (None if time_s is None else pytest.approx(time_s, abs=near_s))
            assert lap["sector_times_s"] == pytest.approx(sectors, abs=near_s)
    assert client.get(f"/api/link/{TOLD['link']}").json["driver"]["name"] == "Ines"
    # An address that was sent to somebody, with laps by their numbers.
    desk = client.get(f"/api/desk?laps={','.join(TOLD['desk_laps'])}&reference={TOLD['desk_laps'][0]}").json
    assert [lap["delta_s"] for lap in desk["laps"]] == pytest.approx(TOLD["desk_delta_s"], abs=2 * near_s)


def test_an_old_database_opens_as_it_was(old: MakeDatabase, tmp_path: Path) -> None:
    database = old()
    database.migrate()
    check(client_of(database, tmp_path))
    # Then it is computed anew with the present version: by another computation, so to some milliseconds.
    jobs = want_all(database, lambda _: None)
    assert len(jobs) == 3
    for job in jobs:
        work_on(database, tmp_path, job)
    with database.begin() as session:
        assert outdated(session) == []
    check(client_of(database, tmp_path), near_s=2e-2, anew=True)


def test_tables_of_the_version_before_open_after_a_kill(old: MakeDatabase, tmp_path: Path) -> None:
    database = old()
    database.migrate("0015")
    assert database.versions()[0] == "0015"
    straight = old()
    straight.migrate()
    for statements in range(1, 60, 3):
        killed = Database(database.url)
        kill_after(killed, statements)
        with contextlib.suppress(Killed):
            killed.migrate()
        killed.close()
    database.migrate()
    assert shape(database) == shape(straight)
    check(client_of(database, tmp_path))


def test_drivers_who_had_one_colour_are_told_apart(old: MakeDatabase) -> None:
    database = old()
    database.migrate("0015")
    with database.begin() as session:
        session.execute(text("UPDATE driver SET colour = 12"))
    database.migrate()
    with database.begin() as session:
        rows = session.execute(text("SELECT team_id, colour FROM driver WHERE removed_at IS NULL ORDER BY id")).all()
    assert len(rows) > 1
    assert len({(team, colour % 12) for team, colour in rows}) == len(rows)
    assert rows[0][1] == 12  # who came first keeps it


def test_the_tables_are_those_of_the_models(database: Database) -> None:
    with database.engine.connect() as connection:
        context = MigrationContext.configure(connection, opts={"compare_type": True})
        found = [
            item
            for item in compare_metadata(context, Base.metadata)
            if not ("kombu" in str(item) or "queue" in str(item) or "message" in str(item)[:60])
        ]
    named = [item for item in found if item[0] in ("add_table", "remove_table", "add_column", "remove_column")]
    assert named == []


def test_marks_that_came_with_a_drawing_lie_on_the_ground(old: MakeDatabase) -> None:
    database = old()
    database.migrate("0006")
    with database.engine.begin() as connection:
        version, places = connection.execute(text("SELECT id, places FROM layout_version ORDER BY id LIMIT 1")).one()
        drawn = json.loads(places) | {"marks": [["board", 100.0], ["seam", 200.0]]}
        values = {"drawn": json.dumps(drawn), "id": version}
        connection.execute(text("UPDATE layout_version SET places = :drawn WHERE id = :id"), values)
    database.migrate()
    with database.engine.begin() as connection:
        rows = connection.execute(text("SELECT name, latitude, longitude FROM mark ORDER BY id")).all()
    assert [name for name, _, _ in rows] == ["board", "seam"]
    apart = [111_195.0 * (rows[1][k] - rows[0][k]) * (0.59 if k == 2 else 1.0) for k in (1, 2)]
    assert 60.0 < (apart[0] ** 2 + apart[1] ** 2) ** 0.5 < 101.0


class Killed(Exception):
    """The process ends here."""


def kill_after(database: Database, statements: int) -> None:
    """Let the connection die at a statement: what DDL committed stays, the rest is rolled back, as after a kill."""
    left = itertools.count(statements, -1)

    def die(*_: Any) -> None:
        if next(left) <= 0:
            raise Killed

    event.listen(database.engine, "before_cursor_execute", die)


def shape(database: Database) -> dict[str, Any]:
    """Tables and columns, and how many rows each table has."""
    with database.engine.connect() as connection:
        columns = connection.execute(
            text(
                "SELECT table_name, column_name, column_type, is_nullable FROM information_schema.columns"
                " WHERE table_schema = DATABASE() ORDER BY 1, 2"
            )
        ).all()
        keys = connection.execute(
            text(
                "SELECT table_name, column_name, referenced_table_name FROM information_schema.key_column_usage"
                " WHERE table_schema = DATABASE() ORDER BY 1, 2, 3"
            )
        ).all()
        tables = sorted({row[0] for row in columns})
        counts = {name: connection.execute(text(f"SELECT COUNT(*) FROM `{name}`")).scalar() for name in tables}
    return {"columns": columns, "keys": keys, "counts": counts}


def statements_of(database: Database) -> int:
    seen = [0]

    def count(*_: Any) -> None:
        seen[0] += 1

    event.listen(database.engine, "before_cursor_execute", count)
    database.migrate()
    event.remove(database.engine, "before_cursor_execute", count)
    return seen[0]


@pytest.mark.parametrize(
    "share",
    [0.2, 0.55, 0.9, *(pytest.param(n / 40, marks=pytest.mark.long) for n in range(1, 40))],
)
def test_a_migration_that_was_killed_goes_on(old: MakeDatabase, tmp_path: Path, share: float) -> None:
    straight, killed = old(), old()
    count = statements_of(straight)
    kill_after(killed, int(share * count))
    with pytest.raises(Killed):
        killed.migrate()
    again = Database(killed.url)
    again.migrate()
    assert shape(again) == shape(straight)
    check(client_of(again, tmp_path))
    again.close()


def test_a_run_older_than_its_layouts_geometry_is_computed_anew(old: MakeDatabase, tmp_path: Path) -> None:
    database = old()
    with database.engine.begin() as connection:
        connection.execute(text("UPDATE run SET code_version = 9999, layout_version = 7 WHERE id = 2"))
        connection.execute(text("UPDATE run SET code_version = :own WHERE id <> 2"), {"own": CODE_VERSION})
    database.migrate()
    with database.begin() as session:
        assert [run for _, run in outdated(session)] == [2]
    for job in want_all(database, lambda _: None):
        work_on(database, tmp_path, job)
    check(client_of(database, tmp_path), near_s=2e-2)


def test_the_database_is_dumped_before_its_tables_change(tmp_path: Path) -> None:
    server = PrivateMariaDB(tmp_path / "database")
    server.start()
    try:
        load(server, KEPT / "tables-0003.sql.gz")
        database = Database(server.url)
        told: list[str] = []
        bring_up_to_date(database, server, tmp_path / "backup", told.append)
        kept = tmp_path / "backup" / "before-0017-from-0003.sql.gz"
        assert kept.exists()
        assert kept.stat().st_mode & 0o077 == 0
        assert any(str(kept) in line for line in told)
        told.clear()
        bring_up_to_date(database, server, tmp_path / "backup", told.append)
        assert told == []
        # What was dumped can be read again.
        with database.engine.begin() as connection:
            connection.execute(text("CREATE DATABASE IF NOT EXISTS lauftakt_again CHARACTER SET utf8mb4"))
        load(server, kept, "lauftakt_again")
        older = Database(server.url.replace("/lauftakt?", "/lauftakt_again?"))
        assert older.versions()[0] == "0003"
        older.close()
        # A program that is older than the data says so and changes nothing.
        with database.engine.begin() as connection:
            connection.execute(text("UPDATE alembic_version SET version_num = '9999'"))
        with pytest.raises(CannotStart, match="newer version"):
            bring_up_to_date(database, server, tmp_path / "backup", told.append)
        database.close()
    finally:
        server.stop()
    with pytest.raises(CannotStart, match="could not be dumped"):
        dump(server, tmp_path / "backup" / "never.sql.gz")
