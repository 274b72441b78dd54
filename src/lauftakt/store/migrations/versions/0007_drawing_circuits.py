"""Who drew a layout's version and from which, retired sector sets, the map's turn, and marks on the ground"""

import json
from typing import Any

import numpy as np
import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import DATETIME

from lauftakt.core.circuit.centre import CentreLine
from lauftakt.core.plane import Plane
from lauftakt.store.blocks import unpack
from lauftakt.store.migrations.steps import add_columns, add_foreign_key, has_column, make_table, run

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None

MOMENT = DATETIME(fsp=6)


def upgrade() -> None:
    # The last column of all says that marks were taken over: a migration that was killed begins again before it.
    taken_over = has_column("layout", "heading_deg")
    add_columns("sector_set", sa.Column("retired_at", MOMENT, nullable=True))
    add_columns(
        "layout_version",
        sa.Column("account_id", sa.Integer, nullable=True),
        sa.Column("made_from", sa.Integer, nullable=True),
        sa.Column("summary", sa.String(500), nullable=False, server_default=""),
    )
    add_foreign_key("layout_version", "account_id", "account", "SET NULL")
    add_columns("layout", sa.Column("confirmed_at", MOMENT, nullable=True))
    make_table(
        "mark",
        sa.Column("layout_id", sa.Integer, sa.ForeignKey("layout.id", ondelete="CASCADE"), nullable=False),
        sa.Column("name", sa.String(120), nullable=False),
        sa.Column("side", sa.String(10), nullable=False),
        sa.Column("latitude", sa.Double, nullable=False),
        sa.Column("longitude", sa.Double, nullable=False),
    )
    if not taken_over:
        run("DELETE FROM mark")
        _take_over_marks()
    add_columns("layout", sa.Column("heading_deg", sa.Double, nullable=True))


def _take_over_marks() -> None:
    """Marks that came with drawn layouts lie on the ground from now on."""
    rows = op.get_bind().execute(
        sa.text(
            "SELECT v.team_id, v.layout_id, v.latitude, v.longitude, v.geometry, v.places, l.sketch"
            " FROM layout l JOIN layout_version v ON v.id = l.current_id"
        )
    )
    for team_id, layout_id, latitude, longitude, geometry, places, sketch in rows.all():
        drawn, sketched = _read(places), _read(sketch)
        marks = drawn.get("marks") or []
        if not marks:
            continue
        if sketched.get("marks"):
            _insert(team_id, layout_id, [(name, point[0], point[1]) for name, point in sketched["marks"]])
            continue
        s, x, y = unpack(geometry).astype(float).reshape(3, -1)
        centre = CentreLine(x=x, y=y, s=s, closed=drawn["closed"], finish_m=drawn.get("finish_m"))
        at_x, at_y, _ = centre.at(np.array([place for _, place in marks]))
        where = zip(*Plane(latitude, longitude).to_degrees(at_x, at_y), strict=True)
        _insert(team_id, layout_id, [(name, lat, lon) for (name, _), (lat, lon) in zip(marks, where, strict=True)])


def _read(value: Any) -> dict[str, Any]:
    found = json.loads(value) if isinstance(value, str | bytes) else value
    return found or {}


def _insert(team_id: int, layout_id: int, marks: list[tuple[str, float, float]]) -> None:
    for name, latitude, longitude in marks:
        run(
            "INSERT INTO mark (team_id, layout_id, name, side, latitude, longitude)"
            " VALUES (:team, :layout, :name, '', :lat, :lon)",
            team=team_id, layout=layout_id, name=str(name)[:120], lat=float(latitude), lon=float(longitude),
        )  # fmt: skip


def downgrade() -> None:
    raise NotImplementedError("Going back would lose who drew what.")
