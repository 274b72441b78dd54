"""A driver over days: paces, records, steadiness, and what became of every cue."""

from collections.abc import Sequence

from sqlalchemy import func, select
from sqlalchemy.orm import Session, joinedload

from lauftakt.core.debrief.alike import differs
from lauftakt.core.season.course import course_of
from lauftakt.core.season.records import Timed, records_of
from lauftakt.core.season.steadier import steadiness_of
from lauftakt.store.asked import given_cues
from lauftakt.store.following import course_from_rows
from lauftakt.store.models import CueCourse, Debrief, Driver, Run
from lauftakt.store.season import SeasonRun
from lauftakt.web import show
from lauftakt.web.debrief.telling import cues_as_given
from lauftakt.web.policy import WHOLE_TEAM, Viewer, one, visible
from lauftakt.web.schemas import season as schemas
from lauftakt.web.season.paces import effect_out, lap_pace, told_apart
from lauftakt.web.season.seeing import (
    Ground,
    Season,
    chosen,
    drivers_of,
    ground_of,
    layouts_of,
    season_of,
    trims_of,
    trims_out,
)


def driver_season(
    session: Session, viewer: Viewer, driver_id: int, asked: schemas.DriverSeasonQuery
) -> tuple[schemas.DriverSeason, int | None]:
    """What is told of a driver, and the job that is to be sent for what is not known yet."""
    row = one(session, Driver, viewer, driver_id)
    whole = season_of(session, viewer)
    own = [run for run in whole.runs if run.driver == row.id]
    layouts = layouts_of(session, viewer, own)
    layout = chosen(session, viewer, asked.layout, layouts)
    here = [run for run in own if run.setting.layout == layout]
    numbers = trims_of(here)
    ground = (
        None
        if layout is None
        else ground_of(session, viewer, layout, [r for r in whole.runs if r.setting.layout == layout])
    )
    steady, trim, ends = _steadiness(here, numbers, ground)
    leads = viewer.kind in WHOLE_TEAM
    change, anchored = _change(session, viewer, whole, row.id, layout) if leads else (None, [])
    cues, more = cues_over(session, viewer, row.id, own, asked.cues, ground)
    return schemas.DriverSeason(
        follow=whole.follow,
        driver=show.driver(row),
        drivers=list(drivers_of(session, viewer).values()),
        layouts=layouts,
        layout=layout,
        totals=_totals(own),
        trims=trims_out(here, numbers),
        runs=_runs(here, numbers),
        records=_records(here, numbers),
        steadiness=steady,
        steady_trim=trim,
        steady_runs=ends,
        change=change,
        anchored=anchored,
        cues=cues,
        more_cues=more,
    ), whole.job  # fmt: skip


def _totals(runs: Sequence[SeasonRun]) -> schemas.SeasonTotals:
    told = [run.duration_s for run in runs if run.duration_s is not None]
    return schemas.SeasonTotals(
        days=len({run.day for run in runs}),
        runs=len(runs),
        laps=sum(run.laps_all for run in runs),
        hours=sum(told) / 3600.0 if told else None,
    )


def _runs(runs: Sequence[SeasonRun], numbers: dict[object, int]) -> list[schemas.RunPaceOut]:
    found = []
    for before, run in zip([None, *runs], runs, strict=False):
        lap = None if run.pace is None else run.pace.lap
        found.append(
            schemas.RunPaceOut(
                run=run.id,
                event=run.event,
                event_name=run.event_name,
                day=run.day,
                started_at=None if run.started_at is None else run.started_at.isoformat(),
                kind=run.kind,
                trim=numbers[run.setting.trim],
                laps=run.laps,
                best_s=run.best_s,
                best_u_s=None if run.pace is None else run.pace.best_u_s,
                theoretical_s=run.theoretical_s,
                median_s=None if lap is None else lap.median_s,
                median_u_s=None if lap is None else lap.doubt_s,
                spread_s=None if lap is None else lap.spread_s,
                spread_low_s=None if lap is None else lap.low_s,
                spread_high_s=None if lap is None else lap.high_s,
                differs=[] if before is None else list(differs(before.setting, run.setting)),  # type: ignore[arg-type]
            )
        )
    return found


def _records(runs: Sequence[SeasonRun], numbers: dict[object, int]) -> list[schemas.RecordOut]:
    """Records in each trim; while a pace is not known yet its lap waits, so that nothing is told without its doubt."""
    days = {run.id: run.day for run in runs}
    found = []
    for trim, number in numbers.items():
        own = [run for run in runs if run.setting.trim == trim and run.pace is not None]
        for each in records_of(
            Timed(run.id, run.best_s, None if run.pace is None else run.pace.best_u_s) for run in own
        ):
            found.append(
                schemas.RecordOut(
                    run=each.key, day=days[each.key], trim=number, best_s=each.best_s, best_u_s=each.best_u_s,
                    by_s=each.by_s, by_u_s=each.by_u_s, level=each.level,
                )
            )  # fmt: skip
    return found


def _steadiness(
    runs: Sequence[SeasonRun], numbers: dict[object, int], ground: Ground | None
) -> tuple[list[schemas.PassageOver], int | None, list[int]]:
    """Spread in each passage in the first and the last run of the trim driven last in two runs or more."""
    if ground is None:
        return [], None, []
    known = [run for run in runs if run.pace is not None and run.version == ground.version]
    for trim in reversed(list(numbers)):
        own = [run for run in known if run.setting.trim == trim]
        if len(own) < 2:
            continue
        first, last = own[0].pace, own[-1].pace
        assert first is not None
        assert last is not None
        found = []
        for passage in ground.layout.passages:
            name = passage.name
            if name not in first.passages or name not in last.passages:
                continue
            each = steadiness_of(first.passages[name], last.passages[name])
            if each is not None:
                found.append(
                    schemas.PassageOver(
                        name=name, corners=ground.corners_of(name), kind=ground.kind_of(name),  # type: ignore[arg-type]
                        before_s=each.before_s, after_s=each.after_s, factor=each.factor, low=each.low, high=each.high,
                        says=each.says,  # type: ignore[arg-type]
                    )
                )  # fmt: skip
        return found, numbers[trim], [own[0].id, own[-1].id]
    return [], None, []


def _change(
    session: Session, viewer: Viewer, season: Season, driver: int, layout: int | None
) -> tuple[schemas.EffectOut | None, list[str]]:
    """How the driver changed on a layout, after days and cars."""
    names = drivers_of(session, viewer)
    anchors = frozenset(each.id for each in names.values() if each.reference_only)
    runs = [run for run in season.runs if run.setting.layout == layout]
    common = told_apart((season.name, layout), runs, lap_pace, anchors)
    own = [run.pace.lap.median_s for run in runs if run.driver == driver and run.pace is not None and run.pace.lap]
    if common is None or driver not in common.drivers or not own:
        return None, []
    anchored = [names[each].name for each in common.anchored if isinstance(each, int) and each in names]
    return effect_out(common.drivers[driver], own[0]), anchored


def cues_over(
    session: Session, viewer: Viewer, driver_id: int, runs: Sequence[SeasonRun], most: int, ground: Ground | None
) -> tuple[list[schemas.CueOver], int]:
    """What a driver was asked, the newest first, with what became of it; and how many more there are."""
    query = visible(Debrief, viewer).where(
        Debrief.driver_id == driver_id, Debrief.given_at.is_not(None), Debrief.run_id.is_not(None)
    )
    debriefs = list(session.scalars(query.options(joinedload(Debrief.run).joinedload(Run.event))))
    debriefs = [each for each in debriefs if each.run is not None]
    debriefs.sort(key=lambda each: (each.run.event.day, each.given_at, each.id), reverse=True)  # type: ignore[union-attr]
    shown: list[Debrief] = []
    for debrief in debriefs:
        if sum(len(given_cues(each)) for each in shown) < most:
            shown.append(debrief)
    more = sum(len(given_cues(each)) for each in debriefs[len(shown) :])
    query_courses = select(CueCourse).where(
        CueCourse.team_id == viewer.team_id, CueCourse.debrief_id.in_([each.id for each in shown])
    )
    courses = {row.cue_id: row for row in session.scalars(query_courses)}
    cues, days = cues_as_given(session, shown), {run.id: run for run in runs}
    return [_cue(each, cue, courses.get(cue.id), days, ground) for each in shown for cue in cues[each.id]], more


def _cue(
    debrief: Debrief, cue: schemas.CueOut, course: CueCourse | None, days: dict[int, SeasonRun], ground: Ground | None
) -> schemas.CueOver:
    assert debrief.run is not None
    assert debrief.given_at is not None
    looks = [] if course is None else [row for row in course.looks if row["run"] in days]
    told = course_of([]) if course is None else course_from_rows(looks, keep=cue.kind == "keep")
    return schemas.CueOver(
        cue=cue,
        debrief=debrief.id,
        run=debrief.run.id,
        event=debrief.run.event_id,
        day=debrief.run.event.day,
        given_at=show.moment(debrief.given_at),
        place=cue.corner or (cue.passage if ground is None else ground.corners_of(cue.passage)) or cue.passage,
        stage=told.stage,  # type: ignore[arg-type]
        held=told.held,
        looks=[look_out(row, days[row["run"]]) for row in looks],
    )


def look_out(row: dict[str, object], run: SeasonRun) -> schemas.LookOut:
    kept = {name: row[name] for name in schemas.LookOut.model_fields if name in row}
    return schemas.LookOut(**kept | {"day": run.day, "event": run.event})  # type: ignore[arg-type]


def debriefs_on(session: Session, viewer: Viewer) -> dict[int, int]:
    """How many debriefs were given, by event."""
    query = visible(Debrief, viewer).where(Debrief.given_at.is_not(None), Debrief.run_id.is_not(None))
    rows = session.execute(
        query.with_only_columns(Run.event_id, func.count()).join(Run, Run.id == Debrief.run_id).group_by(Run.event_id)
    )
    return {event: count for event, count in rows if event is not None}
