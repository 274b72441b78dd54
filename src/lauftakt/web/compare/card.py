"""The card of a passage or stretch: what each lap loses there, why, and what its driver does over all laps."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, fields

import numpy as np
from sqlalchemy.orm import Session

from lauftakt.core.circuit.layout import Layout
from lauftakt.core.circuit.passages import passage_range
from lauftakt.core.comparison.car import ShownCar, shown_car
from lauftakt.core.comparison.delta import Loss, stretch_loss
from lauftakt.core.findings.causes import Evidence, Explanation
from lauftakt.core.findings.habits import causes_of_laps, habit_between
from lauftakt.core.findings.pairing import passage_places
from lauftakt.core.run import AnalysedRun
from lauftakt.core.technique.figures import Figures, figures
from lauftakt.core.technique.windows import Window, stretch_window, windows
from lauftakt.store.comparisons import comparison_of, findings_in
from lauftakt.store.lineup import Entry
from lauftakt.store.models import Comparison, FindingRow
from lauftakt.web import schemas
from lauftakt.web.access import Problem, curve_cache, database
from lauftakt.web.keeping import Kept

SHORTEST_M = 5.0
# Analyses never change, and so does what a car showed in them.
_cars = Kept[ShownCar | None](200)
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


def part_of(layout: Layout, query: schemas.CardQuery) -> Part:
    """The part of the circuit that is asked for.

    Raises
    ------
    Problem
        404 for a passage that is none, 422 for a stretch that is none.
    """
    if query.passage is not None:
        return _passage(layout, query.passage)
    if query.from_m is None or query.to_m is None:
        raise Problem(422, "invalid", "Name a passage, or both ends of a stretch.")
    from_m, to_m = (min(max(0.0, place), layout.length) for place in (query.from_m, query.to_m))
    if to_m - from_m < SHORTEST_M:
        raise Problem(422, "invalid", "A stretch must be at least 5 m long.")
    inside = [c for c in layout.corners if from_m <= c.apex_m <= to_m]
    direction = inside[0].direction if inside else "left"
    apexes = tuple(corner.apex_m for corner in inside)
    return Part(from_m, to_m, from_m, to_m, stretch_window(layout, from_m, to_m), direction, None, None, apexes)


def _passage(layout: Layout, name: str) -> Part:
    index = next((i for i, p in enumerate(layout.passages) if p.name == name), None)
    if index is None:
        raise Problem(404, "not-found", f"The layout has no passage {name}.")
    passage = layout.passages[index]
    low, high = passage_range(layout, index)
    places = windows(layout)
    corners = [(i, window) for i, window in enumerate(places) if window.corner in passage.corners]
    direction = next((c.direction for c in layout.corners if c.name in passage.corners), "left")
    # Of several corners in a passage the slowest decides most; figures of each are told with the findings.
    window = corners[0][1] if len(corners) == 1 else stretch_window(layout, low, high)
    corner = corners[0][0] if len(corners) == 1 else None
    apexes = tuple(passage_places(layout, index, places)[2])
    return Part(passage.from_m, passage.to_m, low, high, window, direction, name, corner, apexes)


def answer(
    session: Session,
    entries: Mapping[int, Entry],
    keys: Sequence[tuple[int, int]],
    reference: tuple[int, int],
    query: schemas.CardQuery,
) -> schemas.CardOut:
    """The card of laps (run and number) against a reference lap."""
    part = part_of(entries[reference[0]].layout, query)
    known = {run: curve_cache().analysed(session, entry) for run, entry in entries.items()}
    compared = (
        comparison_of(database(), session, entries, known, reference, curve_cache())
        if part.passage is not None
        else None
    )
    habits = [
        _habit(entries[run], known, compared, reference, part)
        for run in dict.fromkeys(run for run, _ in keys)
        if run != reference[0]
    ]
    return schemas.CardOut(
        from_m=part.from_m,
        to_m=part.to_m,
        passage=query.passage,
        figures=_all_figures(entries, known, keys, reference, part),
        habits=[habit for habit in habits if habit is not None],
    )


def _all_figures(
    entries: Mapping[int, Entry],
    known: Mapping[int, AnalysedRun],
    keys: Sequence[tuple[int, int]],
    reference: tuple[int, int],
    part: Part,
) -> list[schemas.FiguresOut]:
    """Figures of every lap, with what explains those that lose beyond doubt."""
    base = known[reference[0]].traces[reference[1]]
    found = {key: _in_window(entries[key[0]], known[key[0]], key[1], part) for key in {*keys, reference}}
    losses = {
        key: Loss(0.0, 0.0)
        if key == reference
        else stretch_loss(known[key[0]].traces[key[1]], base, part.low, part.high, key[0] == reference[0])
        for key in keys
    }
    told = _explained(entries, known, keys, reference, part, found, losses)
    answers = []
    for key in keys:
        own, why = found[key], told.get(key)
        answers.append(
            schemas.FiguresOut(
                lap=f"{entries[key[0]].analysis.id}.{key[1]}",
                loss_s=losses[key].loss_s,
                loss_u_s=losses[key].loss_u_s,
                whole=losses[key].whole,
                inferred=own is not None and own.inferred,
                causes=[_cause(one) for one in why.causes] if why is not None else [],
                brought_in_s=why.brought_in_s if why is not None else 0.0,
                unexplained_s=why.unexplained_s if why is not None else 0.0,
                **{name: None if own is None else getattr(own, name) for name in _SHOWN},
            )
        )
    return answers


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
    theirs = found[reference]
    car = _car(entries, known, reference[0])
    if theirs is None or car is None or not _driven(entries, known, reference, part):
        return {}
    asked = [
        (key, own)
        for key in dict.fromkeys(keys)
        if (own := found[key]) is not None
        and losses[key].loss_s > 2 * losses[key].loss_u_s
        and _driven(entries, known, key, part)
    ]

    def row(key: tuple[int, int]) -> int:
        return entries[key[0]].numbers.index(key[1])

    signals = {run: one.signals for run, one in known.items()}
    base = signals[reference[0]]
    assert base is not None
    told = causes_of_laps(
        car,
        [
            (own_signals, row(key), own, losses[key])
            for key, own in asked
            if (own_signals := signals[key[0]]) is not None
        ],
        (base, row(reference), theirs),
        part.low,
        part.high,
        part.apexes,
        part.direction,
    )
    return dict(zip([key for key, _ in asked], told, strict=True))


def _driven(entries: Mapping[int, Entry], known: Mapping[int, AnalysedRun], key: tuple[int, int], part: Part) -> bool:
    """Whether a lap was driven all the way through a part."""
    signals = known[key[0]].signals
    if signals is None or key[1] not in entries[key[0]].numbers:
        return False
    inside = (signals.places >= part.low - 1.0) & (signals.places <= part.high + 1.0)
    return bool(np.isfinite(signals.time[entries[key[0]].numbers.index(key[1])][inside]).all())


def _car(entries: Mapping[int, Entry], known: Mapping[int, AnalysedRun], run: int) -> ShownCar | None:
    """The car of a run, as it showed itself in all runs of the line-up that were driven with it."""
    same = [one for one in entries if entries[one].run.car_id == entries[run].run.car_id and known[one].signals]
    name = tuple(sorted((entries[one].analysis.id, len(entries[one].curves)) for one in same))
    return _cars.get(name, lambda: shown_car([signals for one in same if (signals := known[one].signals) is not None]))


def _cause(one: Evidence) -> schemas.Cause:
    return schemas.Cause(
        cause=one.cause, figure=one.figure, own=one.own, theirs=one.theirs, cost_s=one.cost_s, cost_u_s=one.cost_u_s
    )


def _in_window(entry: Entry, run: AnalysedRun, number: int, part: Part) -> Figures | None:
    assert run.signals is not None
    assert run.technique is not None
    if part.corner is not None:
        return run.technique.at(number, part.corner)
    return figures(run.signals, entry.numbers.index(number), part.window)


def _habit(
    entry: Entry, known: Mapping[int, AnalysedRun], compared: Comparison | None, reference: tuple[int, int], part: Part
) -> schemas.Habit | None:
    """How the driver of a run does in this part over all laps that count."""
    base = known[reference[0]].traces[reference[1]]
    found = habit_between(known[entry.run.id], base, False, part.low, part.high, entry.layout.length)
    if found is None:
        return None
    finding = None
    if compared is not None and part.passage is not None:
        finding = findings_in(compared, entry.run.id, part.passage)
    return schemas.Habit(
        run=entry.run.id,
        losing=found.losing,
        of=found.of,
        best_lap=found.best_lap,
        best_loss_s=found.best_loss_s,
        median_loss_s=found.median_loss_s,
        finding=None if finding is None else _finding(finding),
    )


def _finding(row: FindingRow) -> schemas.FindingOut:
    return schemas.FindingOut(
        loss_s=row.loss_s,
        loss_u_s=row.loss_u_s,
        cause=row.cause or "unclear",
        second_cause=row.second_cause,
        seen_in=row.seen_in,
        of=row.clean,
        parts=row.parts,
        causes=[_cause(Evidence(**one)) for one in row.evidence],
        brought_in_s=row.brought_in_s or 0.0,
        unexplained_s=row.unexplained_s or 0.0,
        carried_s=row.carried_s,
    )
