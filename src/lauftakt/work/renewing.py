"""Computes again what an older version of the computation made, from the samples that are stored."""

from collections.abc import Callable

from sqlalchemy import or_, select

from lauftakt.core.analysis import CODE_VERSION, analyse_run
from lauftakt.core.log import Unusable
from lauftakt.store.database import Database, mine_by_id
from lauftakt.store.layouts import to_layout
from lauftakt.store.models import LayoutRow, Run
from lauftakt.store.runs import load_log, save_analysis

Say = Callable[[str], None]


def outdated(database: Database) -> list[tuple[int, int]]:
    """Team and run of everything that another version of the code or of its layout computed."""
    with database.begin() as session:
        rows = session.execute(
            select(Run.team_id, Run.id)
            .join(LayoutRow, LayoutRow.id == Run.layout_id)
            .where(or_(Run.code_version != CODE_VERSION, Run.layout_version != LayoutRow.version))
            .order_by(Run.id)
        ).all()
    return [(team_id, run_id) for team_id, run_id in rows]


def renew(database: Database, say: Say) -> int:
    """Compute outdated runs again, each in a transaction of its own; returns how many.

    A run that the new computation refuses keeps what it has.
    """
    waiting = outdated(database)
    if waiting:
        say(f"Computing {len(waiting)} runs again with the present version …")
    done = 0
    for team_id, run_id in waiting:
        with database.begin() as session:
            run = mine_by_id(session, Run, team_id, run_id)
            try:
                analysed = analyse_run(load_log(session, run), to_layout(run.layout))
            except Unusable as error:
                say(f"Run {run_id} stays as it was: {error}")
                continue
            save_analysis(session, run, analysed)
        done += 1
    return done
