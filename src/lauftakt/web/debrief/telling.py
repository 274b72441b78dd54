"""Debriefs, cues and answers as the API tells them."""

from collections.abc import Sequence
from typing import Any

import numpy as np
from sqlalchemy import select
from sqlalchemy.orm import Session

from lauftakt.core.debrief.check import Answer
from lauftakt.core.debrief.target import Target
from lauftakt.formats.spoken import from_rows
from lauftakt.store.asked import GivenCue, cues_of, given_cues
from lauftakt.store.database import INCLUDE_REMOVED, mine
from lauftakt.store.models import CueRow, Debrief, Voice
from lauftakt.web import schemas, show
from lauftakt.web.debrief.advice import target_out


def cue_out(row: CueRow) -> schemas.CueOut:
    return schemas.CueOut(
        id=row.id,
        kind=row.kind,  # type: ignore[arg-type]
        rank=row.rank,
        passage=row.passage,
        corner=row.corner,
        says=show.said(from_rows(row.sentence)),
        text=row.text,
        target=target_out(Target(row.figure, row.passage, row.corner, row.value, row.direction), row.now),
        cause=row.cause,
        shown=row.shown,
        lap=row.lap,
        worth_s=row.basis.get("worth_s"),
        worth_u_s=row.basis.get("worth_u_s"),
        reference=row.basis.get("theirs"),
        understood=row.understood,
        tried=row.tried,
        unsafe=row.unsafe,
    )


def snapshot(rows: Sequence[CueRow]) -> list[dict[str, Any]]:
    """What stands in a debrief, as it is kept when it is given."""
    return [
        {
            "id": row.id, "kind": row.kind, "sentence": row.sentence, "text": row.text, "passage": row.passage,
            "corner": row.corner, "figure": row.figure, "direction": row.direction, "value": row.value,
            "now": row.now, "lap": row.lap, "basis": row.basis,
            "places": [row.latitude, row.longitude, row.target_latitude, row.target_longitude],
        }
        for row in rows
    ]  # fmt: skip


def cues_as_given(session: Session, debriefs: Sequence[Debrief]) -> dict[int, list[schemas.CueOut]]:
    """Cues and keeps as they were given last, by debrief, with what the driver answered."""
    ids = [debrief.id for debrief in debriefs]
    query = select(CueRow).where(CueRow.debrief_id.in_(ids))
    rows = {row.id: row for row in session.scalars(query, execution_options=INCLUDE_REMOVED)} if ids else {}
    return {
        debrief.id: [_as_given(cue, rows.get(cue.id), rank) for rank, cue in enumerate(given_cues(debrief), 1)]
        for debrief in debriefs
    }


def _as_given(cue: GivenCue, row: CueRow | None, rank: int) -> schemas.CueOut:
    return schemas.CueOut(
        id=cue.id,
        kind=cue.kind,  # type: ignore[arg-type]
        rank=rank,
        passage=cue.passage,
        corner=cue.corner,
        says=show.said(from_rows(list(cue.sentence))),
        text=cue.text,
        target=target_out(Target(cue.figure, cue.passage, cue.corner, cue.value, cue.direction), cue.now),
        cause=cue.basis.get("cause"),
        shown="",
        lap=cue.lap,
        worth_s=cue.basis.get("worth_s"),
        worth_u_s=cue.basis.get("worth_u_s"),
        reference=cue.basis.get("theirs"),
        understood=None if row is None else row.understood,
        tried=None if row is None else row.tried,
        unsafe=None if row is None else row.unsafe,
    )


def head(session: Session, debrief: Debrief, *, as_given: bool = False) -> schemas.DebriefHead:
    """A debrief as it stands now, or ``as_given``: as the driver was told to drive."""
    rows = cues_of(session, debrief)
    given = (debrief.given or {}).get("cues")
    return schemas.DebriefHead(
        id=debrief.id,
        run=debrief.run_id,
        made_at=show.moment(debrief.made_at),
        given_at=None if debrief.given_at is None else show.moment(debrief.given_at),
        opened_at=None if debrief.opened_at is None else show.moment(debrief.opened_at),
        changed=debrief.given_at is not None and given != snapshot(rows),
        cues=cues_as_given(session, [debrief])[debrief.id] if as_given and given else [cue_out(row) for row in rows],
    )


def voices_of(session: Session, team_id: int, run_ids: Sequence[int]) -> dict[int, list[Voice]]:
    """What drivers said of runs, by run, in the order of the circuit as it was said."""
    found: dict[int, list[Voice]] = {run_id: [] for run_id in run_ids}
    query = mine(Voice, team_id).where(Voice.run_id.in_(list(run_ids)))
    for row in session.scalars(query.order_by(Voice.id)):
        found[row.run_id].append(row)
    return found


def voice_out(row: Voice) -> schemas.VoiceOut:
    return schemas.VoiceOut(
        felt=row.felt,  # type: ignore[arg-type]
        corner=row.corner,
        words=row.words,
        said_at=show.moment(row.said_at),
    )


def debrief_of_run(session: Session, team_id: int, run_id: int, *, lock: bool = False) -> Debrief | None:
    query = select(Debrief).where(Debrief.team_id == team_id, Debrief.run_id == run_id)
    return session.scalar(query.with_for_update() if lock else query)


def answer_out(answer: Answer) -> schemas.AnswerOut:
    figure, time = answer.figure, answer.time

    def known(values: Any) -> list[float | None]:
        return [float(value) if np.isfinite(value) else None for value in values]

    return schemas.AnswerOut(
        answer=answer.answer,  # type: ignore[arg-type]
        why=answer.why,
        before=known(answer.before.values),
        after=known(answer.after.values),
        before_laps=list(answer.before.numbers),
        after_laps=list(answer.after.numbers),
        change=None if figure is None else figure.change,
        low=None if figure is None else figure.low,
        high=None if figure is None else figure.high,
        luck=None if figure is None else figure.luck,
        whole=None if figure is None else figure.whole,
        time_before_s=None if time is None else time.before,
        time_after_s=None if time is None else time.after,
        time_change_s=None if time is None else time.change,
        time_low_s=None if time is None else time.low,
        time_high_s=None if time is None else time.high,
        time_luck_s=None if time is None else time.luck,
        time_whole_s=None if time is None else time.whole,
        figure_before=None if figure is None else figure.before,
    )
