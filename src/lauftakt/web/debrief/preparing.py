"""Preparing: the day's drivers, and for one of them findings, strengths, proposals and what became of the last cues."""

from collections.abc import Mapping
from typing import cast

from sqlalchemy.orm import Session

from lauftakt.core.debrief.alike import across, differences
from lauftakt.core.debrief.check import losses_of
from lauftakt.core.debrief.wording import corners_in
from lauftakt.core.findings.ranking import elsewhere, to_be_won
from lauftakt.core.findings.statement import Finding
from lauftakt.core.findings.words import tell
from lauftakt.core.laps.conditions import conditions_of
from lauftakt.store.asked import given_before, setting_of
from lauftakt.store.counting import laps_of
from lauftakt.store.database import now
from lauftakt.store.models import Debrief, LapRow, Run, Voice
from lauftakt.web import schemas, show
from lauftakt.web.compare.addresses import key_of
from lauftakt.web.compare.card import cause_out
from lauftakt.web.debrief.advice import keeps_of, proposed
from lauftakt.web.debrief.checking import Checked, checked
from lauftakt.web.debrief.seeing import NONE, Day, Seen, latest_by_driver, seen_on, stated
from lauftakt.web.debrief.telling import answer_out, debrief_of_run, head, voice_out, voices_of


def drivers_of_day(session: Session, day: Day, runs: list[Run]) -> list[schemas.DebriefDriver]:
    """The day's students, those first who wait; with nothing of who is only a reference."""
    by_driver = latest_by_driver(runs)
    latest = {driver: own[-1] for driver, own in by_driver.items()}
    said = voices_of(session, runs[0].team_id, [run.id for run in latest.values()]) if runs else {}
    found = []
    for driver, run in latest.items():
        if run.driver.reference_only:
            continue
        debrief = debrief_of_run(session, run.team_id, run.id)
        before = given_before(session, run)
        answers = checked(session, before, run.id).answers if before is not None else {}
        part = day.of(run)
        told = None if part is None or part.comparison is None else stated(day, run)[0]
        if part is not None and part.group.chosen and differences(setting_of(run), setting_of(part.group.base)):
            told = None  # what another car or other tyres would bring is not to be won by driving
        found.append(
            schemas.DebriefDriver(
                driver=show.driver(run.driver),
                run=run.id,
                runs=len(by_driver[driver]),
                started_at=run.started_at.isoformat() if run.started_at else None,
                conditions=conditions_of(run.conditions),
                to_win_s=None if told is None else to_be_won(told),
                debrief=None if debrief is None else head(session, debrief),
                before=None if before is None else head(session, before, as_given=True),
                answers={key: answer.answer for key, answer in answers.items()},  # type: ignore[misc]
                voices=[voice_out(row) for row in said[run.id]],
                felt=run.felt,
                waits=debrief is None or debrief.given_at is None,
            )
        )
    return sorted(found, key=lambda one: (not one.waits, -(one.to_win_s or 0.0), one.driver.name))


def of_run(session: Session, day: Day, run: Run, runs: list[Run]) -> schemas.PrepareOut:
    """All that a coach needs of one run."""
    seen = seen_on(session, day, run)
    lost, won = stated(day, run)
    debrief = debrief_of_run(session, run.team_id, run.id)
    before = given_before(session, run)
    looked = checked(session, before, run.id) if before is not None else None
    said = voices_of(session, run.team_id, [run.id])[run.id]
    laps = {lap.number: lap for lap in laps_of(session, run.analysis_id)}
    best = laps.get(run.best_number or -1)
    base = seen.base if seen is not None and not seen.itself else None
    return schemas.PrepareOut(
        state=day.state if seen is not None else NONE,  # type: ignore[arg-type]
        event=show.event(run.event, len(runs)),
        driver=show.driver(run.driver),
        shows_laps=run.driver.shows_laps,
        run=run.id,
        runs=[
            schemas.RunChoice(
                id=one.id, started_at=one.started_at.isoformat() if one.started_at else None, laps=one.laps_counting
            )
            for one in latest_by_driver(runs).get(run.driver_id, [run])
        ],
        laps=run.laps_counting,
        best=None if best is None else key_of(run, best),
        reference=None if seen is None or base is None else _lap_of(session, base, seen.lap),
        reference_driver=None if base is None else base.driver.name,
        pictures="" if seen is None else ".".join(str(seen.entries[one].identity) for one in seen.entries),
        findings=[] if seen is None else _findings(session, seen, lost, said, laps),
        strengths=[] if seen is None else keeps_of(session, seen, won, lost),
        debrief=None if debrief is None else head(session, debrief),
        before=None if before is None else head(session, before, as_given=True),
        answers={} if looked is None else {key: answer_out(one) for key, one in looked.answers.items()},
        elsewhere=elsewhere_out(looked),
        apart=None if looked is None else looked.apart or looked.remark,
        voices=[voice_out(row) for row in said],
        felt=run.felt,
    )


def elsewhere_out(looked: Checked | None) -> list[schemas.ElsewhereOut]:
    if looked is None or looked.found is None or looked.layout is None:
        return []
    return [
        schemas.ElsewhereOut(
            passage=one.passage,
            place=corners_in(looked.layout, one.passage),
            change_s=one.change.change,
            low_s=one.change.low,
            high_s=one.change.high,
        )
        for one in looked.found.elsewhere
    ]


def _lap_of(session: Session, run: Run, number: int) -> str | None:
    lap = next((one for one in laps_of(session, run.analysis_id) if one.number == number), None)
    return None if lap is None else key_of(run, lap)


def _findings(
    session: Session, seen: Seen, lost: list[Finding], said: list[Voice], laps: Mapping[int, LapRow]
) -> list[schemas.FindingOut]:
    run = seen.analysed(session, seen.run)
    theirs = seen.analysed(session, seen.base) if seen.measured else None
    felt = {row.corner: row.felt for row in said if row.corner is not None}
    found = []
    for one in sorted(lost, key=lambda each: (not each.put_forward, -each.loss_s)):
        lap = laps.get(one.best_lap)
        corners = [] if one.passage is None else next(
            (p.corners for p in seen.layout.passages if p.name == one.passage), ()
        )  # fmt: skip
        found.append(
            schemas.FindingOut(
                passage=one.passage,
                corner=one.corner,
                from_m=one.from_m,
                to_m=one.to_m,
                loss_s=one.loss_s,
                loss_u_s=one.loss_u_s,
                seen=len(one.seen_in),
                of=one.clean,
                best_loss_s=one.best_loss_s,
                best_lap="" if lap is None else key_of(seen.run, lap),
                put_forward=one.put_forward,
                against=one.against,
                says=show.said((across(seen.across), *tell(one, seen.base.driver.name, elsewhere(one, lost)))),
                causes=[cause_out(each) for each in one.causes],
                proposals=[] if seen.across else proposed(one, run, seen, theirs),
                felt=cast("schemas.Felt | None", next((felt[name] for name in corners if name in felt), None)),
            )
        )
    return found


def losses_now(session: Session, seen: Seen) -> dict[str, list[float]]:
    """The run's losses in all passages with their doubt, as they are kept with a debrief."""
    against = None if seen.itself else seen.analysed(session, seen.base)
    found = losses_of(seen.analysed(session, seen.run), seen.layout, against)
    return {name: list(pair) for name, pair in found.items()}


def new_debrief(session: Session, seen: Seen, account_id: int | None, author: str) -> Debrief:
    """A debrief's row, added."""
    row = Debrief(
        team_id=seen.run.team_id, driver_id=seen.run.driver_id, event_id=seen.run.event_id, run_id=seen.run.id,
        account_id=account_id, author=author, losses=losses_now(session, seen), made_at=now(),
    )  # fmt: skip
    session.add(row)
    session.flush()
    return row
