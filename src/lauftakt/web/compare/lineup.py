"""Which laps lie on the desk, and what is loaded of them."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import func, select
from sqlalchemy.orm import Session, joinedload

from lauftakt.core.circuit.layout import Layout
from lauftakt.core.comparison.delta import delta_uncertainty, level, rate_uncertainty, time_delta
from lauftakt.core.debrief.alike import differences
from lauftakt.core.laps.conditions import conditions_of
from lauftakt.core.laps.counting import best_of
from lauftakt.core.laps.lap import LapTrace, draw_places
from lauftakt.core.registry import CHANNELS, DERIVED
from lauftakt.core.technique.along import has_derived
from lauftakt.core.technique.signals import Scale
from lauftakt.store.asked import setting_of
from lauftakt.store.database import NotFound
from lauftakt.store.lineup import NAMELESS, Apart, Entry, common_analyses, load_entries, nameless_names
from lauftakt.store.made_laps import NUMBER, Recipe, made_entry, read_recipe
from lauftakt.store.models import Analysis, Curves, Event, LayoutVersion, Run
from lauftakt.web import schemas, show
from lauftakt.web.access import Problem, curve_cache
from lauftakt.web.compare.addresses import CurveAddress, MadeAddress, key_of
from lauftakt.web.keeping import Kept
from lauftakt.web.policy import Viewer, visible
from lauftakt.work.open_jobs import being_renewed

# What a lap is made of never changes.
_made_laps = Kept[Entry](40)


@dataclass(frozen=True)
class LineUp:
    """Laps for the desk: entries by run (made laps below 0, and those of what they are made of), which laps of them in
    which order, the reference, the addresses of made ones, and addresses that lead to no lap any more."""

    entries: dict[int, Entry]
    keys: list[tuple[int, int]]
    reference: tuple[int, int]
    made: Mapping[tuple[int, int], MadeAddress] = field(default_factory=dict)
    missing: tuple[str, ...] = ()


def runs_of(session: Session, viewer: Viewer, run_ids: Sequence[int], *, whole: bool = True) -> list[Run]:
    """Runs that a viewer may see, in the order asked for; ``whole``: with what the line-up shows of them.

    Raises
    ------
    NotFound
    """
    parts = (*show.RUN_PARTS, joinedload(Run.analysis)) if whole else ()
    query = visible(Run, viewer).where(Run.id.in_(run_ids)).options(*parts)
    found = {run.id: run for run in session.scalars(query)}
    if set(run_ids) - set(found):
        raise NotFound("run")
    return [found[run_id] for run_id in run_ids]


def entries_of_runs(
    session: Session, runs: Sequence[Run], roles: Sequence[str], version: int | None = None
) -> dict[int, Entry]:
    """What is compared of runs: their present analyses, or those on a layout version that all have; ``version`` is the
    number of one that is preferred."""
    try:
        analyses = common_analyses(session, runs, version)
    except Apart as error:
        raise Problem(422, "layouts", str(error)) from error
    return load_entries(session, runs, analyses, roles, curve_cache())


def entries_of_curves(
    session: Session, viewer: Viewer, asked: Sequence[CurveAddress], roles: Sequence[str]
) -> tuple[dict[int, Entry], list[tuple[int, int]]]:
    """What is compared of laps that are named by their curves: entries by run (those of made laps by a number below
    0), and the entry and lap number of each.

    Raises
    ------
    NotFound
        for what a viewer may not see, and for laps that an analysis does not hold.
    Problem
        410 where an analysis was replaced and is gone.
    """
    named = [lap for one in asked for lap in (one.laps if isinstance(one, Recipe) else (one,))]
    ids = list(dict.fromkeys(analysis for analysis, _ in named))
    rows = {row.id: row for row in session.scalars(visible(Analysis, viewer).where(Analysis.id.in_(ids)))}
    if set(ids) - set(rows):
        raise NotFound("analysis")
    by_run = {row.run_id: row for row in rows.values()}
    if len(by_run) < len(rows) or len({row.layout_version_id for row in rows.values()}) > 1:
        raise Problem(422, "layouts", "These laps belong to different layouts, so they cannot be compared.")
    entries = load_entries(session, runs_of(session, viewer, list(by_run), whole=False), by_run, roles, curve_cache())
    for analysis, number in named:
        if number not in entries[rows[analysis].run_id].numbers:
            raise NotFound("lap")
    keys = []
    for one in asked:
        if isinstance(one, Recipe):
            keys.append(add_made(entries, one))
        else:
            keys.append((rows[one[0]].run_id, one[1]))
    return entries, keys


def add_made(entries: dict[int, Entry], recipe: Recipe) -> tuple[int, int]:
    """Lay a made lap among entries that hold all it is made of; its key."""
    there = next((key for key, entry in entries.items() if entry.made == recipe.text), None)
    if there is None:
        by_analysis = {entry.analysis.id: entry for entry in entries.values() if entry.made is None}
        own = by_analysis[recipe.laps[0][0]]
        roles = tuple(sorted(set().union(*(by_analysis[analysis].curves for analysis, _ in recipe.laps))))
        name = (recipe.text, roles, own.analysis.layout_version_id, own.analysis.sector_set_id)
        try:
            made = _made_laps.get(name, lambda: made_entry(recipe, by_analysis))
        except ValueError as error:
            raise NotFound("lap") from error
        there = min(0, *entries) - 1
        # What a person may change, the run's labels, is as it is now.
        entries[there] = replace(made, run=own.run, analysis=own.analysis)
    return there, NUMBER


def answer(
    session: Session,
    viewer: Viewer,
    laid: LineUp,
) -> schemas.DeskOut:
    """The line-up as the desk shows it: laps, layout and the names of curves, all of the same analyses."""
    entries, keys, reference = laid.entries, laid.keys, laid.reference
    against = entries[reference[0]]
    logged = _logged(session, viewer, entries)
    driven = [run for run in entries if run > 0]
    nameless = nameless_names(session, viewer.team_id, driven)
    event = _day_of(entries, keys)
    count = session.scalar(
        select(func.count()).select_from(visible(Run, viewer).where(Run.event_id == event.id).subquery())
    )
    fastest = _best_of_all(entries, keys)
    units = {name: unit for channels in nameless.values() for name, unit in channels}
    return schemas.DeskOut(
        event=show.event(event, count or 0),
        layout=show.layout(against.run.layout, against.layout),
        reference=_key(laid, reference),
        laps=[
            _lap(laid, key, [*logged[key[0]], *(NAMELESS + n for n, _ in nameless.get(key[0], ()))], key in fastest)
            for key in keys
        ],
        missing=list(laid.missing),
        nameless=[schemas.NamelessChannel(code=NAMELESS + name, label=name, unit=unit) for name, unit in units.items()],
        renewing=bool(being_renewed(session, viewer.team_id, driven)),
        version=_number(session, against.analysis.layout_version_id),
        present_version=_number(session, against.run.layout.current_id),
    )


def _key(laid: LineUp, key: tuple[int, int]) -> str:
    entry = laid.entries[key[0]]
    return laid.made[key].text if entry.made else key_of(entry.run, entry.lap(key[1]))


def _day_of(entries: Mapping[int, Entry], keys: Sequence[tuple[int, int]]) -> Event:
    """The day of most of the laps, the first one's where there are several."""
    days = [entries[run].run.event for run, _ in keys]
    return max(days, key=lambda day: sum(day.id == other.id for other in days))


def _number(session: Session, version_id: int | None) -> int:
    query = select(LayoutVersion.number).where(LayoutVersion.id == version_id)
    return session.scalar(query) or 0


def doubt(
    entries: Mapping[int, Entry], laps: Sequence[tuple[int, int]], reference: tuple[int, int], from_m: float
) -> schemas.DoubtOut:
    """What is unsure of the deltas of laps, at the places of their draws."""
    base = entries[reference[0]]
    other = base.trace(reference[1])
    assert other is not None
    places = _places(base.layout)
    found = []
    for run, number in laps:
        entry = entries[run]
        trace = entry.trace(number)
        assert trace is not None
        start = min(from_m, base.layout.length)
        delta = delta_uncertainty(trace, other, entry.same_run(base), places, start)
        alone = (run, number) == reference
        told = [0.0] * len(places) if alone else np.round(delta, 5).tolist()
        found.append(schemas.LapDoubt(lap=entry.name(number), delta_u_s=told))
    return schemas.DoubtOut(s_m=np.round(places, 3).tolist(), laps=found)


def held_up(session: Session, entries: Mapping[int, Entry], laps: Sequence[tuple[int, int]]) -> schemas.HeldUpOut:
    """Where laps were held up; a made one never was."""
    found = []
    for run, number in laps:
        entry = entries[run]
        driven = () if entry.made else curve_cache().analysed(session, entry).laps
        parts = next((lap.held_up for lap in driven if lap.number == number), ())
        found.append(schemas.HeldUpLap(lap=entry.name(number), parts=list(parts)))
    return schemas.HeldUpOut(laps=found)


def rate_doubt(entry: Entry, number: int, base: Entry, reference: LapTrace) -> NDArray[np.float64]:
    """Standard deviation of a lap's loss rate on the layout's grid, s/m."""
    trace = entry.trace(number)
    assert trace is not None
    places = _places(base.layout)
    rate = rate_uncertainty(trace, reference, entry.same_run(base), places)
    return np.interp(base.layout.grid(), places, rate)


def _places(layout: Layout) -> NDArray[np.float64]:
    """Where the draws of a lap's time are kept, from line to line."""
    places = draw_places(layout)
    return places[(places >= 0.0) & (places <= layout.length)]


def _best_of_all(entries: Mapping[int, Entry], keys: Sequence[tuple[int, int]]) -> set[tuple[int, int]]:
    """The fastest lap of the line-up that was driven, and those that are level with it."""
    driven = [key for key in keys if not entries[key[0]].made]
    if not driven:
        return set()
    times = {key: entries[key[0]].lap(key[1]).time_s or np.inf for key in driven}
    first = min(driven, key=lambda key: times[key])
    best = entries[first[0]].trace(first[1])
    assert best is not None
    end = np.array([entries[first[0]].layout.length])
    found = {first}
    for key in driven:
        trace = entries[key[0]].trace(key[1])
        assert trace is not None
        u = float(delta_uncertainty(trace, best, key[0] == first[0], end)[0])
        if key == first or level(times[key] - times[first], u):
            found.add(key)
    return found


def _lap(laid: LineUp, key: tuple[int, int], roles: list[str], best_of_all: bool) -> schemas.DeskLap:
    entry, number, base, reference = laid.entries[key[0]], key[1], laid.entries[laid.reference[0]], laid.reference
    trace, other, row = entry.trace(number), base.trace(reference[1]), entry.lap(number)
    assert trace is not None
    assert other is not None
    assert row.time_s is not None
    fastest = best_of(entry.laps)
    end = np.array([base.layout.length])
    unsure = 0.0 if key == reference else float(delta_uncertainty(trace, other, entry.same_run(base), end)[0])
    made = laid.made.get(key)
    of_one = len(entry.of_drivers) < 2
    return schemas.DeskLap(
        key=_key(laid, key),
        curves=entry.name(number),
        run=None if made else entry.run.id,
        number=None if made else number,
        made=None if made is None else _made(entry, made),
        driver=show.driver(entry.run.driver) if of_one and not (made and made.of_all and not made.of_desk) else None,
        car=entry.run.car.name if entry.run.car and not made else None,
        conditions=None if made else conditions_of(entry.run.conditions),
        time_s=row.time_s,
        time_u_s=row.time_u_s,
        set_aside=row.set_aside,
        sector_times_s=list(row.sector_times_s),
        delta_s=float(time_delta(trace, other)[-1]),
        delta_u_s=unsure,
        best_of_run=made is None and fastest is not None and fastest.number == number,
        best_of_all=best_of_all,
        roles=roles,
        differs=[] if made or base.made else _differences(entry.run, base.run),
    )


def _made(entry: Entry, address: MadeAddress) -> schemas.MadeOut:
    recipe = read_recipe(entry.made or "")
    assert recipe is not None
    return schemas.MadeOut(
        kind=recipe.kind,
        laps=len(set(recipe.laps)),
        day=entry.run.event.day if address.event is not None or address.run is not None else None,
    )


def _differences(own: Run, base: Run) -> list[schemas.Difference]:
    """In what else than the driving a run differs from the reference's, as far as both are known."""
    found = [(one.what, one.own, one.theirs) for one in differences(setting_of(own), setting_of(base))]
    if own.event.day != base.event.day:
        found.append(("day", own.event.day, base.event.day))
    return [schemas.Difference(what=what, own=mine, reference=theirs) for what, mine, theirs in found]  # type: ignore[arg-type]


def _logged(session: Session, viewer: Viewer, entries: dict[int, Entry]) -> dict[int, list[str]]:
    """Channels that can be drawn of each run, by run."""
    runs = {entry.analysis.id: run_id for run_id, entry in entries.items() if not entry.made}
    found: dict[int, list[str]] = {run_id: [] for run_id in entries}
    query = select(Curves.analysis_id, Curves.role).where(
        Curves.team_id == viewer.team_id, Curves.analysis_id.in_(list(runs))
    )
    for analysis, role in session.execute(query):
        if role in CHANNELS:
            found[runs[analysis]].append(role)
    for run_id, entry in entries.items():
        if not entry.made:
            scale, throttle = Scale(**entry.analysis.scale), "throttle" in found[run_id]
            found[run_id] += [role for role in DERIVED if has_derived(scale, throttle, role)]
    for run_id, entry in entries.items():
        recipe = read_recipe(entry.made or "")
        if recipe is not None:
            own = [set(found[runs[analysis]]) for analysis, _ in recipe.laps]
            found[run_id] = [role for role in (*CHANNELS, *DERIVED) if all(role in each for each in own)]
    return found
