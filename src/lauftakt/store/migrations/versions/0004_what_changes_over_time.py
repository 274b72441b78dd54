"""What changes over time: layout versions, analyses, comparisons, words by moment, one action log, generic jobs."""

import json
import re
from datetime import UTC, datetime
from typing import Any

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import DATETIME, LONGBLOB

from lauftakt.store.migrations.steps import (
    add_columns,
    add_foreign_key,
    add_index,
    drop_columns,
    drop_unique,
    has_column,
    make_table,
    need,
    run,
)  # fmt: skip

revision = "0004"
down_revision = "0003"
MOMENT = DATETIME(fsp=6)


def _to(column: str, table: str, ondelete: str = "CASCADE", *, null: bool = False, key: str | None = None) -> Any:
    target = sa.ForeignKey(f"{table}.id", ondelete=ondelete, name=key)
    return sa.Column(column, sa.Integer, target, nullable=null)


def _new_tables_of_circuits() -> None:
    make_table("circuit", sa.Column("name", sa.String(200), nullable=False), sa.UniqueConstraint("team_id", "name"))
    make_table(
        "layout_version",
        _to("layout_id", "layout"),
        sa.Column("number", sa.Integer, nullable=False),
        sa.Column("latitude", sa.Double, nullable=False),
        sa.Column("longitude", sa.Double, nullable=False),
        sa.Column("length_m", sa.Double, nullable=False),
        sa.Column("start", sa.JSON, nullable=False),
        sa.Column("places", sa.JSON, nullable=False),
        sa.Column("geometry", LONGBLOB, nullable=False),
        sa.Column("created_at", MOMENT, nullable=False),
        sa.UniqueConstraint("layout_id", "number"),
    )
    make_table(
        "sector_set",
        _to("layout_id", "layout"),
        sa.Column("name", sa.String(200), nullable=False),
        sa.Column("splits", sa.JSON, nullable=False),
        sa.Column("created_at", MOMENT, nullable=False),
    )


def _new_tables_of_runs() -> None:
    make_table(
        "analysis",
        _to("run_id", "run"),
        _to("layout_version_id", "layout_version"),
        _to("sector_set_id", "sector_set", "SET NULL", null=True),
        sa.Column("code_version", sa.Integer, nullable=False),
        sa.Column("reading", sa.Integer, nullable=False),
        sa.Column("speed_scale", sa.Double, nullable=False),
        sa.Column("delay_s", sa.Double, nullable=False),
        sa.Column("scale", sa.JSON, nullable=False),
        sa.Column("warnings", sa.JSON, nullable=False),
        sa.Column("figures", LONGBLOB),
        sa.Column("created_at", MOMENT, nullable=False),
    )
    make_table(
        "sector_time",
        _to("lap_id", "lap"),
        sa.Column("number", sa.Integer, nullable=False),
        sa.Column("time_s", sa.Double, nullable=False),
        sa.UniqueConstraint("lap_id", "number"),
    )
    make_table(
        "lap_word",
        _to("run_id", "run"),
        sa.Column("moment_s", sa.Double, nullable=False),
        sa.Column("counts", sa.Boolean),
        sa.Column("reason", sa.String(20)),
        sa.Column("note", sa.Text),
        _to("account_id", "account", "SET NULL", null=True),
        sa.Column("said_at", MOMENT, nullable=False),
    )
    make_table(
        "run_overlap",
        _to("run_id", "run"),
        _to("other_id", "run", key="fk_run_overlap_other_id"),
        sa.Column("laps", sa.JSON, nullable=False),
        sa.Column("message", sa.String(500), nullable=False),
    )
    make_table(
        "original",
        sa.Column("run_id", sa.Integer, sa.ForeignKey("run.id", ondelete="CASCADE"), nullable=False, unique=True),
        sa.Column("file_name", sa.String(300), nullable=False),
        sa.Column("sha256", sa.String(64), nullable=False),
        sa.Column("size", sa.BigInteger, nullable=False),
    )
    make_table(
        "original_part",
        _to("original_id", "original"),
        sa.Column("number", sa.Integer, nullable=False),
        sa.Column("data", LONGBLOB, nullable=False),
        sa.UniqueConstraint("original_id", "number"),
    )


def _new_tables_of_comparisons() -> None:
    make_table(
        "comparison",
        sa.Column("key", sa.String(64), nullable=False),
        _to("reference_id", "analysis"),
        sa.Column("reference_number", sa.Integer, nullable=False),
        sa.Column("code_version", sa.Integer, nullable=False),
        sa.Column("created_at", MOMENT, nullable=False),
        sa.UniqueConstraint("team_id", "key"),
    )
    make_table(
        "comparison_member",
        _to("comparison_id", "comparison"),
        _to("analysis_id", "analysis"),
        _to("run_id", "run"),
        _to("driver_id", "driver"),
        sa.Column("best_number", sa.Integer),
        sa.Column("best_s", sa.Double),
        sa.Column("theoretical_best_s", sa.Double),
        sa.Column("unbroken_best_s", sa.Double),
        sa.Column("grip_level", sa.Double),
        sa.Column("held_up", sa.JSON, nullable=False),
    )
    make_table(
        "finding",
        _to("comparison_id", "comparison"),
        _to("run_id", "run"),
        _to("driver_id", "driver"),
        sa.Column("strength", sa.Boolean, nullable=False),
        sa.Column("passage", sa.String(60)),
        sa.Column("corner", sa.String(200)),
        *(
            sa.Column(name, sa.Double, nullable=False)
            for name in ("from_m", "to_m", "loss_s", "loss_u_s", "loss_to_lap_s")
        ),
        sa.Column("parts", sa.JSON, nullable=False),
        sa.Column("cause", sa.String(40)),
        sa.Column("second_cause", sa.String(40)),
        sa.Column("seen_in", sa.JSON, nullable=False),
        sa.Column("clean", sa.Integer, nullable=False),
        sa.Column("best_lap", sa.Integer, nullable=False),
        sa.Column("best_loss_s", sa.Double, nullable=False),
        sa.Column("put_forward", sa.Boolean, nullable=False),
        sa.Column("evidence", sa.JSON, nullable=False),
    )
    make_table(
        "action",
        _to("account_id", "account", "SET NULL", null=True),
        _to("link_id", "hand_in_link", "SET NULL", null=True),
        sa.Column("at", MOMENT, nullable=False),
        sa.Column("kind", sa.String(20), nullable=False),
        sa.Column("subject", sa.String(20), nullable=False),
        sa.Column("subject_id", sa.BigInteger, nullable=False),
        sa.Column("summary", sa.String(300), nullable=False),
        sa.Column("inverse", sa.JSON, nullable=False),
        sa.Column("undone_at", MOMENT),
    )
    add_index("ix_action_list", "action", ["team_id", "id"])


def _new_columns() -> None:
    add_columns("account", sa.Column("driver_id", sa.Integer))
    add_columns(
        "layout",
        sa.Column("circuit_id", sa.Integer),
        sa.Column("sketch", sa.JSON, nullable=False, server_default="{}"),
        sa.Column("current_id", sa.Integer),
    )
    add_columns("event", sa.Column("sector_set_id", sa.Integer))
    add_columns(
        "run",
        sa.Column("analysis_id", sa.Integer),
        sa.Column("zone", sa.String(6)),
        *(
            sa.Column(name, sa.Integer, nullable=False, server_default=default)
            for name, default in (
                ("reading", "1"), ("reader_version", "0"), ("channels_known", "0"), ("channels_unsure", "0"),
                ("laps_all", "0"), ("laps_counting", "0"),
            )
        ),
        sa.Column("best_number", sa.Integer),
        sa.Column("best_s", sa.Double),
        sa.Column("theoretical_best_s", sa.Double),
    )  # fmt: skip
    add_columns("lap", sa.Column("analysis_id", sa.Integer))
    add_columns("curves", sa.Column("analysis_id", sa.Integer))
    add_columns("hand_in", sa.Column("job_id", sa.Integer), sa.Column("changed_at", MOMENT))
    add_columns(
        "job",
        sa.Column("kind", sa.String(20), nullable=False, server_default="import"),
        sa.Column("subject", sa.String(20), nullable=False, server_default="hand_in"),
        sa.Column("subject_id", sa.BigInteger),
        sa.Column("payload", sa.JSON, nullable=False, server_default="{}"),
        sa.Column("account_id", sa.Integer),
        sa.Column("token", sa.String(32)),
        sa.Column("sent_at", MOMENT),
        sa.Column("code", sa.String(60)),
        sa.Column("message", sa.Text),
        sa.Column("result", sa.JSON, nullable=False, server_default="{}"),
        sa.Column("finished_at", MOMENT),
    )


def _fill_circuits() -> None:
    run(
        "INSERT INTO circuit (team_id, name) SELECT DISTINCT l.team_id, SUBSTRING_INDEX(l.name, ', other direction', 1)"
        " FROM layout l WHERE NOT EXISTS (SELECT 1 FROM circuit c WHERE c.team_id = l.team_id"
        " AND c.name = SUBSTRING_INDEX(l.name, ', other direction', 1))"
    )
    run(
        "UPDATE layout l JOIN circuit c ON c.team_id = l.team_id"
        " AND c.name = SUBSTRING_INDEX(l.name, ', other direction', 1) SET l.circuit_id = c.id"
        " WHERE l.circuit_id IS NULL"
    )
    if not has_column("layout", "geometry"):
        return
    now = datetime.now(UTC).replace(tzinfo=None)
    rows = run(
        "SELECT id, team_id, version, latitude, longitude, start, places, geometry, current_id FROM layout"
    ).all()
    for row in rows:
        start, places = json.loads(row.start), json.loads(row.places)
        if row.geometry is None:
            run(
                "UPDATE layout SET sketch = :sketch WHERE id = :id",
                sketch=json.dumps({"start": start, **places.get("sketch", {})}),
                id=row.id,
            )
            continue
        if row.current_id is not None:
            continue
        splits = {key: places.pop(f"split{key}", []) for key in ("s_m", "_skews", "_names")}
        run("DELETE FROM layout_version WHERE layout_id = :id", id=row.id)
        run("DELETE FROM sector_set WHERE layout_id = :id", id=row.id)
        run(
            "INSERT INTO layout_version (team_id, layout_id, number, latitude, longitude, length_m, start, places,"
            " geometry, created_at) VALUES (:team, :layout, :number, :latitude, :longitude, :length, :start, :places,"
            " :geometry, :now)",
            team=row.team_id, layout=row.id, number=row.version, latitude=row.latitude, longitude=row.longitude,
            length=places.get("length", 0.0), start=json.dumps(start), places=json.dumps(places),
            geometry=row.geometry, now=now,
        )  # fmt: skip
        run(
            "INSERT INTO sector_set (team_id, layout_id, name, splits, created_at)"
            " VALUES (:team, :layout, 'Sectors', :splits, :now)",
            team=row.team_id, layout=row.id, now=now,
            splits=json.dumps({"m": splits["s_m"], "skews": splits["_skews"], "names": splits["_names"]}),
        )  # fmt: skip
        run(
            "UPDATE layout SET current_id = (SELECT id FROM layout_version WHERE layout_id = :id) WHERE id = :id",
            id=row.id,
        )
    run(
        "UPDATE event e SET e.sector_set_id = (SELECT MIN(s.id) FROM sector_set s WHERE s.layout_id = e.layout_id)"
        " WHERE e.sector_set_id IS NULL"
    )


def _fill_analyses() -> None:
    if has_column("run", "code_version"):
        # A run that an older version of its layout placed keeps what it has, and is computed anew.
        run(
            "INSERT INTO analysis (team_id, run_id, layout_version_id, sector_set_id, code_version, reading,"
            " speed_scale, delay_s, scale, warnings, created_at)"
            " SELECT r.team_id, r.id, v.id, e.sector_set_id, IF(r.layout_version = v.number, r.code_version, 0), 1,"
            " r.speed_scale, r.delay_s, r.scale, r.warnings, r.created_at FROM run r JOIN layout l ON"
            " l.id = r.layout_id JOIN layout_version v ON v.id = l.current_id JOIN event e ON e.id = r.event_id"
            " WHERE NOT EXISTS (SELECT 1 FROM analysis a WHERE a.run_id = r.id)"
        )
    run(
        "UPDATE run r SET r.analysis_id = (SELECT MIN(a.id) FROM analysis a WHERE a.run_id = r.id)"
        " WHERE r.analysis_id IS NULL"
    )
    run("UPDATE lap l JOIN run r ON r.id = l.run_id SET l.analysis_id = r.analysis_id WHERE l.analysis_id IS NULL")
    if has_column("curves", "run_id"):
        run(
            "UPDATE curves c JOIN run r ON r.id = c.run_id SET c.analysis_id = r.analysis_id"
            " WHERE c.analysis_id IS NULL"
        )
    if has_column("lap", "by_hand"):
        run(
            "INSERT INTO lap_word (team_id, run_id, moment_s, counts, said_at)"
            " SELECT l.team_id, l.run_id, l.start_s, NOT l.by_hand, UTC_TIMESTAMP(6) FROM lap l"
            " WHERE l.by_hand IS NOT NULL AND NOT EXISTS (SELECT 1 FROM lap_word w WHERE w.run_id = l.run_id"
            " AND w.moment_s = l.start_s)"
        )
    if has_column("lap", "sector_times"):
        run(
            "INSERT INTO sector_time (team_id, lap_id, number, time_s) SELECT l.team_id, l.id, t.number, t.seconds"
            " FROM lap l, JSON_TABLE(l.sector_times, '$[*]' COLUMNS (number FOR ORDINALITY, seconds DOUBLE PATH '$')) t"
            " WHERE NOT EXISTS (SELECT 1 FROM sector_time s WHERE s.lap_id = l.id)"
        )
    # What wet conditions do to a lap follows from the run's label now.
    run("UPDATE lap SET automatic = NULL WHERE automatic = 'wet'")
    if has_column("run", "overlaps"):
        for row in run("SELECT id, team_id, overlaps FROM run WHERE JSON_LENGTH(overlaps) > 0").all():
            run("DELETE FROM run_overlap WHERE run_id = :id", id=row.id)
            for item in json.loads(row.overlaps):
                if run("SELECT 1 FROM run WHERE id = :id", id=item["run"]).first():
                    run(
                        "INSERT INTO run_overlap (team_id, run_id, other_id, laps, message)"
                        " VALUES (:team, :id, :other, :laps, :message)",
                        team=row.team_id, id=row.id, other=item["run"], laps=json.dumps(item["laps"]),
                        message=item["message"][:500],
                    )  # fmt: skip


def _fill_summaries() -> None:
    run(
        "UPDATE run r SET"
        " laps_all = (SELECT COUNT(*) FROM lap l WHERE l.run_id = r.id),"
        " laps_counting = (SELECT COUNT(*) FROM lap l WHERE l.run_id = r.id AND l.time_s IS NOT NULL"
        "  AND l.set_aside IS NULL),"
        " best_s = (SELECT MIN(l.time_s) FROM lap l WHERE l.run_id = r.id AND l.set_aside IS NULL),"
        " best_number = (SELECT l.number FROM lap l WHERE l.run_id = r.id AND l.set_aside IS NULL"
        "  AND l.time_s IS NOT NULL ORDER BY l.time_s, l.number LIMIT 1),"
        " theoretical_best_s = (SELECT SUM(b.best) FROM (SELECT l.run_id, s.number, MIN(s.time_s) AS best FROM lap l"
        "  JOIN sector_time s ON s.lap_id = l.id WHERE l.set_aside IS NULL AND l.time_s IS NOT NULL"
        "  GROUP BY l.run_id, s.number) b WHERE b.run_id = r.id),"
        " channels_known = (SELECT COUNT(*) FROM channel c WHERE c.run_id = r.id),"
        " channels_unsure = (SELECT COUNT(*) FROM channel c WHERE c.run_id = r.id AND c.role IS NOT NULL"
        "  AND c.confidence < 0.75)"
    )
    for row in run("SELECT id, meta FROM run WHERE zone IS NULL AND started_at IS NOT NULL").all():
        told = re.search(r"T.*(Z|[+-]\d\d:?\d\d)$", str(json.loads(row.meta).get("date", "")))
        if told:
            zone = "+00:00" if told[1] == "Z" else (told[1] if ":" in told[1] else f"{told[1][:3]}:{told[1][3:]}")
            run("UPDATE run SET zone = :zone WHERE id = :id", zone=zone, id=row.id)


def _fill_jobs() -> None:
    if has_column("job", "hand_in_id"):
        run("UPDATE job SET kind = task, subject_id = hand_in_id WHERE subject_id IS NULL")
        run(
            "UPDATE hand_in h SET h.job_id = (SELECT MAX(j.id) FROM job j WHERE j.hand_in_id = h.id)"
            " WHERE h.job_id IS NULL"
        )
        # Re-reading a run is a job about the run now.
        run(
            "UPDATE job j JOIN hand_in h ON h.id = j.hand_in_id SET j.subject = 'run', j.subject_id = h.run_id"
            " WHERE j.kind = 'renew' AND j.subject = 'hand_in' AND h.run_id IS NOT NULL"
        )
        run("UPDATE hand_in SET state = 'taken' WHERE run_id IS NOT NULL AND state IN ('waiting', 'running')")
    run("UPDATE hand_in SET changed_at = created_at WHERE changed_at IS NULL")
    # Whoever came first answers for the team.
    run(
        "UPDATE account a JOIN (SELECT team_id, MIN(id) AS id FROM account WHERE role = 'coach' GROUP BY team_id) f"
        " ON f.id = a.id SET a.role = 'owner' WHERE NOT EXISTS (SELECT 1 FROM (SELECT team_id FROM account"
        " WHERE role = 'owner') o WHERE o.team_id = a.team_id)"
    )


def _tie() -> None:
    need("layout", "circuit_id")
    need("lap", "analysis_id")
    need("curves", "analysis_id")
    need("job", "subject_id")
    need("hand_in", "changed_at")
    for table, column, other, ondelete in (
        ("layout", "circuit_id", "circuit", "CASCADE"),
        ("layout", "current_id", "layout_version", "SET NULL"),
        ("event", "sector_set_id", "sector_set", "SET NULL"),
        ("run", "analysis_id", "analysis", "SET NULL"),
        ("lap", "analysis_id", "analysis", "CASCADE"),
        ("curves", "analysis_id", "analysis", "CASCADE"),
        ("hand_in", "job_id", "job", "SET NULL"),
        ("job", "account_id", "account", "SET NULL"),
        ("account", "driver_id", "driver", "SET NULL"),
    ):
        add_foreign_key(table, column, other, ondelete)
    add_index("ix_lap_run", "lap", ["run_id"])
    drop_unique("lap", ["run_id", "number"])
    add_index("uq_lap_analysis_id", "lap", ["analysis_id", "number"], unique=True)
    add_index("uq_curves_analysis_id", "curves", ["analysis_id", "role"], unique=True)
    add_index("ix_event_day", "event", ["team_id", "day", "id"])
    add_index("ix_hand_in_changed", "hand_in", ["team_id", "changed_at"])
    add_index("ix_job_subject", "job", ["team_id", "subject", "subject_id"])


def _clear_away() -> None:
    if has_column("curves", "run_id"):
        _drop_foreign_key("curves", "run_id")
        drop_unique("curves", ["run_id", "role"])
    drop_columns("curves", "run_id")
    drop_columns("lap", "by_hand", "sector_times", "held_up")
    # First go the columns by which the filling steps see that there is still something to take over.
    drop_columns("run", "code_version", "overlaps", "warnings", "speed_scale", "delay_s", "scale", "layout_version")
    drop_columns("layout", "geometry", "version", "start", "places")
    drop_columns("job", "hand_in_id", "task")


def _drop_foreign_key(table: str, column: str) -> None:
    for key in sa.inspect(op.get_bind()).get_foreign_keys(table):
        if key["constrained_columns"] == [column] and key["name"]:
            op.drop_constraint(key["name"], table, type_="foreignkey")


STEPS = (
    _new_tables_of_circuits,
    _new_tables_of_runs,
    _new_tables_of_comparisons,
    _new_columns,
    _fill_circuits,
    _fill_analyses,
    _fill_summaries,
    _fill_jobs,
    _tie,
    _clear_away,
)


def upgrade() -> None:
    for step in STEPS:
        step()


def downgrade() -> None:
    raise NotImplementedError("Going back would lose what was said since.")
