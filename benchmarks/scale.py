#!/usr/bin/env python3
"""How lists answer as a team grows: a team with about 100 000 laps against one with 200, in one run.

The filler writes rows, not imports: runs with summaries, analyses, laps, sector times and channels with pictures, over
years of events; no samples and no curves, which lists must not touch. The newest day of both teams is a real one, three
of the demo's runs handed in. Paging is followed to its end.

With --season instead a school's season: sixty days of forty drivers on a real layout, and what opens over days, beside
a yardstick of the same run.

Usage: .venv/bin/python benchmarks/scale.py [--laps 100000] [--season [--days 60] [--drivers 40]]
"""

import argparse
import statistics
import tempfile
import time
from collections.abc import Iterator
from datetime import date, datetime, timedelta
from pathlib import Path
from typing import Any

import numpy as np
import season
from flask.testing import FlaskClient
from sqlalchemy import insert, select, text
from sqlalchemy.orm import Session

from lauftakt.core.pipeline import CODE_VERSION
from lauftakt.demo.school import write_day
from lauftakt.operate.mariadb import PrivateMariaDB
from lauftakt.settings import Settings
from lauftakt.store.accounts import add_account, add_team
from lauftakt.store.blocks import pack
from lauftakt.store.database import Database
from lauftakt.store.following import keep_pace
from lauftakt.store.lineup import CurveCache
from lauftakt.store.models import (
    Analysis,
    Car,
    ChannelRow,
    Circuit,
    Driver,
    Event,
    HandIn,
    LapFigures,
    LapRow,
    LayoutRow,
    LayoutVersion,
    Run,
    SectorTime,
    Team,
)
from lauftakt.web.application import create_app
from lauftakt.work.direct import hand_in_now
from lauftakt.work.intake import Giver

# After all days that are filled in, so that it is the one that opens.
REAL_DAY, REAL_RUNS = "2026-12-01", 3
ROLES = ("engine_speed", "water_temperature", "oil_temperature", "peak_braking", "lateral_grip", "full_throttle_share")
LAPS_A_RUN, RUNS_A_DAY, CHANNELS, DRIVERS = 11, 12, 14, 24
PASSWORD = "a good password"
PLACES: dict[str, Any] = {"closed": True, "skew": 0.0, "corners": [], "passages": []}
TIMES = 15
# A short look answers fewer times.
FEW = 5000


def _circle() -> bytes:
    """The geometry of a layout that nobody looks at."""
    turn = np.linspace(0.0, 2 * np.pi, 4301)
    radius = 4300.0 / (2 * np.pi)
    return pack(np.concatenate([turn * radius, radius * np.cos(turn), radius * np.sin(turn)]), "<f8")


def fill(session: Session, laps: int, email: str) -> dict[str, int]:
    """A team with about so many laps; returns how many rows of each kind it has."""
    team = add_team(session, f"Team of {laps} laps")
    add_account(session, team, email=email, name="Coach", password=PASSWORD, role="owner")
    circuit = Circuit(team_id=team.id, name="Filled")
    session.add(circuit)
    session.flush()
    layout = LayoutRow(team_id=team.id, name="Filled", circuit_id=circuit.id, latitude=12.0, longitude=-40.0, sketch={})
    session.add(layout)
    session.flush()
    version = LayoutVersion(
        team_id=team.id, layout_id=layout.id, number=1, latitude=12.0, longitude=-40.0, length_m=4300.0,
        start={"left": [12.0001, -40.0], "right": [11.9999, -40.0]}, places=PLACES, geometry=_circle(),
        created_at=datetime(2020, 1, 1),
    )  # fmt: skip
    session.add(version)
    session.flush()
    layout.current_id = version.id
    drivers = [Driver(team_id=team.id, name=f"Driver {n}", colour=n) for n in range(DRIVERS)]
    cars = [Car(team_id=team.id, name=f"Car {n}") for n in range(6)]
    session.add_all([*drivers, *cars])
    session.flush()
    runs = max(laps // LAPS_A_RUN, 1)
    for first in range(0, runs, RUNS_A_DAY):
        _day(session, team.id, layout.id, version.id, drivers, cars, first, min(RUNS_A_DAY, runs - first))
    return {"team": team.id, "runs": runs, "laps": runs * LAPS_A_RUN, "events": -(-runs // RUNS_A_DAY)}


def _day(
    session: Session,
    team: int,
    layout: int,
    version: int,
    drivers: list[Driver],
    cars: list[Car],
    first: int,
    runs: int,
) -> None:
    """One event with its runs."""
    day = date(2026, 11, 20) - timedelta(days=3 * (first // RUNS_A_DAY))
    event = Event(team_id=team, layout_id=layout, day=day.isoformat(), name=f"Day {first // RUNS_A_DAY}")
    session.add(event)
    session.flush()
    made = datetime.combine(day, datetime.min.time())
    rows = [
        Run(
            team_id=team, event_id=event.id, driver_id=drivers[(first + n) % DRIVERS].id, car_id=cars[n % 6].id,
            layout_id=layout, file_name=f"{first + n}.csv", sha256=f"{team}-{first + n}", meta={}, log_warnings=[],
            started_at=made + timedelta(minutes=20 * n), created_at=made, laps_all=LAPS_A_RUN,
            laps_counting=LAPS_A_RUN - 2, best_number=3, best_s=115.0 + n / 10, theoretical_best_s=114.8 + n / 10,
            channels_known=CHANNELS,
        )
        for n in range(runs)
    ]  # fmt: skip
    session.add_all(rows)
    session.flush()
    analyses = [
        Analysis(
            team_id=team, run_id=run.id, layout_version_id=version, code_version=CODE_VERSION, speed_scale=1.0,
            delay_s=0.0, scale={}, warnings=[], created_at=made,
        )
        for run in rows
    ]  # fmt: skip
    session.add_all(analyses)
    session.flush()
    for run, analysis in zip(rows, analyses, strict=True):
        run.analysis_id = analysis.id
    session.flush()
    session.execute(insert(LapRow), list(_laps(team, rows, analyses)))
    laps = session.execute(
        text("SELECT id FROM lap WHERE analysis_id BETWEEN :a AND :b AND time_s IS NOT NULL"),
        {"a": analyses[0].id, "b": analyses[-1].id},
    ).scalars()
    session.execute(
        insert(SectorTime),
        [{"team_id": team, "lap_id": lap, "number": n, "time_s": 38.3} for lap in laps for n in (1, 2, 3)],
    )
    figures = pack(np.full((LAPS_A_RUN, 5), 350.0), "<f8")
    session.execute(
        insert(LapFigures),
        [
            {"team_id": team, "analysis_id": analysis.id, "role": role, "data": figures}
            for analysis in analyses for role in ROLES
        ],
    )  # fmt: skip
    picture = list(range(100)) + [50] * 20
    session.execute(
        insert(ChannelRow),
        [
            {"team_id": team, "run_id": run.id, "name": f"channel {n}", "unit": "1", "role": None, "rate_hz": 100.0,
             "count": 100_000, "picture": picture}
            for run in rows for n in range(CHANNELS)
        ],
    )  # fmt: skip
    session.execute(
        insert(HandIn),
        [
            {"team_id": team, "file_name": run.file_name, "size": 9_000_000, "sha256": run.sha256, "state": "taken",
             "driver_id": run.driver_id, "run_id": run.id, "created_at": made, "changed_at": made}
            for run in rows
        ],
    )  # fmt: skip


def _laps(team: int, runs: list[Run], analyses: list[Analysis]) -> Iterator[dict[str, Any]]:
    for run, analysis in zip(runs, analyses, strict=True):
        for number in range(LAPS_A_RUN):
            timed = 0 < number < LAPS_A_RUN - 1
            aside = None if timed else ("in" if number else "out")
            yield {
                "team_id": team, "run_id": run.id, "analysis_id": analysis.id, "number": number,
                "kind": "timed" if timed else aside, "set_aside": aside, "automatic": aside,
                "start_s": 120.0 * number, "end_s": 120.0 * (number + 1),
                "time_s": 115.0 + number / 10 if timed else None, "time_u_s": 0.01 if timed else None,
            }  # fmt: skip


def client_of(database: Database, folder: Path, email: str) -> FlaskClient:
    found = Settings(database.url, "memory://", folder, "secret", False, 10)
    client = create_app(found, database).test_client()
    token = client.get("/api/session").json["csrf"]
    headers = {"X-CSRFToken": token}
    assert client.post("/api/session", json={"email": email, "password": PASSWORD}, headers=headers).status_code == 200
    return client


def median_ms(client: FlaskClient, path: str, times: int = TIMES) -> float:
    found = []
    for _ in range(times + 1):
        begin = time.perf_counter()
        assert client.get(path).status_code == 200, path
        found.append(1000 * (time.perf_counter() - begin))
    return statistics.median(found[1:])


def read_to_the_end(client: FlaskClient) -> int:
    """Events reached by following the pages."""
    seen, before = 0, ""
    while True:
        page = client.get(f"/api/paddock{before}").json
        seen += len(page["events"])
        if page["next"] is None:
            return seen
        before = f"?before={page['next']}"


def layout_of(client: FlaskClient) -> int:
    rows = client.get("/api/circuits").json["circuits"]
    return int(next(row["id"] for row in rows if row["name"] != "Filled"))


def laps_to_the_end(client: FlaskClient) -> int:
    """Laps reached by following the pages of all laps."""
    seen, after = 0, ""
    while True:
        page = client.get(f"/api/laps/all{after}").json
        seen += len(page["laps"])
        if page["next"] is None:
            return seen
        after = f"?after={page['next']}"


def yardstick() -> float:
    """Milliseconds of a fixed piece of work, since a machine's speed varies from minute to minute."""
    some = np.random.default_rng(1).standard_normal((400, 400))
    begin = time.perf_counter()
    for _ in range(20):
        some = some @ some / np.abs(some).max()
    return 1000 * (time.perf_counter() - begin)


def measure_season(database: Database, folder: Path, days: int, drivers: int) -> None:
    """What opens over days, cold and warm."""
    with database.begin() as session:
        team = add_team(session, "A school").id
        add_account(session, session.get_one(Team, team), email="season@scale.example", name="C", password=PASSWORD,
                    role="owner")  # fmt: skip
    for path in write_day(folder / "day", day="2025-12-01")[:2]:
        for fate in hand_in_now(database, folder / "inbox", Giver(team, "shell"), path):
            assert fate.state == "taken", fate
    with database.begin() as session:
        keep_pace(session, session.scalars(select(Run).where(Run.team_id == team)).one(), CurveCache())
    begin = time.perf_counter()
    with database.begin() as session:
        print(f"{season.fill_season(session, team, days, drivers)} filled in {time.perf_counter() - begin:.1f} s")
    with database.engine.begin() as connection:
        connection.execute(text("ANALYZE TABLE run, event, run_pace, debrief, cue, cue_course, note"))
    client = client_of(database, folder, "season@scale.example")
    begin = time.perf_counter()
    assert client.get("/api/season/school").status_code == 200
    print(f"first opening of the school {1000 * (time.perf_counter() - begin):.0f} ms")
    print(f"yardstick {yardstick():.1f} ms")
    for path in season.addresses_of(client):
        size = season.size_of(database, client, path)
        print(f"{path:36s} {median_ms(client, path):7.1f} ms, {size / 1000:.0f} kB")
    print(f"yardstick {yardstick():.1f} ms")


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--laps", type=int, default=100_000)
    parser.add_argument("--season", action="store_true")
    parser.add_argument("--days", type=int, default=60)
    parser.add_argument("--drivers", type=int, default=40)
    asked = parser.parse_args()
    laps = asked.laps
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        server = PrivateMariaDB(folder / "database")
        server.start()
        try:
            database = Database(server.url)
            database.migrate()
            if asked.season:
                measure_season(database, folder, asked.days, asked.drivers)
                database.close()
                return
            counts = {}
            files = write_day(folder / "day", day=REAL_DAY)[: REAL_RUNS + 1]
            for email, size in (("small@scale.example", 200), ("large@scale.example", laps)):
                begin = time.perf_counter()
                with database.begin() as session:
                    counts[email] = fill(session, size, email)
                for path in files:
                    for fate in hand_in_now(database, folder / "inbox", Giver(counts[email]["team"], "shell"), path):
                        assert fate.state == "taken", fate
                print(f"{counts[email]} filled in {time.perf_counter() - begin:.1f} s")
            with database.engine.begin() as connection:
                connection.execute(text("ANALYZE TABLE run, event, lap, hand_in, channel, sector_time, analysis"))
            clients = {email: client_of(database, folder, email) for email in counts}
            days = {email: clients[email].get("/api/laps").json for email in counts}
            for path in (
                "/api/paddock", "/api/hand-ins?age=0", "/api/hand-ins?age=0&since=2026-11-25T00:00:00", "/api/actions",
                "/api/dialects", "/api/laps", "/api/laps?columns=passages", "/api/stints?event={event}", "/api/watch",
                "/api/laps/all", "/api/laps/all?order=quickest", "/api/laps/all?counting=true&until=2026-11-20",
                "/api/desk", "/api/choices?event={event}", "/api/circuits", "/api/layouts/{layout}",
            ):  # fmt: skip
                small, large = (
                    median_ms(
                        clients[email],
                        path.format(event=days[email]["event"]["id"], layout=layout_of(clients[email])),
                        TIMES if laps > FEW else 4,
                    )
                    for email in counts
                )
                print(f"{path:50s} {small:7.1f} ms, {large:7.1f} ms: {large / small:.2f} x")
            large = clients["large@scale.example"]
            begin = time.perf_counter()
            reached = read_to_the_end(large)
            wanted = counts["large@scale.example"]["events"] + 1
            print(f"{reached} of {wanted} events reached by paging in {time.perf_counter() - begin:.1f} s")
            assert reached == wanted
            begin = time.perf_counter()
            listed = laps_to_the_end(large)
            print(f"{listed} laps listed page by page in {time.perf_counter() - begin:.1f} s")
            assert listed > counts["large@scale.example"]["laps"]
            car = large.get("/api/laps/all").json["cars"][0]["id"]
            print(f"/api/watch?car=… of sixty runs {median_ms(large, f'/api/watch?car={car}'):7.1f} ms")
            database.close()
        finally:
            server.stop()


if __name__ == "__main__":
    main()
