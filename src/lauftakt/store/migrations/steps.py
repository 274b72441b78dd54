"""Steps of migrations that can be repeated: DDL commits, so a migration that was killed begins again from the top."""

from collections.abc import Sequence
from typing import Any

import sqlalchemy as sa
from alembic import op


def _inspector() -> sa.Inspector:
    return sa.inspect(op.get_bind())


def has_table(table: str) -> bool:
    return _inspector().has_table(table)


def has_column(table: str, column: str) -> bool:
    return any(found["name"] == column for found in _inspector().get_columns(table))


def make_table(name: str, *parts: Any) -> None:
    """Create a team's table, unless it is there."""
    if has_table(name):
        return
    op.create_table(
        name,
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("team_id", sa.Integer, sa.ForeignKey("team.id", ondelete="CASCADE"), nullable=False, index=True),
        *parts,
    )


def add_columns(table: str, *columns: sa.Column[Any]) -> None:
    for column in columns:
        if not has_column(table, column.name):
            op.add_column(table, column)


def drop_columns(table: str, *columns: str) -> None:
    """Drop columns with the foreign keys and indices that stand on them."""
    for column in columns:
        if not has_column(table, column):
            continue
        for key in _inspector().get_foreign_keys(table):
            if column in key["constrained_columns"] and key["name"]:
                op.drop_constraint(key["name"], table, type_="foreignkey")
        for index in _inspector().get_indexes(table):
            if index["column_names"] == [column] and index["name"]:
                op.drop_index(index["name"], table)
        op.drop_column(table, column)


def need(table: str, *columns: str) -> None:
    """Let columns that were filled refuse NULL."""
    for found in _inspector().get_columns(table):
        if found["name"] in columns and found["nullable"]:
            op.alter_column(table, found["name"], existing_type=found["type"], nullable=False)


def add_foreign_key(table: str, column: str, other: str, ondelete: str) -> None:
    if not any(key["constrained_columns"] == [column] for key in _inspector().get_foreign_keys(table)):
        op.create_foreign_key(f"fk_{table}_{column}", table, other, [column], ["id"], ondelete=ondelete)


def add_index(name: str, table: str, columns: Sequence[str], *, unique: bool = False) -> None:
    if not any(index["name"] == name for index in _inspector().get_indexes(table)):
        op.create_index(name, table, list(columns), unique=unique)


def drop_unique(table: str, columns: Sequence[str]) -> None:
    """Drop a uniqueness, after its first column got an index of its own that a foreign key may need."""
    for index in _inspector().get_indexes(table):
        if index["unique"] and index["column_names"] == list(columns) and index["name"]:
            op.drop_index(index["name"], table)


def run(sql: str, **values: Any) -> Any:
    return op.get_bind().execute(sa.text(sql), values)
