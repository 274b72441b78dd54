"""Gives blocks that an older version wrote the checksum that those of today carry, run by run."""

from collections.abc import Iterator
from typing import Any

from sqlalchemy import select, update
from sqlalchemy.orm import Session

from lauftakt.store.blocks import expand, has_checksum, squeeze, unpack
from lauftakt.store.counting import laps_of
from lauftakt.store.damage import Damaged, reading, seal
from lauftakt.store.database import INCLUDE_REMOVED, Database
from lauftakt.store.models import Analysis, ChannelRow, Curves, LapFigures, Run, Samples
from lauftakt.work.jobs import Claim
from lauftakt.work.mending import put_aside
from lauftakt.work.sources import Report

# So many characters of the type of a number stand before a block's frame.
_HEAD = 2


def unsealed(session: Session, team_id: int | None = None) -> list[tuple[int, int]]:
    """Team and run of those whose blocks may carry no checksum."""
    query = select(Run.team_id, Run.id).where(Run.sealed.is_(False)).order_by(Run.id)
    if team_id is not None:
        query = query.where(Run.team_id == team_id)
    return [(team, run) for team, run in session.execute(query, execution_options=INCLUDE_REMOVED)]


def seal_team(database: Database, ours: Claim, report: Report) -> list[int]:
    """Do so for every run of a team; returns jobs that make anew what is found damaged."""
    with database.begin() as session:
        runs = [run for _, run in unsealed(session, ours.team_id)]
    jobs: list[int] = []
    for number, run_id in enumerate(runs):
        report(number / len(runs), "checking")
        try:
            with database.begin() as session:
                _seal_run(session, run_id)
        except Damaged as error:
            jobs += put_aside(database, error).jobs
            # It is looked at once: what is made anew carries its checksum, and what cannot be is told by a check.
            with database.begin() as session:
                session.execute(update(Run).where(Run.id == run_id).values(sealed=True))
    return jobs


def _seal_run(session: Session, run_id: int) -> None:
    """One run by itself: its analysis as it is, and its samples."""
    run = session.get_one(Run, run_id, with_for_update=True, execution_options=INCLUDE_REMOVED)
    with reading("samples", run_id=run.id):
        channels = select(ChannelRow.id).where(ChannelRow.run_id == run.id)
        for row in _blocks(session, select(Samples).where(Samples.channel_id.in_(channels))):
            row.clock, row.values = _sealed(row.clock), _sealed(row.values)
    analysis = session.get(Analysis, run.analysis_id) if run.analysis_id is not None else None
    if analysis is not None and analysis.digest is None:
        with reading("analysis", analysis_id=analysis.id):
            for model in (Curves, LapFigures):
                for row in _blocks(session, select(model).where(model.analysis_id == analysis.id)):
                    row.data = _sealed(row.data)
            if analysis.figures is not None and not has_checksum(analysis.figures):
                analysis.figures = squeeze(expand(analysis.figures), level=3)
            session.flush()
            seal(session, analysis, laps_of(session, analysis.id))
    run.sealed = True


def _blocks(session: Session, query: Any) -> Iterator[Any]:
    """Rows one after another, by their numbers: all blocks of a run at once may be gigabytes."""
    model = query.column_descriptions[0]["entity"]
    for number in session.scalars(query.with_only_columns(model.id)).all():
        row = session.get_one(model, number)
        yield row
        session.flush()
        session.expunge(row)


def _sealed(data: bytes) -> bytes:
    unpack(data)  # refuses what is no block
    return data if has_checksum(data[_HEAD:]) else data[:_HEAD] + squeeze(expand(data[_HEAD:]))
