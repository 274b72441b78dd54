"""Laps that another run of the team holds already: the same log in other clothes, or parts that overlap."""

from dataclasses import dataclass

from sqlalchemy import or_, select
from sqlalchemy.orm import Session

from lauftakt.core.circuit.layout import Layout
from lauftakt.core.laps.lap import inside, widened
from lauftakt.core.log.twins import same_laps
from lauftakt.core.run import AnalysedRun
from lauftakt.store.analyses import load_curves, numbers_of
from lauftakt.store.models import LapRow, LayoutRow, Run

# Lap times of one log in two dialects differ by less.
TIME_SLACK_S = 0.1
MOST_TWINS = 40


@dataclass(frozen=True)
class Overlap:
    """Laps that a run shares with another: ``numbers`` holds own numbers with the other's; ``whole``: all of them."""

    run_id: int
    file_name: str
    numbers: dict[str, int]
    whole: bool

    @property
    def message(self) -> str:
        own = sorted(int(number) for number in self.numbers)
        told = f"Lap {own[0]} is" if len(own) == 1 else f"Laps {own[0]} to {own[-1]} are"
        return f"{told} also in “{self.file_name[:80]}”."


def overlapping(session: Session, row: LayoutRow, layout: Layout, analysed: AnalysedRun) -> list[Overlap]:
    """Runs on the same layout version that hold some of the same laps, those that hold all of them first.

    Parameters
    ----------
    session : its transaction
    row, layout : where
    analysed : the run, on the layout's present version
    """
    own = {number: trace.time for number, trace in analysed.traces.items()}
    lines = {number: trace.offset for number, trace in analysed.traces.items()}
    times = {number: float(trace.time[-1]) for number, trace in analysed.traces.items()}
    if not own:
        return []
    between = [LapRow.time_s.between(time - TIME_SLACK_S, time + TIME_SLACK_S) for time in times.values()]
    near = session.execute(
        select(Run.id, Run.analysis_id, Run.file_name)
        .join(LapRow, LapRow.analysis_id == Run.analysis_id)
        .where(LapRow.team_id == row.team_id, Run.layout_id == row.id, or_(*between))
        .distinct()
        .order_by(Run.id.desc())
        .limit(MOST_TWINS)
    ).all()
    ids = [analysis for _, analysis, _ in near if analysis is not None]
    curves = load_curves(session, row.team_id, ids, ["time", "offset"]) if ids else {}
    found: list[Overlap] = []
    part = inside(layout)
    for run_id, analysis, file_name in near:
        rows = curves.get((analysis or 0, "time"))
        if rows is None:
            continue
        numbers = numbers_of(session, row.team_id, analysis or 0)
        if len(rows) != len(numbers):
            continue
        try:
            rows = widened(rows, layout, missing=True)
        except ValueError:
            continue  # kept on another version of the layout, and being computed anew
        beside = curves.get((analysis or 0, "offset"))
        beside = None if beside is None else widened(beside, layout)
        theirs = {number: beside[i, part] for i, number in enumerate(numbers)} if beside is not None else None
        same = same_laps(
            own,
            {number: rows[i, part] for i, number in enumerate(numbers)},
            None if theirs is None else (lines, theirs),
        )
        if same:
            whole = len(same) == len(own) and len(own) <= len(numbers)
            found.append(Overlap(run_id, file_name, {str(a): b for a, b in same.items()}, whole))
    return sorted(found, key=lambda overlap: not overlap.whole)
