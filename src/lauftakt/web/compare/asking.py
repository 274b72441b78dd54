"""Which laps an address asks for: driven ones, those made of others, and a good line-up where none is named."""

from collections.abc import Iterable, Sequence

from sqlalchemy.orm import Session, joinedload

from lauftakt.core.laps.conditions import conditions_of
from lauftakt.service.day import DayGroup, group_of, groups_of_day, latest_event, main_group
from lauftakt.store.database import NotFound, mine
from lauftakt.store.lineup import MOST_RUNS, Apart, Entry, common_analyses, load_entries
from lauftakt.store.made_laps import best_recipe
from lauftakt.store.models import Analysis, Event, Run
from lauftakt.web import show
from lauftakt.web.access import Problem, curve_cache
from lauftakt.web.compare.addresses import MOST_LAPS, Address, LapAddress, MadeAddress
from lauftakt.web.compare.lineup import LineUp, add_made, entries_of_runs, runs_of
from lauftakt.web.policy import Viewer, allowed, one, visible

Key = tuple[int, int]


def proposed(session: Session, viewer: Viewer, run_id: int | None, event_id: int | None) -> LineUp:
    """The reference of the day, and the best lap of every driver who is compared with it: of those in the conditions of
    the run that is asked for, else of most. A run that is asked for goes before another of its driver."""
    event = _event(session, viewer, run_id, event_id)
    query = visible(Run, viewer).where(Run.event_id == event.id).options(*show.RUN_PARTS, joinedload(Run.analysis))
    runs = list(session.scalars(query.order_by(Run.started_at, Run.id)))
    groups = groups_of_day(session, event, None if allowed(viewer, "see-team") else runs)
    group = main_group(groups) if run_id is None else group_of(groups, run_id)
    if group is None:
        raise Problem(404, "empty", "No run of this event has a timed lap that counts.")
    students = any(not run.driver.reference_only for run in group.runs)
    best: dict[int, Run] = {}
    for run in group.runs:  # the quickest first
        if students and run.driver.reference_only and run.id != run_id:
            continue
        if run.id == run_id or run.driver_id not in best:
            best[run.driver_id] = run
    others = [(run.id, run.best_number) for run in sorted(best.values(), key=lambda run: run.id != run_id)]
    reference = group.reference
    # The reference's driver is on the desk with that lap, unless another run of theirs was asked for.
    keys = [reference] + [
        (run, number)
        for run, number in others
        if number is not None and (run, number) != reference and (run == run_id or not _is_of(group, run))
    ]
    keys = keys[:MOST_LAPS]
    known = {run.id: run for run in group.compared}
    chosen = [known[run] for run in dict.fromkeys(run for run, _ in keys)]
    return LineUp(entries_of_runs(session, runs_of(session, viewer, [run.id for run in chosen]), ["time_draws"]), keys,
                  reference)  # fmt: skip


def _is_of(group: DayGroup, run_id: int) -> bool:
    """Whether a run is the reference's driver's, on the same day."""
    run = next(run for run in group.runs if run.id == run_id)
    return run.driver_id == group.base.driver_id and run.event_id == group.base.event_id and not group.of_own


def _event(session: Session, viewer: Viewer, run_id: int | None, event_id: int | None) -> Event:
    if run_id is not None:
        return one(session, Run, viewer, run_id).event
    if event_id is not None:
        return one(session, Event, viewer, event_id)
    latest = latest_event(session, visible(Event, viewer))
    if latest is None:
        raise Problem(404, "empty", "No runs have been handed in yet.")
    return latest


def asked_for(
    session: Session, viewer: Viewer, laps: Sequence[Address], reference: Address, version: int | None = None
) -> LineUp:
    """The line-up of addresses. What leads to no lap takes away only itself; the first lap is the reference then.

    Raises
    ------
    NotFound
        where no lap is left.
    Problem
        422 for laps of different layouts, and for too many.
    """
    wanted = list(dict.fromkeys([reference, *laps] if reference not in laps else laps))
    if len(wanted) > MOST_LAPS:
        raise Problem(422, "too-many", f"At most {MOST_LAPS} laps fit on the desk; take some off it.")
    runs = _known(session, viewer, {lap.run for lap in wanted if isinstance(lap, LapAddress)})
    entries = entries_of_runs(session, runs, ["time_draws"], version) if runs else {}
    found: dict[Address, Key | None] = {
        lap: _driven(entries, lap) for lap in wanted if isinstance(lap, LapAddress)
    }  # fmt: skip
    driven = [key for key in found.values() if key is not None]
    made: dict[Key, MadeAddress] = {}
    for lap in wanted:
        if isinstance(lap, MadeAddress):
            found[lap] = key = _made(session, viewer, entries, lap, driven)
            if key is not None and entries[key[0]].made:
                made[key] = lap
    keys = list(dict.fromkeys(key for lap in wanted if (key := found[lap]) is not None))
    if not keys:
        raise NotFound("lap")
    missing = tuple(_text(lap) for lap in wanted if found[lap] is None)
    return LineUp(entries, keys, found[reference] or keys[0], made, missing)


def _text(lap: Address) -> str:
    if isinstance(lap, MadeAddress):
        return lap.text
    return f"{lap.run}-{lap.second}" if lap.second is not None else f"{lap.run}.{lap.number}"


def _known(session: Session, viewer: Viewer, ids: Iterable[int]) -> list[Run]:
    """Those of some runs that there are and a viewer may see, with what the line-up shows of them."""
    query = visible(Run, viewer).where(Run.id.in_(list(ids)), Run.analysis_id.is_not(None))
    return list(session.scalars(query.options(*show.RUN_PARTS, joinedload(Run.analysis)).order_by(Run.id)))


def _driven(entries: dict[int, Entry], lap: LapAddress) -> Key | None:
    number = lap.find(entries[lap.run].laps) if lap.run in entries else None
    return None if number is None else (lap.run, number)


def _made(
    session: Session, viewer: Viewer, entries: dict[int, Entry], lap: MadeAddress, on_desk: Sequence[Key]
) -> Key | None:
    """The lap that an address describes, with what it is made of among the entries; None where nothing fits."""
    if lap.of_desk:
        candidates = [(entries[run], number) for run, number in on_desk]
    else:
        runs = _runs_of(session, viewer, entries, lap)
        own = _beside(session, viewer, entries, runs)
        for run, entry in own.items():
            entries.setdefault(run, entry)
        candidates = [
            (entries[run], each.number)
            for run in own
            for each in own[run].laps
            if each.time_s is not None and each.set_aside is None
        ]
    candidates = _alike(entries, candidates, on_desk)
    if lap.kind == "best":
        best = min(candidates, key=lambda one: one[0].lap(one[1]).time_s or 0.0, default=None)
        return None if best is None else (best[0].run.id, best[1])
    recipe = best_recipe(lap.kind, candidates)
    return None if recipe is None else add_made(entries, recipe)


def _alike(
    entries: dict[int, Entry], candidates: list[tuple[Entry, int]], on_desk: Sequence[Key]
) -> list[tuple[Entry, int]]:
    """Laps in the conditions of those on the desk, where there are any: nobody's usual lap is half wet and half dry."""
    wanted = {conditions_of(entries[run].run.conditions) for run, _ in on_desk}
    own = [one for one in candidates if conditions_of(one[0].run.conditions) in wanted]
    return own or candidates


def _runs_of(session: Session, viewer: Viewer, entries: dict[int, Entry], lap: MadeAddress) -> list[Run]:
    """Runs whose laps count for an address, on the layout of what lies there already, the quickest first."""
    query = visible(Run, viewer).where(Run.analysis_id.is_not(None), Run.best_s.is_not(None))
    if lap.run is not None:
        query = query.where(Run.id == lap.run)
    if lap.driver is not None:
        query = query.where(Run.driver_id == lap.driver)
    if lap.event is not None:
        query = query.where(Run.event_id == lap.event)
    query = query.options(*show.RUN_PARTS, joinedload(Run.analysis)).order_by(Run.best_s, Run.id)
    if entries:
        query = query.where(Run.layout_id == next(iter(entries.values())).run.layout_id)
        return list(session.scalars(query.limit(MOST_RUNS)))
    # With nothing beside it, on the layout that was driven last.
    layout = session.scalar(query.with_only_columns(Run.layout_id).order_by(None).order_by(Run.id.desc()).limit(1))
    return list(session.scalars(query.where(Run.layout_id == layout).limit(MOST_RUNS)))


def _beside(session: Session, viewer: Viewer, entries: dict[int, Entry], runs: Sequence[Run]) -> dict[int, Entry]:
    """Entries of runs on the layout version of those that are there; runs that are not known on it are left out."""
    if not runs:
        return {}
    there = next(iter(entries.values()), None)
    if there is None:
        try:
            known = common_analyses(session, runs)
        except Apart as error:
            raise Problem(422, "layouts", str(error)) from error
    else:
        query = mine(Analysis, viewer.team_id).where(
            Analysis.run_id.in_([run.id for run in runs]),
            Analysis.layout_version_id == there.analysis.layout_version_id,
        )
        known = {row.run_id: row for row in session.scalars(query.order_by(Analysis.id))}
        known |= {run: entries[run].analysis for run in known if run in entries}
    own = [run for run in runs if run.id in known]
    return load_entries(session, own, known, ["time_draws"], curve_cache()) if own else {}
