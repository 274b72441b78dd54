"""The school over days: who improves, what days and cars do, where time lies, and which cues work."""

from collections.abc import Mapping, Sequence
from statistics import median

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from lauftakt.core.debrief.family import holm
from lauftakt.core.debrief.target import figure_entry
from lauftakt.core.season.common import Common, Effect
from lauftakt.core.season.kinds import KINDS
from lauftakt.core.season.lying import DayRun, Lying, lying_of
from lauftakt.core.season.working import Asked, Working, working_of
from lauftakt.store.models import CueCourse, Debrief
from lauftakt.store.season import SeasonRun
from lauftakt.web.access import Problem
from lauftakt.web.policy import Viewer
from lauftakt.web.schemas import season as schemas
from lauftakt.web.schemas.runs import DriverOut
from lauftakt.web.season.paces import (
    LEVEL,
    car_of,
    day_of,
    effect_out,
    effects_out,
    kind_pace,
    lap_pace,
    told_apart,
)
from lauftakt.web.season.seeing import Ground, chosen, drivers_of, ground_of, layouts_of, season_of

Name = tuple[str, int | None]


def school_season(
    session: Session, viewer: Viewer, asked: schemas.SchoolQuery
) -> tuple[schemas.SchoolSeason, int | None]:
    """What is told of a school, and the job that is to be sent for what is not known yet."""
    season = season_of(session, viewer)
    layouts = layouts_of(session, viewer, season.runs)
    layout = chosen(session, viewer, asked.layout, layouts)
    runs = [run for run in season.runs if run.setting.layout == layout]
    names = drivers_of(session, viewer)
    anchors = frozenset(each.id for each in names.values() if each.reference_only)
    ground = None if layout is None else ground_of(session, viewer, layout, runs)
    common = told_apart((season.name, layout), runs, lap_pace, anchors)
    laps = [run.pace.lap.median_s for run in runs if run.pace is not None and run.pace.lap is not None]
    mean = median(laps) if laps else None
    kinds, passages = _lying(runs, anchors, ground)
    tried, why = _tried((season.name, layout), runs, anchors, asked, mean)
    return schemas.SchoolSeason(
        follow=season.follow,
        layouts=layouts,
        layout=layout,
        mean_lap_s=mean,
        drivers=_drivers(runs, names, common, _by_kind((season.name, layout), runs, anchors, ground)),
        days=_days(runs, common, mean or 0.0),
        cars=_cars(runs, common, mean or 0.0),
        anchored=[] if common is None else [names[each].name for each in common.anchored if each in names],
        scatter=None if common is None else common.scatter,
        slow_ms=None if ground is None or ground.kinds is None else ground.kinds.slow_ms,
        fast_ms=None if ground is None or ground.kinds is None else ground.kinds.fast_ms,
        kinds=kinds,
        passages=passages,
        tried=tried,
        tried_why=why,
        cues=cues_that_work(session, viewer),
    ), season.job  # fmt: skip


def _by_kind(
    name: Name, runs: Sequence[SeasonRun], anchors: frozenset[int], ground: Ground | None
) -> dict[tuple[int, str], tuple[Effect, float]]:
    """How drivers changed in each kind of corner, with the median time in it, s."""
    if ground is None:
        return {}
    here = [run for run in runs if run.version == ground.version]
    found: dict[tuple[int, str], tuple[Effect, float]] = {}
    for kind in KINDS:
        pace_of = kind_pace(ground, kind)
        common = told_apart((*name, ground.version, kind), here, pace_of, anchors)
        if common is None:
            continue
        times = [pace[0] for run in here if run.pace is not None and (pace := pace_of(run.pace)) is not None]
        for driver, effect in common.drivers.items():
            found[driver, kind] = effect, median(times)  # type: ignore[index]
    return found


def _drivers(
    runs: Sequence[SeasonRun],
    names: Mapping[int, DriverOut],
    common: Common | None,
    by_kind: Mapping[tuple[int, str], tuple[Effect, float]],
) -> list[schemas.SchoolDriver]:
    own: dict[int, list[SeasonRun]] = {}
    for run in runs:
        if run.driver in names:
            own.setdefault(run.driver, []).append(run)
    laps = {
        driver: median(
            [r.pace.lap.median_s if r.pace is not None and r.pace.lap is not None else r.best_s for r in each]
        )
        for driver, each in own.items()
    }
    whole = {} if common is None else {driver: effect for driver, effect in common.drivers.items() if driver in own}
    changes = effects_out(whole, lambda driver: laps[driver])
    sure = dict(zip(by_kind, holm([effect.likely for effect, _ in by_kind.values()], LEVEL), strict=True))
    found = [
        schemas.SchoolDriver(
            driver=names[driver],
            days=len({run.day for run in each}),
            runs=len(each),
            first_day=each[0].day,
            last_day=each[-1].day,
            best_s=min(run.best_s for run in each),
            change=changes.get(driver),
            by_kind={
                kind: effect_out(effect, seconds, clear=sure[driver, kind] is not None)  # type: ignore[misc]
                for kind in KINDS
                if (driver, kind) in by_kind
                for effect, seconds in [by_kind[driver, kind]]
            },
        )
        for driver, each in own.items()
    ]
    return sorted(found, key=lambda one: (one.change is None, one.change.share if one.change else 0.0, one.driver.name))


def _days(runs: Sequence[SeasonRun], common: Common | None, lap_s: float) -> list[schemas.SchoolDay]:
    effects = {} if common is None else effects_out(common.days, lambda _: lap_s)
    found: dict[object, list[SeasonRun]] = {}
    for run in runs:
        found.setdefault(day_of(run), []).append(run)
    return [
        schemas.SchoolDay(
            day=own[0].day, event=own[0].event, name=own[0].event_name, grip=own[0].setting.grip,
            drivers=len({run.driver for run in own}), runs=len(own),
            first=common is not None and day == common.first, effect=effects.get(day),
        )
        for day, own in found.items()
    ]  # fmt: skip


def _cars(runs: Sequence[SeasonRun], common: Common | None, lap_s: float) -> list[schemas.SchoolCar]:
    effects = {} if common is None else effects_out(common.cars, lambda _: lap_s)
    found: dict[object, list[SeasonRun]] = {}
    for run in runs:
        found.setdefault(car_of(run), []).append(run)
    rows = [
        schemas.SchoolCar(
            car=own[0].setting.car_name or None, tyres=own[0].setting.tyres, drivers=len({run.driver for run in own}),
            runs=len(own), usual=common is not None and car == common.usual, effect=effects.get(car),
        )
        for car, own in found.items()
    ]  # fmt: skip
    return sorted(rows, key=lambda one: (not one.usual, -one.runs))


def _lying(
    runs: Sequence[SeasonRun], anchors: frozenset[int], ground: Ground | None
) -> tuple[list[schemas.LyingOut], list[schemas.LyingOut]]:
    if ground is None or ground.kinds is None:
        return [], []
    kinds, passages = lying_of(day_runs(runs, anchors, ground), ground.kinds.of)

    def out(one: Lying, kind: str, corners: str) -> schemas.LyingOut:
        return schemas.LyingOut(
            name=one.name, corners=corners, kind=kind, passages=one.passages, loss_s=one.loss_s,  # type: ignore[arg-type]
            low_s=one.low_s, high_s=one.high_s, students=one.students,
        )  # fmt: skip

    return (
        [out(one, one.name, "") for one in kinds],
        [out(one, ground.kinds.of[one.name], ground.corners_of(one.name)) for one in passages],
    )


def day_runs(runs: Sequence[SeasonRun], anchors: frozenset[int], ground: Ground) -> list[DayRun]:
    """Runs as they compare with others of their day."""
    return [
        DayRun(run.driver, (run.day, run.setting.trim), run.best_s, run.pace.passages, run.driver not in anchors)
        for run in runs
        if run.pace is not None and run.version == ground.version
    ]


def _tried(
    name: Name, runs: Sequence[SeasonRun], anchors: frozenset[int], asked: schemas.SchoolQuery, lap_s: float | None
) -> tuple[schemas.EffectOut | None, str | None]:
    """Whether what some drivers did from a day on shows."""
    if asked.since is None or asked.with_drivers is None:
        return None, None
    since, with_drivers = asked.since, {int(each) for each in asked.with_drivers.split(",")}
    if not with_drivers & {run.driver for run in runs}:
        raise Problem(422, "nobody", "None of these drivers drove here. Choose who did it.")
    told = (*name, since, frozenset(with_drivers))
    common = told_apart(told, runs, lap_pace, anchors, lambda run: run.driver in with_drivers and run.day >= since)
    if common is None or common.tried is None or lap_s is None:
        return None, (
            "Nothing can be told: it takes runs of these drivers before and after that day, "
            "and on the same days others who did not do it, or an instructor."
        )
    return effect_out(common.tried, lap_s), None


def cues_that_work(session: Session, viewer: Viewer) -> list[schemas.WorkingOut]:
    """Cues by what they ask for."""
    query = (
        select(CueCourse.figure, CueCourse.stage, CueCourse.paid, func.count())
        .join(Debrief, Debrief.id == CueCourse.debrief_id)
        .where(CueCourse.team_id == viewer.team_id, CueCourse.kind == "cue", Debrief.given_at.is_not(None))
        .group_by(CueCourse.figure, CueCourse.stage, CueCourse.paid)
    )
    found = working_of(
        Asked(figure, stage, paid) for figure, stage, paid, count in session.execute(query) for _ in range(count)
    )
    return [_working(one) for one in found]


def _working(one: Working) -> schemas.WorkingOut:
    return schemas.WorkingOut(
        figure=one.about, label=figure_entry(one.about).label, given=one.given, judged=one.judged, reached=one.reached,
        paid=one.paid, lost=one.lost, share=one.share, low=one.low, high=one.high,
    )  # fmt: skip
