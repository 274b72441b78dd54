"""Makes a layout's line anew from more runs, as another version that waits until somebody makes it the present one."""

from collections.abc import Callable
from typing import Any

from lauftakt.core.circuit.drafting import read_tracks
from lauftakt.core.circuit.relining import relined
from lauftakt.core.log.model import Log, Unusable
from lauftakt.formats.interpreting import interpret
from lauftakt.store.database import Database, mine, mine_by_id
from lauftakt.store.layouts import add_version, load_layout
from lauftakt.store.models import LayoutRow, LayoutVersion, Run
from lauftakt.work.jobs import Claim, hold
from lauftakt.work.renewing import basis_of

Report = Callable[[float, str], None]
# More runs add nothing but time.
MOST_RUNS = 12


def reline(database: Database, ours: Claim, report: Report) -> dict[str, Any]:
    """Make a version from the quickest runs of a layout.

    Parameters
    ----------
    database, ours : the job; its payload says whether ``limits`` are wanted
    report : told how far it is

    Returns
    -------
    What is told of it: ``version``, ``runs``, and how far the line moves, ``moved_m`` and ``most_m``.

    Raises
    ------
    Unusable
        where there is nothing to make it from.
    """
    with database.begin() as session:
        row = mine_by_id(session, LayoutRow, ours.team_id, ours.subject_id)
        if row.current_id is None:
            raise Unusable("no-layout", f"{row.name} waits for its first run.")
        version_id, number = row.current_id, session.get_one(LayoutVersion, row.current_id).number
        layout = load_layout(session, version_id, None)
        query = mine(Run, ours.team_id).where(Run.layout_id == row.id, Run.best_s.is_not(None))
        runs = list(session.scalars(query.with_only_columns(Run.id).order_by(Run.best_s).limit(MOST_RUNS)))
    logs: list[Log] = []
    for index, run_id in enumerate(runs):
        report(0.05 + 0.6 * index / max(len(runs), 1), "reading runs")
        with database.begin() as session:
            basis = basis_of(session, mine_by_id(session, Run, ours.team_id, run_id))
        log = interpret(basis.raw, basis.dialect)
        if log.positions() is not None:
            logs.append(log)
    if not logs:
        raise Unusable("no-positions", "No run here has positions, so no better line can be made.")
    report(0.7, "making the line")
    found = relined(layout, read_tracks(logs), limits=bool(ours.payload.get("limits")))
    report(0.95, "storing")
    told = (
        f"Made from {len(logs)} runs; the line moves by {found.moved_m:.1f} m on average, {found.most_m:.1f} m at most."
    )
    if ours.payload.get("limits"):
        told += " Limits from the widest lines driven."
    with database.begin() as session:
        hold(session, ours)
        row = session.get_one(LayoutRow, ours.subject_id, with_for_update=True, populate_existing=True)
        if row.current_id != version_id:
            raise Unusable("moved-on", "Somebody changed this circuit meanwhile. Try it again.")
        made = add_version(
            session, row, found.layout, account_id=ours.payload.get("account"), made_from=number, summary=told
        )
        # It waits beside the present one.
        plane = layout.plane
        row.current_id, row.latitude, row.longitude = version_id, plane.latitude, plane.longitude
        return {
            "version": made.id,
            "number": made.number,
            "runs": len(logs),
            "moved_m": round(found.moved_m, 3),
            "most_m": round(found.most_m, 3),
        }
