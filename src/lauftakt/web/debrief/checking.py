"""Whether what was asked was done by a later run: which runs compare, and the core's answers."""

from dataclasses import dataclass

import numpy as np
from sqlalchemy.orm import Session, joinedload

from lauftakt.core.circuit.layout import Layout
from lauftakt.core.debrief.check import UNJUDGED, Answer, Asked, Check, Dots, check
from lauftakt.store.database import mine
from lauftakt.store.lineup import Apart, common_analyses, load_entries
from lauftakt.store.models import CueRow, Debrief, Run
from lauftakt.web.access import curve_cache
from lauftakt.web.compare.named import JUDGED
from lauftakt.web.debrief.advice import target_on
from lauftakt.web.debrief.seeing import driven_at
from lauftakt.web.debrief.telling import cues_of
from lauftakt.web.keeping import Kept

_checked: Kept[Check] = Kept(200)


@dataclass(frozen=True)
class Checked:
    """Answers by cue, and what they rest on; ``remark`` is what differs but lets runs be compared."""

    run: Run | None
    look: int
    apart: str | None
    remark: str | None
    answers: dict[int, Answer]
    found: Check | None
    layout: Layout | None = None


def runs_since(session: Session, debrief: Debrief) -> list[Run]:
    """Later runs of the same driver that count, the earliest first."""
    before = None if debrief.run_id is None else session.get(Run, debrief.run_id)
    if before is None:
        return []
    query = mine(Run, debrief.team_id).where(
        Run.driver_id == debrief.driver_id, Run.id != before.id, Run.analysis_id.is_not(None), Run.laps_counting > 0
    )
    runs = session.scalars(query.options(joinedload(Run.event), joinedload(Run.car), joinedload(Run.analysis))).all()
    return sorted((run for run in runs if driven_at(run) > driven_at(before)), key=driven_at)


def given_before(session: Session, run: Run) -> Debrief | None:
    """The last debrief that a driver was given after an earlier run."""
    query = mine(Debrief, run.team_id).where(
        Debrief.driver_id == run.driver_id, Debrief.given_at.is_not(None), Debrief.run_id.is_not(None),
        Debrief.run_id != run.id,
    )  # fmt: skip
    rows = session.scalars(query.options(joinedload(Debrief.run).joinedload(Run.event)))
    earlier = [row for row in rows if row.run is not None and driven_at(row.run) < driven_at(run)]
    return max(earlier, key=lambda row: driven_at(row.run), default=None)  # type: ignore[arg-type]


def checked(session: Session, debrief: Debrief, run_id: int | None = None) -> Checked:
    """What became of a debrief by a later run, the latest one where none is named."""
    since = runs_since(session, debrief)
    wanted = since[-1] if run_id is None and since else next((run for run in since if run.id == run_id), None)
    rows = cues_of(session, debrief)
    if wanted is None:
        return Checked(None, 0, None, None, {}, None)
    before = session.get_one(Run, debrief.run_id)
    # Only what compares was looked at: a run elsewhere told nothing.
    looks = [run for run in since if _apart(before, run) is None]
    look = next((number for number, run in enumerate(looks, 1) if run.id == wanted.id), max(len(looks), 1))
    apart, remark = _apart(before, wanted), _remark(before, wanted)
    if apart is None:
        try:
            analyses = common_analyses(session, [before, wanted])
        except Apart as error:
            apart = str(error)
    if apart is not None:
        return Checked(wanted, look, apart, remark, {row.id: _unjudged(row, apart) for row in rows}, None)
    entries = load_entries(session, [before, wanted], analyses, list(JUDGED), curve_cache())
    layout = entries[before.id].layout
    asked = [
        Asked(row.id, target, row.kind == "keep") for row in rows if (target := target_on(row, layout)) is not None
    ]
    known = {row_id: curve_cache().analysed(session, entry) for row_id, entry in entries.items()}
    losses = {name: (pair[0], pair[1]) for name, pair in debrief.losses.items()}
    name = (
        tuple((entries[run.id].identity, entries[run.id].revision) for run in (before, wanted)),
        tuple(asked), look, tuple(losses.items()),
    )  # fmt: skip
    found = _checked.get(
        name, lambda: check(known[before.id], known[wanted.id], layout, asked, losses=losses, look=look)
    )
    answers = {answer.key: answer for answer in found.answers}
    gone = "The circuit was redrawn, and this place is no longer on it."
    answers |= {row.id: _unjudged(row, gone) for row in rows if row.id not in answers}
    return Checked(wanted, look, None, remark, answers, found, layout)


def _unjudged(row: CueRow, why: str) -> Answer:
    nothing = Dots((), np.zeros(0))
    return Answer(row.id, UNJUDGED, why, nothing, nothing, None, None, False)


def _apart(before: Run, after: Run) -> str | None:
    """Why two runs do not compare at all."""
    if before.layout_id != after.layout_id:
        return "The run after it was driven on another circuit."
    if before.car_id is not None and after.car_id is not None and before.car_id != after.car_id:
        return f"The run after it was driven in another car ({after.car.name if after.car else ''})."
    wet = [run.conditions for run in (before, after)]
    if wet[0] != wet[1] and ("wet" in wet or "damp" in wet):
        return f"Conditions differ: {wet[0] or 'dry'} before, {wet[1] or 'dry'} after."
    return None


def _remark(before: Run, after: Run) -> str | None:
    """What differs and is to be kept in mind."""
    told = []
    if before.tyres and after.tyres and before.tyres != after.tyres:
        told.append(f"other tyres ({after.tyres} instead of {before.tyres})")
    if before.event.day != after.event.day:
        told.append("another day")
    return ", ".join(told) or None
