"""Files that are handed in beside logs: layouts, and dialects of loggers that somebody exported."""

import json
from pathlib import Path
from typing import Any

from sqlalchemy.orm import Session

from lauftakt.core.log.model import Unusable
from lauftakt.formats.dialects import read_dialect
from lauftakt.formats.geojson import read_layout
from lauftakt.store.database import Database, mine_by_id
from lauftakt.store.dialects import keep_choices
from lauftakt.store.layouts import add_sketch, layouts_near
from lauftakt.store.models import HandIn
from lauftakt.work.jobs import hold
from lauftakt.work.sources import Source, alone

MOST_BYTES = 60_000_000


def import_given(database: Database, source: Source) -> None:
    """Take a layout or a dialect; the hand-in's row tells its fate.

    Raises
    ------
    Unusable
        with the sentence for the person; nothing was stored.
    """
    if source.path.stat().st_size == 0:
        raise Unusable("file-empty", "The file is empty.")
    if source.path.stat().st_size > MOST_BYTES:
        raise Unusable("file-large", f"The file is larger than {MOST_BYTES // 1_000_000} MB, too much for a layout.")
    data = source.path.read_bytes()
    if _is_dialect(data):
        _dialect(database, source, data)
    else:
        _layout(database, source, data)


def _still_ours(session: Session, source: Source) -> None:
    if source.claim is not None:
        hold(session, source.claim)


def _is_dialect(data: bytes) -> bool:
    try:
        found: Any = json.loads(data.decode("utf-8-sig"))
    except (ValueError, RecursionError):
        return False
    return isinstance(found, dict) and "lauftakt-dialect" in found


def _dialect(database: Database, source: Source, data: bytes) -> None:
    name, dialect = read_dialect(data)
    name_of_lock = f"lauftakt-store-{source.team_id}"
    with alone(database, name_of_lock, source.waits(database, "store")), database.begin() as session:
        _still_ours(session, source)
        keep_choices(session, source.team_id, sorted(dialect.names), dialect.choices, name)
        hand_in = mine_by_id(session, HandIn, source.team_id, source.hand_in_id)
        hand_in.state, hand_in.code = "taken", "dialect"
        hand_in.message = f"Dialect of {name}: {len(dialect.choices)} channels are known now."


def _layout(database: Database, source: Source, data: bytes) -> None:
    found = read_layout(data, Path(source.file_name).stem)
    name_of_lock = f"lauftakt-layout-{source.team_id}"
    with alone(database, name_of_lock, source.waits(database, "layout")), database.begin() as session:
        _still_ours(session, source)
        hand_in = mine_by_id(session, HandIn, source.team_id, source.hand_in_id)
        assert found.start is not None
        middle = (
            (found.start.left[0] + found.start.right[0]) / 2,
            (found.start.left[1] + found.start.right[1]) / 2,
        )
        for row in layouts_near(session, source.team_id, *middle):
            if row.name == found.name:
                raise Unusable("duplicate", f"There is a layout of {found.name} already; it was left as it is.")
        add_sketch(session, source.team_id, found)
        hand_in.state, hand_in.code = "taken", "layout"
        left_out = f" Not known: {', '.join(found.left_out)}." if found.left_out else ""
        hand_in.message = f"Layout of {found.name}. The first run there completes it.{left_out}"
