"""Which laps of a run count: the core's rule on rows, and the summary that lists show."""

from collections.abc import Sequence

from sqlalchemy import select
from sqlalchemy.orm import Session, selectinload

from lauftakt.core.laps.counting import (
    Begun,
    begins_at,
    best_of,
    counting_of,
    outcome,
    theoretical_best,
)
from lauftakt.store.damage import check_laps
from lauftakt.store.database import mine, now
from lauftakt.store.models import LapRow, LapWord, Run


def laps_of(session: Session, analysis_id: int | None) -> list[LapRow]:
    """An analysis' laps with their sectors, in order."""
    if analysis_id is None:
        return []
    query = select(LapRow).where(LapRow.analysis_id == analysis_id).options(selectinload(LapRow.sectors))
    laps = list(session.scalars(query.order_by(LapRow.number)))
    check_laps(session, {analysis_id: laps})
    return laps


def word_for(lap: Begun, words: Sequence[LapWord]) -> LapWord | None:
    """What was said of a lap: the word whose moment is its beginning."""
    near = [word for word in words if begins_at(lap, word.moment_s)]
    return min(near, key=lambda word: abs(word.moment_s - lap.start_s), default=None)


def settle(session: Session, run: Run, laps: Sequence[LapRow] | None = None) -> None:
    """Say of every lap of a run whether it counts, and sum them up for the lists."""
    laps = laps_of(session, run.analysis_id) if laps is None else laps
    words = session.scalars(mine(LapWord, run.team_id).where(LapWord.run_id == run.id)).all()
    for lap in laps:
        word = word_for(lap, words)
        timed = lap.time_s is not None
        counts, reason = (word.counts, word.reason) if word is not None else (None, None)
        lap.set_aside = outcome(lap.automatic, timed, counts, reason)
    best = best_of(laps)
    run.laps_all, run.laps_counting = len(laps), len(counting_of(laps))
    run.best_number, run.best_s = (best.number, best.time_s) if best is not None else (None, None)
    run.theoretical_best_s = theoretical_best(laps)
    run.decided += 1
    session.flush()


def say_of_lap(
    session: Session, run: Run, lap: LapRow, account_id: int | None, *, counts: bool | None, reason: str | None = None
) -> bool | None:
    """Keep what a person says of a lap by its moment; returns what was said before.

    A word that only repeats the computation is none.
    """
    words = session.scalars(mine(LapWord, run.team_id).where(LapWord.run_id == run.id)).all()
    word = word_for(lap, words)
    before = word.counts if word is not None else None
    if counts and lap.set_aside is None and before is None:
        return before
    if word is None and counts is not None:
        word = LapWord(team_id=run.team_id, run_id=run.id, moment_s=lap.start_s, said_at=now())
        session.add(word)
    if word is not None:
        word.counts, word.reason, word.account_id, word.said_at = counts, reason, account_id, now()
        if counts is None and not word.note:
            session.delete(word)
    session.flush()
    return before
