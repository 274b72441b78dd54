"""Whether what was asked was done by a later run: which runs compare, and the core's answers."""

from dataclasses import dataclass

import numpy as np
from sqlalchemy.orm import Session

from lauftakt.core.circuit.layout import Layout
from lauftakt.core.debrief.alike import apart, remark
from lauftakt.core.debrief.check import UNJUDGED, Answer, Check, Dots, check
from lauftakt.store.asked import GivenCue, cues_of, driven_at, given_cues, runs_since, setting_of
from lauftakt.store.following import GONE_FROM_LAYOUT, asked_on, losses_then
from lauftakt.store.lineup import Apart, common_analyses, load_entries
from lauftakt.store.models import CueRow, Debrief, Run
from lauftakt.web.access import curve_cache
from lauftakt.web.compare.named import JUDGED
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


def checked(session: Session, debrief: Debrief, run_id: int | None = None) -> Checked:
    """What became of a debrief, as it was given last, by a later run, the latest one where none is named."""
    since = runs_since(session, debrief)
    wanted = since[-1] if run_id is None and since else next((run for run in since if run.id == run_id), None)
    rows: list[GivenCue] | list[CueRow] = given_cues(debrief) or cues_of(session, debrief)
    if wanted is None:
        return Checked(None, 0, None, None, {}, None)
    before = session.get_one(Run, debrief.run_id)
    first = setting_of(before)
    # Only what compares was looked at: a run elsewhere told nothing.
    looks = [run for run in since if apart(first, setting_of(run)) is None]
    why, instead = apart(first, setting_of(wanted)), None
    earlier = [run for run in looks if run.event_id == wanted.event_id and driven_at(run) < driven_at(wanted)]
    if why is not None and earlier:
        # What a run of the day in like conditions answered stays answered.
        wanted, instead = earlier[-1], why
    second = setting_of(wanted)
    look = next((number for number, run in enumerate(looks, 1) if run.id == wanted.id), max(len(looks), 1))
    why = apart(first, second)
    told = _answered_by(wanted, instead) if instead is not None else remark(first, second)
    if why is None:
        try:
            analyses = common_analyses(session, [before, wanted])
        except Apart as error:
            why = str(error)
    if why is not None:
        return Checked(wanted, look, why, told, {row.id: _unjudged(row.id, why) for row in rows}, None)
    entries = load_entries(session, [before, wanted], analyses, list(JUDGED), curve_cache())
    layout = entries[before.id].layout
    asked = asked_on(rows, layout)
    known = {row_id: curve_cache().analysed(session, entry) for row_id, entry in entries.items()}
    losses = losses_then(debrief)
    name = (
        tuple((entries[run.id].identity, entries[run.id].revision) for run in (before, wanted)),
        tuple(asked), look, tuple(losses.items()),
    )  # fmt: skip
    found = _checked.get(
        name, lambda: check(known[before.id], known[wanted.id], layout, asked, losses=losses, look=look)
    )
    answers = {answer.key: answer for answer in found.answers}
    answers |= {row.id: _unjudged(row.id, GONE_FROM_LAYOUT) for row in rows if row.id not in answers}
    return Checked(wanted, look, None, told, answers, found, layout)


def _answered_by(run: Run, why: str) -> str:
    clock = f" of {run.started_at:%H:%M}" if run.started_at else ""
    return f"{why.rstrip('.')}; answered by the run{clock}"


def _unjudged(key: int, why: str) -> Answer:
    nothing = Dots((), np.zeros(0))
    return Answer(key, UNJUDGED, why, nothing, nothing, None, None, False)
