"""Computes again what an older version of the computation made, from the samples that are stored."""

from collections.abc import Callable

from sqlalchemy import or_, select

from lauftakt.core.log.dialect import Choice, Dialect
from lauftakt.core.log.model import RawLog, Unusable
from lauftakt.core.pipeline import CODE_VERSION, analyse_run
from lauftakt.formats.interpreting import interpret
from lauftakt.store.database import Database, mine_by_id
from lauftakt.store.dialects import find_dialect, to_dialect
from lauftakt.store.layouts import to_layout
from lauftakt.store.models import DialectRow, LayoutRow, Run
from lauftakt.store.runs import load_raw, save_analysis, save_recognition

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
        try:
            renew_run(database, team_id, run_id)
        except Unusable as error:
            say(f"Run {run_id} stays as it was: {error}")
            continue
        done += 1
    return done


def renew_run(database: Database, team_id: int, run_id: int) -> None:
    """Understand and compute one run again, with what is known of its logger and what was said about it.

    Raises
    ------
    Unusable
        where the run cannot be used so; it stays as it was.
    """
    with database.begin() as session:
        run = mine_by_id(session, Run, team_id, run_id)
        raw, fixed = load_raw(session, run)
        row = find_dialect(session, team_id, (channel.name for channel in raw.channels))
        layout = to_layout(run.layout)
        said = {"conditions": run.conditions} if run.conditions else {}
    # Computed outside of any transaction: nothing is locked meanwhile.
    log = interpret(RawLog(raw.channels, raw.meta | said, raw.warnings), _dialect(row, fixed))
    analysed = analyse_run(log, layout)
    with database.begin() as session:
        run = mine_by_id(session, Run, team_id, run_id)
        run.dialect_id = row.id if row is not None else None
        save_recognition(session, run, log)
        save_analysis(session, run, analysed)


def _dialect(row: DialectRow | None, fixed: dict[str, Choice]) -> Dialect | None:
    """What was fixed by an older version, and what the team said since, which counts more."""
    if row is None:
        return Dialect(frozenset(fixed), fixed) if fixed else None
    known = to_dialect(row)
    return Dialect(known.names, fixed | known.choices)
