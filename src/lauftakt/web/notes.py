"""Notes: pinned to a place, a lap, a run, a car, a circuit, a driver or a set of tyres; found again by their words."""

from collections.abc import Sequence
from typing import Any, cast

from apiflask import APIBlueprint
from sqlalchemy import ColumnElement, func, or_, select
from sqlalchemy.orm import Session, joinedload

from lauftakt.core.circuit.ground import on_ground, place_of
from lauftakt.core.circuit.layout import Layout
from lauftakt.store.actions import note_action
from lauftakt.store.counting import laps_of
from lauftakt.store.database import INCLUDE_REMOVED, NotFound, mine_by_id, now
from lauftakt.store.layouts import load_layout
from lauftakt.store.models import Account, Car, Circuit, Driver, LayoutRow, LayoutVersion, Note, Run
from lauftakt.web import schemas, show
from lauftakt.web.access import Problem, curve_cache, database, only
from lauftakt.web.compare.addresses import lap_address
from lauftakt.web.meanwhile import refuse_unseen
from lauftakt.web.policy import LEADING, Viewer, one, visible

blueprint = APIBlueprint("notes", __name__, tag="Notes")

TOLD = 300
MOST = 20_000
_PINNED_BY_LAP = ("lap", "run", "car", "driver", "tyres")


@blueprint.get("/notes")
@only("see")
@blueprint.input(schemas.NotesQuery, location="query")
@blueprint.output(schemas.NotesOut)
def list_notes(viewer: Viewer, query_data: schemas.NotesQuery) -> schemas.NotesOut:
    """Notes, the newest first: those that concern a layout and runs, or all."""
    with database().begin() as session:
        query = there(viewer)
        layout_row = None if query_data.layout is None else one(session, LayoutRow, viewer, query_data.layout)
        run_ids = [int(part) for part in query_data.runs.split(",") if part]
        runs = session.scalars(visible(Run, viewer).where(Run.id.in_(run_ids))).all() if run_ids else []
        if layout_row is not None or runs:
            query = query.where(_concerns(layout_row, runs))
        for word in query_data.find.split():
            query = query.where(_holds(word))
        rows = session.scalars(query.order_by(Note.id.desc()).limit(TOLD + 1)).all()
        layout = None if layout_row is None else _layout(session, viewer, layout_row, query_data.version)
        told = _Told(session, viewer, layout_row, layout, rows[:TOLD])
        return schemas.NotesOut(notes=[told.out(row) for row in rows[:TOLD]], more=len(rows) > TOLD)


@blueprint.post("/notes")
@only("note")
@blueprint.input(schemas.NoteIn)
@blueprint.output(schemas.NoteOut, status_code=201)
def write(viewer: Viewer, json_data: schemas.NoteIn) -> schemas.NoteOut:
    """Pin a note to something."""
    with database().begin() as session:
        count = session.scalar(select(func.count()).select_from(Note).where(Note.team_id == viewer.team_id)) or 0
        if count >= MOST:
            raise Problem(409, "too-many", f"A team can keep {MOST} notes; remove some that nobody needs any more.")
        account = mine_by_id(session, Account, viewer.team_id, viewer.account_id or 0)
        row = Note(
            team_id=viewer.team_id,
            pin=json_data.pin,
            text=json_data.text,
            shared=json_data.shared,
            author=account.name,
            account_id=account.id,
            written_at=now(),
        )
        layout_row = None if json_data.layout is None else one(session, LayoutRow, viewer, json_data.layout)
        layout = None if layout_row is None else _layout(session, viewer, layout_row, json_data.version)
        _pin_to_lap(session, viewer, row, json_data)
        _pin_to_ground(row, json_data, layout_row, layout)
        session.add(row)
        session.flush()
        _log(session, viewer, row, "wrote a note", "removed", True)
        return _Told(session, viewer, layout_row, layout, [row]).out(row)


@blueprint.patch("/notes/<int:note_id>")
@only("note")
@blueprint.input(schemas.NoteChange)
@blueprint.output(schemas.NoteOut)
def change(viewer: Viewer, note_id: int, json_data: schemas.NoteChange) -> schemas.NoteOut:
    """Change one's own note, share it with drivers or not, remove it or bring it back. A coach may do so with all."""
    with database().begin() as session:
        query = visible(Note, viewer).where(Note.id == note_id).with_for_update()
        row = session.scalar(query, execution_options=INCLUDE_REMOVED)
        if row is None:
            raise NotFound(f"Note {note_id}")
        if not _may_change(viewer, row):
            raise Problem(403, "not-allowed", f"Only {row.author} or a coach can change this note.")
        if json_data.removed is not None and json_data.removed != (row.removed_at is not None):
            row.removed_at = now() if json_data.removed else None
            _log(session, viewer, row, "removed a note" if json_data.removed else "brought a note back", "removed",
                 not json_data.removed)  # fmt: skip
        if json_data.text is not None and json_data.text != row.text:
            seen = None if json_data.was is None else {"text": json_data.was}
            refuse_unseen(session, viewer, ("note", row.id), seen, {"text": row.text})
            before, row.text, row.changed_at = row.text, json_data.text, now()
            _log(session, viewer, row, "changed a note", "text", before)
        if json_data.shared is not None:
            row.shared = json_data.shared
        session.flush()
        return _Told(session, viewer, None, None, [row]).out(row)


def undo_note(session: Session, viewer: Viewer, step: dict[str, Any]) -> list[int]:
    """Take back what was done with a note."""
    query = visible(Note, viewer).where(Note.id == step["note"]).with_for_update()
    row = session.scalar(query, execution_options=INCLUDE_REMOVED)
    if row is None:
        raise NotFound("note")
    if "removed" in step["set"]:
        row.removed_at = now() if step["set"]["removed"] else None
    if "text" in step["set"]:
        row.text, row.changed_at = step["set"]["text"], now()
    return []


def _may_change(viewer: Viewer, row: Note) -> bool:
    return viewer.kind in LEADING or (row.account_id is not None and row.account_id == viewer.account_id)


def _log(session: Session, viewer: Viewer, row: Note, what: str, name: str, before: object) -> None:
    note_action(
        session,
        viewer.team_id,
        account_id=viewer.account_id,
        kind="note",
        subject=("note", row.id),
        summary=f"Somebody {what}.",
        inverse=[{"do": "note", "note": row.id, "set": {name: before}}],
    )


def there(viewer: Viewer) -> Any:
    """Notes that a viewer may see, without those of runs that were removed."""
    runs = visible(Run, viewer).with_only_columns(Run.id)
    return visible(Note, viewer).where(or_(Note.run_id.is_(None), Note.run_id.in_(runs)))


def _concerns(layout: LayoutRow | None, runs: Sequence[Run]) -> ColumnElement[bool]:
    """Notes of the circuit and its places, and of runs with their cars, drivers and tyres; a place of one lap belongs
    to its run."""
    found: list[ColumnElement[bool]] = []
    if layout is not None:
        found.append((Note.circuit_id == layout.circuit_id) & Note.run_id.is_(None))
    found.append(Note.run_id.in_([run.id for run in runs]))
    found.append(Note.car_id.in_([run.car_id for run in runs if run.car_id]))
    found.append(Note.driver_id.in_([run.driver_id for run in runs]))
    found.append(Note.tyres.in_([run.tyres for run in runs if run.tyres]))
    return or_(*found)


# Small and capital letters, with accents and without, are one for whoever looks for a word.
_AS_TYPED = "utf8mb4_unicode_ci"


def _holds(word: str) -> ColumnElement[bool]:
    """Whether a note holds a word: in its text, its author, or the name of what it is pinned to."""

    def says(column: Any) -> ColumnElement[bool]:
        return cast("ColumnElement[bool]", column.collate(_AS_TYPED).contains(word, autoescape=True))

    def named(model: Any) -> Any:
        return select(model.id).where(model.team_id == Note.team_id, says(model.name))

    return or_(
        says(Note.text),
        says(Note.author),
        says(Note.tyres),
        Note.driver_id.in_(named(Driver)),
        Note.car_id.in_(named(Car)),
        Note.circuit_id.in_(named(Circuit)),
        Note.run_id.in_(select(Run.id).where(Run.team_id == Note.team_id, Run.driver_id.in_(named(Driver)))),
    )


def _layout(session: Session, viewer: Viewer, row: LayoutRow, number: int | None) -> Layout:
    query = visible(LayoutVersion, viewer).where(LayoutVersion.layout_id == row.id)
    if number is not None:
        query = query.where(LayoutVersion.number == number)
    version = session.scalar(query.order_by(LayoutVersion.number.desc()).limit(1))
    if version is None:
        raise NotFound("layout version")
    return load_layout(session, version.id, None, curve_cache().layouts)


def _pin_to_lap(session: Session, viewer: Viewer, row: Note, asked: schemas.NoteIn) -> None:
    if asked.lap is None:
        if asked.pin in _PINNED_BY_LAP:
            raise Problem(422, "invalid", "Name the lap that this note is about, or whose run, car, driver or tyres.")
        return
    address = lap_address(asked.lap)
    run = one(session, Run, viewer, address.run)
    if asked.pin in ("place", "lap"):
        laps = laps_of(session, run.analysis_id)
        number = address.find(laps, timed_only=False)
        if number is None:
            raise NotFound("lap")
        row.run_id = run.id
        row.moment_s = next(lap.start_s for lap in laps if lap.number == number)
    elif asked.pin == "run":
        row.run_id = run.id
    elif asked.pin == "driver":
        row.driver_id = run.driver_id
    elif asked.pin == "car":
        if run.car_id is None:
            raise Problem(422, "no-car", "Nobody said in which car this was driven. Say so under Laps first.")
        row.car_id = run.car_id
    elif asked.pin == "tyres":
        if not run.tyres:
            raise Problem(422, "no-tyres", "Nobody said on which tyres this was driven. Say so under Laps first.")
        row.tyres = run.tyres


def _pin_to_ground(row: Note, asked: schemas.NoteIn, layout_row: LayoutRow | None, layout: Layout | None) -> None:
    if asked.pin not in ("place", "circuit"):
        return
    if layout_row is None or layout is None:
        raise Problem(422, "invalid", "Name the circuit's layout that this note is about.")
    row.circuit_id = layout_row.circuit_id
    if asked.pin == "place":
        if asked.at_m is None or asked.at_m > layout.length:
            raise Problem(422, "invalid", f"A place lies between 0 and {layout.length:.0f} m from the start line.")
        row.latitude, row.longitude = on_ground(layout, asked.at_m)


class _Told:
    """Notes as they are answered, with everything that they name read at once."""

    def __init__(
        self,
        session: Session,
        viewer: Viewer,
        layout_row: LayoutRow | None,
        layout: Layout | None,
        rows: Sequence[Note],
    ) -> None:
        self._viewer, self._layout_row, self._layout = viewer, layout_row, layout
        query = visible(Run, viewer).where(Run.id.in_({row.run_id for row in rows if row.run_id}))
        self._runs = {run.id: run for run in session.scalars(query.options(joinedload(Run.driver)))}
        self._laps = {
            run.id: laps_of(session, run.analysis_id)
            for run in self._runs.values()
            if run.analysis_id and any(row.run_id == run.id and row.moment_s is not None for row in rows)
        }

        def names(model: Any, ids: set[int | None]) -> dict[int, str]:
            found = visible(model, viewer).where(model.id.in_({one_id for one_id in ids if one_id}))
            return {each.id: each.name for each in session.scalars(found)}

        self._drivers = names(Driver, {row.driver_id for row in rows})
        self._cars = names(Car, {row.car_id for row in rows})
        self._circuits = names(Circuit, {row.circuit_id for row in rows})

    def out(self, row: Note) -> schemas.NoteOut:
        at_m = None
        own_circuit = self._layout_row is not None and row.circuit_id == self._layout_row.circuit_id
        if self._layout is not None and own_circuit and row.latitude is not None and row.longitude is not None:
            at_m = place_of(self._layout, row.latitude, row.longitude)
        return schemas.NoteOut(
            id=row.id,
            pin=cast(schemas.Pin, row.pin),
            text=row.text,
            shared=row.shared,
            author=row.author,
            written_at=show.moment(row.written_at),
            changed_at=None if row.changed_at is None else show.moment(row.changed_at),
            about=self._about(row),
            circuit=self._circuits.get(row.circuit_id or 0),
            layout=None if self._layout_row is None else self._layout_row.id,
            at_m=at_m,
            run=row.run_id,
            lap=None if row.run_id is None or row.moment_s is None else f"{row.run_id}-{int(row.moment_s)}",
            yours=_may_change(self._viewer, row) and self._viewer.kind != "driver",
        )

    def _about(self, row: Note) -> str:
        run = self._runs.get(row.run_id or 0)
        if run is not None and row.moment_s is not None:
            address = lap_address(f"{run.id}-{int(row.moment_s)}")
            number = address.find(self._laps.get(run.id, ()), timed_only=False)
            return run.driver.name if number is None else f"{run.driver.name}, lap {number}"
        if run is not None:
            return run.driver.name
        return (
            self._drivers.get(row.driver_id or 0)
            or self._cars.get(row.car_id or 0)
            or row.tyres
            or (self._circuits.get(row.circuit_id or 0, "") if row.pin == "circuit" else "")
        )
