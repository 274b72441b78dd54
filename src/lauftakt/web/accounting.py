"""The account of files that came together: how many, what became of them, and why some were not taken."""

from collections import Counter
from datetime import timedelta
from itertools import pairwise
from typing import Any

from sqlalchemy import Select, func, select
from sqlalchemy.orm import Session

from lauftakt.store.database import now
from lauftakt.store.models import HandIn, LapRow, Run
from lauftakt.web import schemas
from lauftakt.web.policy import Viewer, visible

# Files of one delivery come with less between them; an older one is told no more.
APART = timedelta(minutes=10)
LATELY = timedelta(hours=1)
MOST = 1000
MOST_TOLD = 50


def account_of(session: Session, viewer: Viewer, wanted: Select[Any]) -> schemas.Account | None:
    """The account of the files that came last, one after the other.

    Parameters
    ----------
    session, viewer : whose
    wanted : the files that the filters let through

    Returns
    -------
    None where fewer than two came within the last hour.
    """
    lately = visible(HandIn, viewer).where(HandIn.created_at > now() - LATELY).order_by(HandIn.id.desc()).limit(MOST)
    rows = session.scalars(lately).all()
    end = next(
        (i for i, (one, other) in enumerate(pairwise(rows), 1) if one.created_at - other.created_at > APART), None
    )
    together = [row for row in rows[:end] if row.code != "archive"]
    if len(together) < 2:
        return None
    ids = [row.id for row in together]
    runs = [row.run_id for row in together if row.run_id is not None]
    laps = select(func.count()).select_from(LapRow).join(Run, Run.analysis_id == LapRow.analysis_id)
    shown = wanted.with_only_columns(HandIn.id).where(HandIn.id.in_(ids)).subquery()
    states = Counter(row.state for row in together)
    bad = [row for row in together if row.state in ("refused", "failed", "cancelled")]
    return schemas.Account(
        files=len(together),
        waiting=states["waiting"] + states["running"],
        taken=states["taken"],
        not_taken=len(bad),
        laps=session.scalar(laps.where(Run.id.in_(runs), LapRow.time_s.is_not(None))) or 0 if runs else 0,
        sources=dict(Counter(row.source for row in together)),
        skipped=[
            schemas.Skipped(id=row.id, file_name=row.file_name, message=row.message or "") for row in bad[:MOST_TOLD]
        ],
        hidden=len(together) - (session.scalar(select(func.count()).select_from(shown)) or 0),
    )
