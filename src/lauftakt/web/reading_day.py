"""What a day's comparison says of each run: a loss strip of its best lap, and in a phrase what costs most."""

import numpy as np
from apiflask import APIBlueprint
from sqlalchemy.orm import Session

from lauftakt.core.comparison.delta import beyond_doubt, loss_rate
from lauftakt.core.findings.ranking import elsewhere, over_the_lap
from lauftakt.core.findings.statement import Finding
from lauftakt.core.findings.words import phrase
from lauftakt.store.comparisons import statement_of
from lauftakt.store.lineup import Entry, common_analyses, load_entries
from lauftakt.store.models import Analysis, Comparison, Event, Run
from lauftakt.web import schemas, show
from lauftakt.web.access import curve_cache, database, only
from lauftakt.web.compare.addresses import key_of
from lauftakt.web.compare.lineup import rate_doubt
from lauftakt.web.keeping import Kept
from lauftakt.web.policy import Viewer, one
from lauftakt.work.comparing import day_comparison, runs_of_day, want_comparison
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
    """What costs each run of a day most against the day's quickest lap. Computed in the background, anew whenever
    something it depends on changes: until then ``state`` says that it is coming."""
    waiting = None
    with database().begin() as session:
        event = one(session, Event, viewer, event_id)
        runs = runs_of_day(session, viewer.team_id, event.id)
        found = day_comparison(session, viewer.team_id, runs, curve_cache())
        if found is None:
            return schemas.DayReading(state="none", reference=None, runs=[])
        key, compared = found
        if compared is not None:
            return _reading(session, runs, compared)
        waiting, hope = want_comparison(session, viewer.team_id, event.id, key)
    if waiting is not None:
        send([waiting])
    return schemas.DayReading(state="coming" if hope else "failed", reference=None, runs=[])


def _reading(session: Session, runs: list[Run], compared: Comparison) -> schemas.DayReading:
    names = {run.id: run.driver.name for run in runs}
    stated = [
        (row.strength, statement_of(row, names[row.run_id])) for row in compared.findings if row.run_id in names
    ]  # fmt: skip
    lost = [finding for strength, finding in stated if not strength]
    analyses = common_analyses(session, runs)
    laps = curve_cache().laps(session, runs[0].team_id, [analyses[run.id].id for run in runs])
    # While runs are computed anew, an older analysis may not hold what is now called the best lap.
    best = {run.id: lap for run in runs for lap in laps[analyses[run.id].id] if lap.number == run.best_number}
    if runs[0].id not in best:
        return schemas.DayReading(state="coming", reference=None, runs=[])
    shown = [run for run in runs if run.id in best]
    keys = {run.id: key_of(run, best[run.id]) for run in shown}
    strips = _strips_of(session, shown, analyses)
    return schemas.DayReading(
        state="ready",
        reference=keys[runs[0].id],
        runs=[_of_run(run, keys[run.id], strips[run.id], lost, runs[0]) for run in shown],
    )


def _of_run(run: Run, key: str, strip: tuple[float, ...], lost: list[Finding], base: Run) -> schemas.RunReading:
    own = [finding for finding in lost if finding.run == run.id]
    forward = [finding for finding in own if finding.put_forward]
    told = max(forward, key=lambda finding: over_the_lap(finding, own), default=None)
    return schemas.RunReading(
        run=run.id,
        lap=key,
        strip=list(strip) if run.id != base.id else [],
        says=[] if told is None else show.said(phrase(told, elsewhere(told, own))),
        passage=None if told is None else told.passage,
        against=None if told is None else told.against,
    )


def _strips_of(session: Session, runs: list[Run], analyses: dict[int, Analysis]) -> dict[int, tuple[float, ...]]:
    """Loss rate of each run's best lap against the quickest of all beyond doubt, s/m, by run."""
    base = runs[0]
    loaded: dict[int, Entry] = {}

    def entry_of(run: Run) -> Entry:
        if run.id not in loaded:
            loaded.update(load_entries(session, [run], analyses, ["time_draws"], curve_cache()))
        return loaded[run.id]

    def strip(run: Run) -> tuple[float, ...]:
        own, other = entry_of(run), entry_of(base)
        assert run.best_number is not None
        assert base.best_number is not None
        lap, reference = own.trace(run.best_number), other.trace(base.best_number)
        assert lap is not None
        assert reference is not None
        layout = other.layout
        rate = loss_rate((lap.time - reference.time)[None, :], layout.length)[0]
        sure = beyond_doubt(rate, rate_doubt(own, run.best_number, other, reference))
        return tuple(float(np.float32(part.mean())) for part in np.array_split(sure, CELLS))

    return {
        run.id: _strips.get(
            (analyses[run.id].id, run.best_number, analyses[base.id].id, base.best_number),
            lambda run=run: strip(run),  # type: ignore[misc]
        )
        for run in runs
    }
