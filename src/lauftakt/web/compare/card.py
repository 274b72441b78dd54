"""The card of a passage or stretch: what each lap loses there, why, and what its driver does over all laps."""

from collections.abc import Callable, Hashable, Mapping, Sequence
from dataclasses import dataclass, fields, replace
from typing import Literal

import numpy as np
from sqlalchemy.orm import Session

from lauftakt.core.circuit.layout import Layout
from lauftakt.core.circuit.passages import passage_range
from lauftakt.core.comparison.car import ShownCar, shown_car
from lauftakt.core.comparison.delta import Loss, place_uncertainty, stretch_loss
from lauftakt.core.debrief.alike import Difference, across, differences
from lauftakt.core.findings.causes import Explanation
from lauftakt.core.findings.habits import Asked, Habit, causes_of_laps, habit_between, without_cause
from lauftakt.core.findings.lap_words import against_of, made_name, median_of, of_lap, of_reference
from lauftakt.core.findings.names import Evidence
from lauftakt.core.findings.pairing import passage_places
from lauftakt.core.findings.words import Against, Said
from lauftakt.core.laps.conditions import conditions_of
from lauftakt.core.laps.times import time_at
from lauftakt.core.run import AnalysedRun
from lauftakt.core.technique.figures import Figures, figures
from lauftakt.core.technique.signals import Signals
from lauftakt.core.technique.windows import Window, stretch_window, windows
from lauftakt.store.asked import setting_of
from lauftakt.store.lineup import Entry
from lauftakt.store.made_laps import read_recipe
from lauftakt.web import schemas, show
from lauftakt.web.access import Problem, curve_cache
from lauftakt.web.keeping import Kept

SHORTEST_M = 5.0
# Analyses never change, and so does what a car showed in them.
_cars = Kept[ShownCar | None](200)
_told = Kept[Explanation](5000)
# Places that the card compares, with what the difference is unsure of.
_DOUBTED = ("brake_point_u_m", "full_throttle_u_m")
# Figures that the card shows as the core has them.
_SHOWN = tuple(
    item.name
    for item in fields(Figures)
    if item.name in schemas.FiguresOut.model_fields and item.name not in ("inferred",)
)


@dataclass(frozen=True)
class Part:
    """A passage or stretch: its ends on the circuit, and as metres from the start line of the lap it belongs to."""

    from_m: float
    to_m: float
    low: float
    high: float
    window: Window
    direction: str
    passage: str | None
    corner: int | None
    apexes: tuple[float, ...]
    corners: tuple[str, ...]


def part_of(layout: Layout, query: schemas.CardQuery, most: Callable[[float, float], float]) -> Part:
    """The part of the circuit that is asked for; ``most`` tells how much is lost between two places, s.

    Raises
    ------
    Problem
        404 for a passage that is none, 422 for a stretch that is none.
    """
    if query.passage is not None:
        return _passage(layout, query.passage, query.corner, most)
    if query.from_m is None or query.to_m is None:
        raise Problem(422, "invalid", "Name a passage, or both ends of a stretch.")
    from_m, to_m = (min(max(0.0, place), layout.length) for place in (query.from_m, query.to_m))
    if to_m - from_m < SHORTEST_M:
        raise Problem(422, "invalid", "A stretch must be at least 5 m long.")
    inside = [c for c in layout.corners if from_m <= c.apex_m <= to_m]
    direction = inside[0].direction if inside else "left"
    apexes = tuple(corner.apex_m for corner in inside)
    window = stretch_window(layout, from_m, to_m)
    corners: tuple[str, ...] = ()
    whole = [one for one in windows(layout) if from_m <= one.entry and one.exit <= to_m]
    if len(whole) > 1:
        # A brake point of "the stretch" would be that of any corner: figures are of one, and lie inside the stretch.
        corners = tuple(one.corner for one in whole)
        found = _corner_of(whole, query.corner, most)
        window = replace(found, low=max(found.low, from_m), high=min(found.high, to_m))
        direction = next(c.direction for c in inside if c.name == window.corner)
    return Part(from_m, to_m, from_m, to_m, window, direction, None, None, apexes, corners)


def _corner_of(inside: Sequence[Window], asked: str | None, most: Callable[[float, float], float]) -> Window:
    """The corner whose figures are shown: the one asked for, else that in which most is lost."""
    chosen = next((window for window in inside if window.corner == asked), None)
    return chosen or max(inside, key=lambda window: most(window.low, window.high))


def _passage(layout: Layout, name: str, corner: str | None, most: Callable[[float, float], float]) -> Part:
    index = next((i for i, p in enumerate(layout.passages) if p.name == name), None)
    if index is None:
        raise Problem(404, "not-found", f"The layout has no passage {name}.")
    passage = layout.passages[index]
    low, high = passage_range(layout, index)
    places = windows(layout)
    inside = [(i, window) for i, window in enumerate(places) if window.corner in passage.corners]
    apexes = tuple(passage_places(layout, index, places)[2])
    if not inside:
        window = stretch_window(layout, low, high)
        return Part(passage.from_m, passage.to_m, low, high, window, "left", name, None, apexes, ())
    window = _corner_of([window for _, window in inside], corner, most)
    which = next(i for i, one in inside if one is window)
    direction = next(c.direction for c in layout.corners if c.name == window.corner)
    return Part(
        passage.from_m, passage.to_m, low, high, window, direction, name, which, apexes, tuple(passage.corners)
    )  # fmt: skip


def answer(
    session: Session,
    entries: Mapping[int, Entry],
    keys: Sequence[tuple[int, int]],
    reference: tuple[int, int],
    query: schemas.CardQuery,
) -> schemas.CardOut:
    """The card of laps (run and number) against a reference lap."""
    known = {run: curve_cache().analysed(session, entry) for run, entry in entries.items()}
    part = part_of(entries[reference[0]].layout, query, most_lost(known, keys, reference))
    base = known[reference[0]].traces[reference[1]]
    length = entries[reference[0]].layout.length

    def _alike(run: int) -> bool:
        return entries[run].same_run(entries[reference[0]])

    # The reference's own laps beside it say whether it was unusually good here.
    habits = {
        run: found
        for run in dict.fromkeys([reference[0], *(run for run, _ in keys)])
        # A made lap is no habit of anybody.
        if not entries[run].made
        and (found := habit_between(known[run], base, _alike(run), part.low, part.high, length)) is not None
    }
    # What is usual in the wet is no measure of the dry.
    conditions = conditions_of(entries[reference[0]].run.conditions)
    alike = [habit for run, habit in habits.items() if conditions_of(entries[run].run.conditions) == conditions]
    return schemas.CardOut(
        from_m=part.from_m,
        to_m=part.to_m,
        passage=query.passage,
        corner=part.window.corner or None,
        corners=list(part.corners),
        figures=_all_figures(entries, known, keys, reference, part, habits),
        habits=[_habit(run, habit) for run, habit in habits.items()],
        median_loss_s=median_of(alike),
        of=sum(habit.of for habit in alike),
        of_conditions=conditions if len(alike) < len(habits) else None,
    )


def most_lost(
    known: Mapping[int, AnalysedRun], keys: Sequence[tuple[int, int]], reference: tuple[int, int]
) -> Callable[[float, float], float]:
    """How much all laps lose to the reference between two places, s."""
    base = known[reference[0]].traces[reference[1]]

    def lost(low: float, high: float) -> float:
        ends = np.array([low, high])
        usual = float(np.diff(time_at(base, ends))[0])
        times = [float(np.diff(time_at(known[run].traces[number], ends))[0]) for run, number in keys]
        return float(np.nansum(np.array(times) - usual)) if np.isfinite(usual) else 0.0

    return lost


def without(
    session: Session, entries: Mapping[int, Entry], key: tuple[int, int], reference: tuple[int, int],
    query: schemas.WithoutQuery,
) -> schemas.WithoutOut:  # fmt: skip
    """A lap as it would be between two places if one cause of its loss there were not.

    Raises
    ------
    Problem
        422 where the cause is none of this lap's there.
    """
    layout = entries[reference[0]].layout
    known = {run: curve_cache().analysed(session, entry) for run, entry in entries.items()}
    part = part_of(layout, query, most_lost(known, [key], reference))
    found = {each: in_window(entries[each[0]], known[each[0]], each[1], part) for each in (key, reference)}
    base = known[reference[0]].traces[reference[1]]
    loss = stretch_loss(
        known[key[0]].traces[key[1]], base, part.low, part.high, entries[key[0]].same_run(entries[reference[0]])
    )
    sides = _sides(entries, known, [key], reference, part, found, {key: loss})
    again = None
    if sides is not None and sides.own:
        again = without_cause(
            sides.car, sides.own[0][1], sides.theirs, part.low, part.high, part.apexes, part.direction, query.cause
        )
    if again is None:
        raise Problem(422, "no-cause", "This lap loses nothing by that here.")
    return schemas.WithoutOut(
        lap=entries[key[0]].name(key[1]),
        cause=query.cause,
        s_m=[float(place) for place in again.places % layout.length] if layout.centre.closed else list(again.places),
        speed=[float(speed) for speed in again.speed],
        won_s=again.won_s,
    )


def _all_figures(
    entries: Mapping[int, Entry],
    known: Mapping[int, AnalysedRun],
    keys: Sequence[tuple[int, int]],
    reference: tuple[int, int],
    part: Part,
    habits: Mapping[int, Habit],
) -> list[schemas.FiguresOut]:
    """Figures of every lap, with what explains those that lose beyond doubt."""
    base = known[reference[0]].traces[reference[1]]
    found = {key: in_window(entries[key[0]], known[key[0]], key[1], part) for key in {*keys, reference}}
    losses = {
        key: Loss(0.0, 0.0)
        if key == reference
        else stretch_loss(
            known[key[0]].traces[key[1]], base, part.low, part.high, entries[key[0]].same_run(entries[reference[0]])
        )
        for key in keys
    }
    told = _explained(entries, known, keys, reference, part, found, losses)
    answers = []
    for key in keys:
        own, why = found[key], told.get(key)
        doubts = {} if key == reference else _doubts(entries, known, key, reference, own, found[reference])
        answers.append(
            schemas.FiguresOut(
                lap=entries[key[0]].name(key[1]),
                loss_s=losses[key].loss_s,
                loss_u_s=losses[key].loss_u_s,
                whole=losses[key].whole,
                inferred=inferred_in(known[key[0]].signals),
                causes=[cause_out(one) for one in why.causes] if why is not None else [],
                brought_in_s=why.brought_in_s if why is not None else 0.0,
                unexplained_s=why.unexplained_s if why is not None else 0.0,
                says=show.said(_says(entries, key, reference, losses[key], why, habits, doubts)),
                **{name: doubts.get(name.replace("_u_m", "_m")) for name in _DOUBTED},
                **{name: None if own is None else getattr(own, name) for name in _SHOWN},
            )
        )
    return answers


def _doubts(
    entries: Mapping[int, Entry],
    known: Mapping[int, AnalysedRun],
    key: tuple[int, int],
    reference: tuple[int, int],
    own: Figures | None,
    theirs: Figures | None,
) -> dict[str, float]:
    """Standard deviations of how much further on something happens than in the reference lap, m, by the figure."""
    signals = known[key[0]].signals
    if own is None or theirs is None or signals is None:
        return {}
    row = entries[key[0]].numbers.index(key[1])
    names = [name.replace("_u_m", "_m") for name in _DOUBTED]
    places = np.array([getattr(own, name) for name in names], dtype=float)
    pace = np.interp(places, signals.places, signals.speed[row])
    traces = known[key[0]].traces[key[1]], known[reference[0]].traces[reference[1]]
    same_run = entries[key[0]].same_run(entries[reference[0]])
    found = place_uncertainty(*traces, same_run, places, pace)
    return {
        name: float(doubt)
        for name, doubt in zip(names, found, strict=True)
        if np.isfinite(doubt) and getattr(theirs, name) is not None
    }


def _explained(
    entries: Mapping[int, Entry],
    known: Mapping[int, AnalysedRun],
    keys: Sequence[tuple[int, int]],
    reference: tuple[int, int],
    part: Part,
    found: Mapping[tuple[int, int], Figures | None],
    losses: Mapping[tuple[int, int], Loss],
) -> dict[tuple[int, int], Explanation]:
    """Why laps lose here, where they do beyond doubt and were driven through."""
    sides = _sides(entries, known, keys, reference, part, found, losses)
    if sides is None:
        return {}
    name = (sides.named, part.low, part.high, part.window.corner, part.apexes, _named(entries, reference))

    def kept(key: tuple[int, int]) -> tuple[Hashable, ...]:
        return (*name, _named(entries, key))

    # Curves never change: what is new is explained with one drive for all, what was asked before is at hand.
    answers = {key: _told.find(kept(key)) for key, _ in sides.own}
    new = [(key, own) for key, own in sides.own if answers[key] is None]
    told = causes_of_laps(
        sides.car, [own for _, own in new], sides.theirs, part.low, part.high, part.apexes, part.direction
    )
    for (key, _), one in zip(new, told, strict=True):
        answers[key] = one
        _told.keep(kept(key), one)
    return {key: one for key, one in answers.items() if one is not None}


def _named(entries: Mapping[int, Entry], key: tuple[int, int]) -> tuple[str, int]:
    return entries[key[0]].identity, key[1]


@dataclass(frozen=True)
class _Sides:
    """What is driven again: laps that lose beyond doubt, the reference lap, and the car; ``named`` what it follows
    from."""

    car: ShownCar
    named: Hashable
    own: list[tuple[tuple[int, int], Asked]]
    theirs: tuple[Signals, int, Figures]


def _sides(
    entries: Mapping[int, Entry],
    known: Mapping[int, AnalysedRun],
    keys: Sequence[tuple[int, int]],
    reference: tuple[int, int],
    part: Part,
    found: Mapping[tuple[int, int], Figures | None],
    losses: Mapping[tuple[int, int], Loss],
) -> _Sides | None:
    theirs, base = found[reference], known[reference[0]].signals
    named, car = _car(entries, known, reference[0])
    if theirs is None or base is None or car is None or not _driven(entries, known, reference, part):
        return None

    def row(key: tuple[int, int]) -> int:
        return entries[key[0]].numbers.index(key[1])

    def car_of(key: tuple[int, int]) -> int | None:
        return entries[key[0]].run.car_id

    own = [
        (key, Asked(signals, row(key), figures_of, losses[key], car_of(key) == car_of(reference)))
        for key in dict.fromkeys(keys)
        if (figures_of := found[key]) is not None
        and (signals := known[key[0]].signals) is not None
        and losses[key].loss_s > 2 * losses[key].loss_u_s
        and _driven(entries, known, key, part)
    ]
    return _Sides(car, named, own, (base, row(reference), theirs))


def _says(
    entries: Mapping[int, Entry], key: tuple[int, int], reference: tuple[int, int], loss: Loss,
    why: Explanation | None, habits: Mapping[int, Habit], doubts: Mapping[str, float],
) -> Said:  # fmt: skip
    """The sentences about a lap, and whether it was the lap or the reference."""
    name, base = (_called(entries[run]) for run in (key[0], reference[0]))
    first = across(between(entries, key, reference))
    usual = () if entries[reference[0]].made else of_reference(base, reference[1], habits.get(reference[0]))
    if key == reference:
        return usual
    # A made lap's name begins with an article.
    name = name[:1].upper() + name[1:]
    return (
        *((first,) if first else ()),
        *of_lap(name, loss, why, _against(entries, key, reference), habits.get(key[0]), doubts),
        *usual,
    )


def between(entries: Mapping[int, Entry], key: tuple[int, int], reference: tuple[int, int]) -> tuple[Difference, ...]:
    """In what else than the driving a lap differs from the reference; nothing is known of made laps."""
    own, base = entries[key[0]], entries[reference[0]]
    if own.made or base.made:
        return ()
    return differences(setting_of(own.run), setting_of(base.run))


def _called(entry: Entry, by: frozenset[int] = frozenset()) -> str:
    """What sentences call whoever drove a lap, or a made one; ``by`` is the driver who is measured against it."""
    recipe = read_recipe(entry.made or "")
    if recipe is None:
        return entry.run.driver.name
    driver = entry.run.driver.name if len(entry.of_drivers) == 1 else None
    return made_name(recipe.kind, driver, own=entry.of_drivers == by)


def _against(entries: Mapping[int, Entry], key: tuple[int, int], reference: tuple[int, int]) -> Against:
    own, base = entries[key[0]], entries[reference[0]]
    if base.made:
        return Against.made_lap(_called(base, own.of_drivers or frozenset({own.run.driver_id})))
    return against_of(0 if own.made else own.run.driver_id, base.run.driver_id, base.run.driver.name, reference[1])


def _driven(entries: Mapping[int, Entry], known: Mapping[int, AnalysedRun], key: tuple[int, int], part: Part) -> bool:
    """Whether a lap was driven all the way through a part."""
    signals = known[key[0]].signals
    if signals is None or key[1] not in entries[key[0]].numbers:
        return False
    inside = (signals.places >= part.low - 1.0) & (signals.places <= part.high + 1.0)
    return bool(np.isfinite(signals.time[entries[key[0]].numbers.index(key[1])][inside]).all())


def _car(entries: Mapping[int, Entry], known: Mapping[int, AnalysedRun], run: int) -> tuple[Hashable, ShownCar | None]:
    """The car of a run, as it showed itself in all runs of the line-up that were driven with it, and what that follows
    from."""
    same = [
        one
        for one, entry in entries.items()
        if not entry.made and entry.run.car_id == entries[run].run.car_id and known[one].signals
    ]
    name = tuple(sorted((entries[one].analysis.id, len(entries[one].curves)) for one in same))
    return name, _cars.get(
        name, lambda: shown_car([signals for one in same if (signals := known[one].signals) is not None])
    )


def cause_out(one: Evidence) -> schemas.Cause:
    return schemas.Cause(
        cause=one.cause, figure=one.figure, own=one.own, theirs=one.theirs, cost_s=one.cost_s, cost_u_s=one.cost_u_s
    )


def inferred_in(signals: Signals | None) -> list[Literal["brake", "throttle"]]:
    """Which pedals of a run were not logged, so that what is said of them follows from accelerations."""
    if signals is None:
        return []
    braking: list[Literal["brake", "throttle"]] = ["brake"] if signals.brake_role is None else []
    return [*braking, "throttle"] if signals.throttle_inferred else braking


def in_window(entry: Entry, run: AnalysedRun, number: int, part: Part) -> Figures | None:
    assert run.signals is not None
    assert run.technique is not None
    if part.corner is not None:
        return run.technique.at(number, part.corner)
    return figures(run.signals, entry.numbers.index(number), part.window)


def _habit(run: int, habit: Habit) -> schemas.Habit:
    return schemas.Habit(
        run=run,
        losing=habit.losing,
        of=habit.of,
        best_lap=habit.best_lap,
        best_loss_s=habit.best_loss_s,
        median_loss_s=habit.median_loss_s,
    )
