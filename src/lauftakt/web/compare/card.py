"""The card of a passage or stretch: what each lap loses there, why, and what its driver does over all laps."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, fields

from sqlalchemy.orm import Session

from lauftakt.core.circuit.layout import Layout
from lauftakt.core.circuit.passages import passage_range
from lauftakt.core.comparison.delta import Loss, stretch_loss
from lauftakt.core.findings.habits import causes_between, habit_between
from lauftakt.core.run import AnalysedRun
from lauftakt.core.technique.figures import Figures, figures
from lauftakt.core.technique.windows import Window, stretch_window, windows
from lauftakt.store.comparisons import comparison_of, findings_in
from lauftakt.store.lineup import Entry
from lauftakt.store.models import Comparison, FindingRow
from lauftakt.web import schemas
from lauftakt.web.access import Problem, curve_cache, database

SHORTEST_M = 5.0
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
    return Part(from_m, to_m, from_m, to_m, stretch_window(layout, from_m, to_m), direction, None, None)


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
    return Part(passage.from_m, passage.to_m, low, high, window, direction, name, corner)


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
        figures=[_figures(entries, known, key, reference, part) for key in keys],
        habits=[habit for habit in habits if habit is not None],
    )


def _figures(
    entries: Mapping[int, Entry],
    known: Mapping[int, AnalysedRun],
    key: tuple[int, int],
    reference: tuple[int, int],
    part: Part,
) -> schemas.FiguresOut:
    own, base = (known[run].traces[number] for run, number in (key, reference))
    found, other = (_in_window(entries[run], known[run], number, part) for run, number in (key, reference))
    same = key == reference
    loss = Loss(0.0, 0.0) if same else stretch_loss(own, base, part.low, part.high, key[0] == reference[0])
    causes = []
    if not same and found is not None and other is not None and loss.loss_s > 2 * loss.loss_u_s:
        causes = causes_between((own, found), (base, other), part.window, part.direction)
    told = {name: None if found is None else getattr(found, name) for name in _SHOWN}
    return schemas.FiguresOut(
        lap=f"{entries[key[0]].analysis.id}.{key[1]}",
        loss_s=loss.loss_s,
        loss_u_s=loss.loss_u_s,
        whole=loss.whole,
        inferred=found is not None and found.inferred,
        causes=[schemas.Cause(cause=e.cause, figure=e.figure, own=e.own, theirs=e.theirs) for e in causes],
        **told,
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
    )
