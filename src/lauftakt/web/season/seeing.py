"""What is read of a team's season for every answer: its runs, how far they are followed, and names."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from sqlalchemy import select
from sqlalchemy.orm import Session

from lauftakt.core.circuit.layout import Layout
from lauftakt.core.debrief.wording import corners_in
from lauftakt.core.season.kinds import Kinds, kinds_of
from lauftakt.store.layouts import load_layout
from lauftakt.store.models import Driver, Job, LayoutRow
from lauftakt.store.season import SeasonRun
from lauftakt.web import show
from lauftakt.web.access import curve_cache, season_cache
from lauftakt.web.policy import Viewer, one, visible
from lauftakt.web.schemas import season as schemas
from lauftakt.web.schemas.runs import DriverOut
from lauftakt.work.following import KIND, want_following
from lauftakt.work.jobs import OPEN


@dataclass(frozen=True)
class Season:
    """Runs in the order in which they were driven; ``name`` changes with anything of them, ``job`` is to be sent once
    the answer's transaction is through."""

    name: str
    runs: Sequence[SeasonRun]
    follow: schemas.FollowState
    job: int | None


def season_of(session: Session, viewer: Viewer, *, again: bool = False) -> Season:
    """A team's season; what is not followed yet is asked for, ``again`` also where that failed or was stopped."""
    kept = season_cache().get(session, viewer.team_id)
    left = len(kept.paces_left) + len(kept.courses_left)
    job, hope = want_following(session, viewer.team_id, kept.paces_left, kept.courses_left, again=again)
    under_way = job
    if left and under_way is None and hope == "coming":
        query = select(Job.id).where(Job.team_id == viewer.team_id, Job.kind == KIND, Job.state.in_(OPEN))
        under_way = session.scalar(query.order_by(Job.id.desc()).limit(1))
    follow = schemas.FollowState(state=hope if left else "ready", left=left, job=under_way)
    return Season(kept.name, kept.runs, follow, job)


def drivers_of(session: Session, viewer: Viewer) -> dict[int, DriverOut]:
    """Drivers that a viewer may see, by id."""
    return {row.id: show.driver(row) for row in session.scalars(visible(Driver, viewer).order_by(Driver.name))}


def layouts_of(session: Session, viewer: Viewer, runs: Sequence[SeasonRun]) -> list[schemas.SeasonLayout]:
    """Layouts of runs, the one driven last first."""
    by_layout: dict[int, list[SeasonRun]] = {}
    for run in reversed(runs):
        by_layout.setdefault(run.setting.layout, []).append(run)
    query = visible(LayoutRow, viewer).where(LayoutRow.id.in_(list(by_layout)))
    names = {row.id: row.name for row in session.scalars(query)}
    return [
        schemas.SeasonLayout(id=layout, name=names[layout], runs=len(own), days=len({run.day for run in own}))
        for layout, own in by_layout.items()
        if layout in names
    ]


def chosen(session: Session, viewer: Viewer, asked: int | None, found: Sequence[schemas.SeasonLayout]) -> int | None:
    """The layout that is told of."""
    if asked is not None:
        return one(session, LayoutRow, viewer, asked).id
    return found[0].id if found else None


@dataclass(frozen=True)
class Ground:
    """A layout as it is drawn now, and the kinds of its passages; runs of it that are known on just that version."""

    layout: Layout
    version: int
    kinds: Kinds | None

    def kind_of(self, passage: str) -> str | None:
        return None if self.kinds is None else self.kinds.of.get(passage)

    def corners_of(self, passage: str) -> str:
        """A passage as drivers know it."""
        return corners_in(self.layout, passage)


def ground_of(session: Session, viewer: Viewer, layout_id: int, runs: Iterable[SeasonRun]) -> Ground | None:
    """A layout with what runs tell of its corners; None while it is only a sketch."""
    row = one(session, LayoutRow, viewer, layout_id)
    if row.current_id is None:
        return None
    layout = load_layout(session, row.current_id, None, curve_cache().layouts)
    known = [run.pace for run in runs if run.pace is not None and run.version == row.current_id]
    means = [pace.mean_ms for pace in known if pace.mean_ms is not None]
    slowest, light = [pace.slowest_ms for pace in known], [pace.lightness_ms2 for pace in known]
    return Ground(layout, row.current_id, kinds_of(layout, slowest, means, light))


def trims_of(runs: Sequence[SeasonRun]) -> dict[object, int]:
    """Numbers of trims, from 1, in the order in which they were driven."""
    found: dict[object, int] = {}
    for run in runs:
        found.setdefault(run.setting.trim, len(found) + 1)
    return found


def trims_out(runs: Sequence[SeasonRun], numbers: Mapping[object, int]) -> list[schemas.TrimOut]:
    found: dict[int, schemas.TrimOut] = {}
    for run in runs:
        number = numbers[run.setting.trim]
        kept = found.get(number)
        if kept is None:
            setting = run.setting
            found[number] = schemas.TrimOut(
                id=number,
                car=setting.car_name or None,
                tyres=setting.tyres,
                grip=setting.grip,
                runs=1,
            )
        else:
            kept.runs += 1
    return list(found.values())
