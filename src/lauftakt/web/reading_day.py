"""What a day's comparison says of each run: a loss strip of its best lap, and in a phrase what costs most."""

import numpy as np
from apiflask import APIBlueprint
from sqlalchemy.orm import Session

from lauftakt.core.comparison.delta import beyond_doubt, loss_rate
from lauftakt.core.findings.ranking import elsewhere, over_the_lap
from lauftakt.core.findings.statement import Finding
from lauftakt.core.findings.words import phrase
from lauftakt.service.day import Compared
from lauftakt.store.comparisons import statement_of
from lauftakt.store.lineup import Entry, load_entries
from lauftakt.store.models import Event, Run
from lauftakt.web import schemas, show
from lauftakt.web.access import curve_cache, database, only
from lauftakt.web.compare.addresses import key_of
from lauftakt.web.compare.lineup import rate_doubt
from lauftakt.web.debrief.seeing import COMING, READY, Day, day_of
from lauftakt.web.keeping import Kept
from lauftakt.web.policy import Viewer, one
from lauftakt.work.queue import send

blueprint = APIBlueprint("reading_day", __name__, tag="Paddock")

# So many parts of a lap can be told apart in a strip as small as the paddock's.
CELLS = 120
# Analyses never change, and so do the strips of their laps.
_strips = Kept[tuple[float, ...]](2000)


@blueprint.get("/events/<int:event_id>/reading")
@only("see-team")
@blueprint.output(schemas.DayReading)
def get_day_reading(viewer: Viewer, event_id: int) -> schemas.DayReading:
    """What costs each run of a day most against the reference of its like. Computed in the background, anew whenever
    something it depends on changes: until then ``state`` says that it is coming."""
    with database().begin() as session:
        event = one(session, Event, viewer, event_id)
        day = day_of(session, viewer.team_id, event.id)
        found = _reading(session, day) if day.state == READY else None
    if day.job is not None:
        send([day.job])
    if found is None:
        state = COMING if day.state == READY else day.state
        return schemas.DayReading(state=state, runs=[])  # type: ignore[arg-type]
    return schemas.DayReading(state=READY, runs=found)  # type: ignore[arg-type]


def _reading(session: Session, day: Day) -> list[schemas.RunReading] | None:
    """What is said of all runs; None while an older analysis does not hold what is now called a best lap."""
    found = []
    for part in day.parts:
        runs, base = part.group.runs, part.group.base
        assert part.comparison is not None
        names = {run.id: run.driver.name for run in runs}
        lost = [
            statement_of(row, names[row.run_id])
            for row in part.comparison.findings
            if row.run_id in names and not row.strength
        ]
        ids = [part.analyses[run.id].id for run in part.group.compared]
        laps = curve_cache().laps(session, base.team_id, ids)
        best = {run.id: lap for run in runs for lap in laps[part.analyses[run.id].id] if lap.number == run.best_number}
        if all(lap.number != part.group.lap.number for lap in laps[part.analyses[base.id].id]):
            return None
        shown = [run for run in runs if run.id in best]
        strips = _strips_of(session, part, shown)
        reference = key_of(base, part.group.lap)
        found += [_of_run(run, key_of(run, best[run.id]), strips[run.id], lost, reference) for run in shown]
    return found


def _of_run(run: Run, key: str, strip: tuple[float, ...], lost: list[Finding], reference: str) -> schemas.RunReading:
    own = [finding for finding in lost if finding.run == run.id]
    forward = [finding for finding in own if finding.put_forward]
    told = max(forward, key=lambda finding: over_the_lap(finding, own), default=None)
    return schemas.RunReading(
        run=run.id,
        lap=key,
        strip=[] if key == reference else list(strip),
        says=[] if told is None else show.said(phrase(told, elsewhere(told, own))),
        passage=None if told is None else told.passage,
        reference=reference,
        against=None if told is None else told.against,
    )


def _strips_of(session: Session, part: Compared, runs: list[Run]) -> dict[int, tuple[float, ...]]:
    """Loss rate of each run's best lap against the reference beyond its uncertainty, s/m, by run."""
    base, number = part.group.base, part.group.lap.number
    loaded: dict[int, Entry] = {}

    def entry_of(run: Run) -> Entry:
        if run.id not in loaded:
            loaded.update(load_entries(session, [run], part.analyses, ["time_draws"], curve_cache()))
        return loaded[run.id]

    def strip(run: Run) -> tuple[float, ...]:
        own, other = entry_of(run), entry_of(base)
        assert run.best_number is not None
        lap, reference = own.trace(run.best_number), other.trace(number)
        assert lap is not None
        assert reference is not None
        layout = other.layout
        rate = loss_rate((lap.time - reference.time)[None, :], layout.length)[0]
        sure = beyond_doubt(rate, rate_doubt(own, run.best_number, other, reference))
        return tuple(float(np.float32(cell.mean())) for cell in np.array_split(sure, CELLS))

    return {
        run.id: _strips.get(
            (part.analyses[run.id].id, run.best_number, part.analyses[base.id].id, number),
            lambda run=run: strip(run),  # type: ignore[misc]
        )
        for run in runs
    }
