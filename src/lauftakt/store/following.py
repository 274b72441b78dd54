"""What is followed over days: the pace of every run, and the course of every cue; rows <-> core objects.

Both are worked out aside and kept with a name of all that they rest on, so that what is kept can be told from what is
to be worked out anew without reading any lap.
"""

import hashlib
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import asdict, dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from lauftakt.core.circuit.layout import Layout
from lauftakt.core.debrief.alike import Setting, apart
from lauftakt.core.debrief.check import REACHED_PAID, UNJUDGED, Answer, Asked, check
from lauftakt.core.pipeline import CODE_VERSION
from lauftakt.core.run import AnalysedRun
from lauftakt.core.season.course import Course, Look, course_of, reached_in, slipped_since
from lauftakt.core.season.crest import ROLES as CREST_ROLES
from lauftakt.core.season.pace import RunPace, Scattered, pace_of
from lauftakt.core.technique.signals import JUDGED_BY
from lauftakt.store.asked import GivenCue, driven_at, given_cues, later_than, runs_of_driver, setting_of, target_on
from lauftakt.store.database import INCLUDE_REMOVED, mine
from lauftakt.store.lineup import Apart, CurveCache, common_analyses, load_entries
from lauftakt.store.models import CueCourse, CueRow, Debrief, Run, RunPaceRow

# Raised when a course or a pace is worked out otherwise.
FOLLOWING_VERSION = 5
GONE_FROM_LAYOUT = "The circuit was redrawn, and this place is no longer on it."
JUDGED = ("time_draws", *JUDGED_BY)


def pace_key(analysis_id: int, decided: int) -> str:
    """What a run's pace rests on."""
    return f"{FOLLOWING_VERSION}.{CODE_VERSION}.{analysis_id}.{decided}"


def pace_to_row(pace: RunPace) -> dict[str, Any]:
    """A pace as it is kept."""
    return asdict(pace)


def pace_from_row(row: Mapping[str, Any]) -> RunPace:
    """A pace as it was kept."""
    return RunPace(
        lap=None if row["lap"] is None else Scattered(**row["lap"]),
        best_s=row["best_s"],
        best_u_s=row["best_u_s"],
        passages={name: Scattered(**side) for name, side in row["passages"].items()},
        slowest_ms=row["slowest_ms"],
        lightness_ms2=row["lightness_ms2"],
        driven=row["driven"],
        mean_ms=row["mean_ms"],
    )


def paces_missing(session: Session, team_id: int) -> list[int]:
    """Runs with laps that count whose pace is not known as everything is now."""
    query = (
        select(Run.id, Run.analysis_id, Run.decided, RunPaceRow.key)
        .outerjoin(RunPaceRow, RunPaceRow.run_id == Run.id)
        .where(Run.team_id == team_id, Run.analysis_id.is_not(None), Run.laps_counting > 0)
        .order_by(Run.id.desc())
    )
    rows = session.execute(query)
    return [run for run, analysis, decided, key in rows if key != pace_key(analysis or 0, decided)]


def keep_pace(session: Session, run: Run, cache: CurveCache) -> None:
    """Work out a run's pace and keep it."""
    if run.analysis is None:
        return
    analysis = run.analysis
    entry = load_entries(session, [run], {run.id: analysis}, [*JUDGED, *CREST_ROLES], cache)[run.id]
    pace = pace_to_row(pace_of(cache.analysed(session, entry), entry.layout))
    key = pace_key(analysis.id, run.decided)
    row = session.scalar(mine(RunPaceRow, run.team_id).where(RunPaceRow.run_id == run.id).with_for_update())
    if row is None:
        row = RunPaceRow(team_id=run.team_id, run_id=run.id)
        session.add(row)
    row.layout_version_id, row.key, row.pace = analysis.layout_version_id, key, pace


def asked_on(rows: Sequence[GivenCue] | Sequence[CueRow], layout: Layout) -> list[Asked]:
    """What was asked, on a layout; without what it does not lead past any more."""
    return [Asked(row.id, target, row.kind == "keep") for row in rows if (target := target_on(row, layout)) is not None]


def losses_then(debrief: Debrief) -> dict[str, tuple[float, float]]:
    """A run's losses by passage when its debrief was made, s, with their doubt."""
    return {name: (pair[0], pair[1]) for name, pair in debrief.losses.items()}


@dataclass(frozen=True)
class Driven:
    """What following needs to know of a run, without its laps."""

    id: int
    driver: int
    analysis: int | None
    decided: int
    at: tuple[str, str, int]
    setting: Setting

    @classmethod
    def of(cls, run: Run) -> "Driven":
        return cls(run.id, run.driver_id, run.analysis_id, run.decided, driven_at(run), setting_of(run))

    @property
    def name(self) -> str:
        """What answers rest on of it."""
        return repr((self.id, self.analysis, self.decided, self.at, self.setting.trim))


def driver_key(runs: Iterable[Driven]) -> str:
    """A name of all runs of a driver as they are now; ``runs`` in the order in which they were driven."""
    return _digest(f"{FOLLOWING_VERSION}.{CODE_VERSION}", *(run.name for run in runs))


def course_key(of_driver: str, debrief: int, run: int, given_at: datetime) -> str:
    """A name of all that the courses of a debrief's cues rest on; what was given is known by when."""
    return _digest(of_driver, repr((debrief, run, given_at.isoformat())))


def _digest(*parts: str) -> str:
    return hashlib.sha256("\n".join(parts).encode()).hexdigest()[:40]


def debriefs_to_follow(session: Session, team_id: int, driven: Mapping[int, str]) -> list[int]:
    """Debriefs whose cues' courses are not known as everything is now.

    Parameters
    ----------
    session, team_id : where
    driven : :func:`driver_key` by driver
    """
    query = select(Debrief.id, Debrief.driver_id, Debrief.run_id, Debrief.given_at, Debrief.followed).where(
        Debrief.team_id == team_id, Debrief.given_at.is_not(None), Debrief.run_id.is_not(None)
    )
    nothing = driver_key(())
    return [
        debrief
        for debrief, driver, run, given_at, followed in session.execute(query.order_by(Debrief.id))
        if given_at is not None and followed != course_key(driven.get(driver, nothing), debrief, run or 0, given_at)
    ]


def follow_debrief(session: Session, debrief: Debrief, cache: CurveCache) -> None:
    """Work out what became of a debrief's cues over all later runs of its driver, and keep it."""
    runs = runs_of_driver(session, debrief.team_id, debrief.driver_id)
    if debrief.given_at is None or debrief.run_id is None:
        return
    # A run that was removed is not there for now; what is asked of it waits.
    before = session.scalar(mine(Run, debrief.team_id).where(Run.id == debrief.run_id))
    cues = given_cues(debrief)
    kept = {
        row.cue_id: row
        for row in session.scalars(mine(CueCourse, debrief.team_id).where(CueCourse.debrief_id == debrief.id))
    }
    known = {(cue, row["run"]): row for cue, course in kept.items() for row in course.looks}
    looks: dict[int, list[dict[str, Any]]] = {cue.id: [] for cue in cues}
    if before is not None:
        _Following(session, debrief, before, cues, cache, known, looks).through(later_than(before, runs))
    own = select(CueRow.id).where(CueRow.debrief_id == debrief.id)
    there = set(session.scalars(own, execution_options=INCLUDE_REMOVED))
    for cue in cues:
        if cue.id in there:
            row = kept.get(cue.id) or CueCourse(team_id=debrief.team_id, cue_id=cue.id, debrief_id=debrief.id)
            _fill(row, cue, debrief.driver_id, looks[cue.id])
            session.add(row)
    for cue_id, row in kept.items():
        if cue_id not in looks:
            session.delete(row)
    of_driver = driver_key(Driven.of(run) for run in runs)
    debrief.followed = course_key(of_driver, debrief.id, debrief.run_id, debrief.given_at)


def _fill(row: CueCourse, cue: GivenCue, driver_id: int, looks: Sequence[dict[str, Any]]) -> None:
    course = course_from_rows(looks, keep=cue.kind == "keep")
    row.kind, row.figure, row.driver_id, row.stage = cue.kind, cue.figure, driver_id, course.stage
    row.paid = any(look["answer"] == REACHED_PAID for look in looks)
    row.looks = [look | {"stage": stage} for look, stage in zip(looks, course.stages, strict=True)]


def course_from_rows(looks: Sequence[Mapping[str, Any]], *, keep: bool) -> Course:
    """The course that was kept."""
    return course_of([_look(row) for row in looks], keep=keep)


def _look(row: Mapping[str, Any]) -> Look:
    return Look(row["run"], row["answer"], row["slipped"])


def _look_row(key: str, look: Look, why: str | None, answer: Answer | None) -> dict[str, Any]:
    """A look as it is kept, with the figures that are shown of it."""
    figure, time = (answer.figure, answer.time) if answer is not None else (None, None)
    row: dict[str, Any] = {"key": key, "run": look.key, "answer": look.answer, "slipped": look.slipped, "why": why}
    for name, change in (("", figure), ("time_", time)):
        row[f"{name}before"] = None if change is None else change.before
        row[f"{name}after"] = None if change is None else change.after
        row[f"{name}change"] = None if change is None else change.change
        row[f"{name}low"] = None if change is None else change.low
        row[f"{name}high"] = None if change is None else change.high
    return row


@dataclass(frozen=True)
class _Following:
    """A debrief followed through later runs; ``known`` are looks of before, by cue and run."""

    session: Session
    debrief: Debrief
    before: Run
    cues: Sequence[GivenCue]
    cache: CurveCache
    known: Mapping[tuple[int, int], Mapping[str, Any]]
    looks: dict[int, list[dict[str, Any]]]

    def through(self, runs: Sequence[Run]) -> None:
        first, number = setting_of(self.before), 0
        by_id = {run.id: run for run in runs}
        for run in runs:
            why = apart(first, setting_of(run))
            if why is None:
                number += 1
                self._look_at(run, number, by_id)
            else:
                self._unjudged(run, "", why)

    def _look_at(self, run: Run, number: int, by_id: Mapping[int, Run]) -> None:
        reached = {cue.id: self._reached(cue, by_id) for cue in self.cues}
        since = [one for one in reached.values() if one is not None]
        involved = list({one.id: one for one in (self.before, run, *since)}.values())
        asked_at = "" if self.debrief.given_at is None else self.debrief.given_at.isoformat()
        names = sorted(Driven.of(one).name for one in involved)
        key = _digest(f"{FOLLOWING_VERSION}.{CODE_VERSION}", asked_at, str(number), *names)
        before = [self.known.get((cue.id, run.id)) for cue in self.cues]
        if all(row is not None and row["key"] == key for row in before):
            for cue, row in zip(self.cues, before, strict=True):
                self.looks[cue.id].append(dict(row or {}))
            return
        try:
            analyses = common_analyses(self.session, involved)
        except Apart as error:
            # Not for good: what is being computed anew has another analysis, and another key, when it is there.
            self._unjudged(run, "", str(error))
            return
        entries = load_entries(self.session, involved, analyses, list(JUDGED), self.cache)
        analysed = {each.id: self.cache.analysed(self.session, entries[each.id]) for each in involved}
        self._judge(run, number, key, reached, analysed, entries[run.id].layout)

    def _judge(
        self, run: Run, number: int, key: str, reached: Mapping[int, Run | None], known: Mapping[int, AnalysedRun],
        layout: Layout,
    ) -> None:  # fmt: skip
        asked = asked_on(self.cues, layout)
        losses = losses_then(self.debrief)
        found = check(known[self.before.id], known[run.id], layout, asked, losses=losses, look=number)
        answers = {answer.key: answer for answer in found.answers}
        touched = frozenset(one.target.passage for one in asked)
        targets = {one.key: one.target for one in asked}
        for cue in self.cues:
            answer, then, slipped = answers.get(cue.id), reached[cue.id], None
            if answer is not None and then is not None:
                # How often it was looked at since it was reached spends the same doubt.
                so_far = 1 + self._looked_since(cue)
                slipped = slipped_since(known[then.id], known[run.id], layout, targets[cue.id], touched, so_far)
            look = Look(run.id, UNJUDGED if answer is None else answer.answer, slipped)
            why = GONE_FROM_LAYOUT if answer is None else answer.why
            self.looks[cue.id].append(_look_row(key, look, why, answer))

    def _unjudged(self, run: Run, key: str, why: str) -> None:
        for cue in self.cues:
            self.looks[cue.id].append(_look_row(key, Look(run.id, UNJUDGED), why, None))

    def _reached(self, cue: GivenCue, by_id: Mapping[int, Run]) -> Run | None:
        own = [_look(row) for row in self.looks[cue.id]]
        index = reached_in(own)
        return None if index is None or cue.kind == "keep" else by_id[own[index].key]

    def _looked_since(self, cue: GivenCue) -> int:
        own = [_look(row) for row in self.looks[cue.id]]
        index = reached_in(own)
        return 0 if index is None else sum(look.slipped is not None for look in own[index + 1 :])
