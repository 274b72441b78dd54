"""Search over everything that a team has: one word or several, in names, notes and cues."""

import json
import unicodedata
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any, cast

from apiflask import APIBlueprint
from sqlalchemy import ColumnElement, and_, or_, select
from sqlalchemy import cast as as_type
from sqlalchemy.orm import Session, joinedload
from sqlalchemy.types import Text

from lauftakt.formats.spoken import Reader, from_rows
from lauftakt.store.asked import GivenCue, given_cues
from lauftakt.store.models import Car, Circuit, CueRow, Debrief, Driver, Event, LayoutRow, Note, Run
from lauftakt.web import show
from lauftakt.web.access import database, only
from lauftakt.web.notes import there
from lauftakt.web.policy import WHOLE_TEAM, Viewer, visible
from lauftakt.web.schemas import season as schemas

blueprint = APIBlueprint("search", __name__, tag="Search")

# Shown of each kind; further ones are counted.
SHOWN = 8
# More cues than this are not read to see whether a word stands in their sentence.
MOST_READ = 400
# Small and capital letters, with accents and without, are one for whoever looks for a word.
_AS_TYPED = "utf8mb4_unicode_ci"
_AS_TEXT = Reader("metric")


@blueprint.get("/find")
@only("see")
@blueprint.input(schemas.FindQuery, location="query")
@blueprint.output(schemas.FindOut)
def find(viewer: Viewer, query_data: schemas.FindQuery) -> schemas.FindOut:
    """Drivers, circuits, cars, days, notes, tyres and cues in which all words are found."""
    words = query_data.q.split()
    hits: list[schemas.Hit] = []
    more: dict[str, int] = {}
    with database().begin() as session:
        for kind, look in _KINDS.items():
            found = look(_Asked(session, viewer, words))
            hits += found[:SHOWN]
            if len(found) > SHOWN:
                more[kind] = len(found) - SHOWN
    return schemas.FindOut(hits=hits, more=more)


@dataclass(frozen=True)
class _Asked:
    """Words, and who looks for them."""

    session: Session
    viewer: Viewer
    words: Sequence[str]

    def held_by(self, *columns: Any) -> ColumnElement[bool]:
        """Whether every word stands in one of the columns."""
        return and_(*(or_(*(_says(column, word) for column in columns)) for word in self.words))


def _says(column: Any, word: str) -> ColumnElement[bool]:
    return cast("ColumnElement[bool]", column.collate(_AS_TYPED).contains(word, autoescape=True))


def _drivers(asked: _Asked) -> list[schemas.Hit]:
    query = visible(Driver, asked.viewer).where(asked.held_by(Driver.name)).order_by(Driver.name)
    return [_hit("driver", row.name, "", f"/debrief/progress?driver={row.id}") for row in asked.session.scalars(query)]


def _circuits(asked: _Asked) -> list[schemas.Hit]:
    query = visible(LayoutRow, asked.viewer).join(Circuit, Circuit.id == LayoutRow.circuit_id)
    query = query.where(asked.held_by(LayoutRow.name, Circuit.name)).order_by(LayoutRow.name)
    place = "/paddock?circuit=" if asked.viewer.kind == "driver" else "/circuit?layout="
    return [_hit("circuit", row.name, "", f"{place}{row.id}") for row in asked.session.scalars(query)]


def _cars(asked: _Asked) -> list[schemas.Hit]:
    query = visible(Car, asked.viewer).where(asked.held_by(Car.name)).order_by(Car.name)
    return [_hit("car", row.name, "", f"/paddock?car={row.id}") for row in asked.session.scalars(query)]


def _days(asked: _Asked) -> list[schemas.Hit]:
    query = visible(Event, asked.viewer).join(LayoutRow, LayoutRow.id == Event.layout_id)
    query = query.where(asked.held_by(Event.name, Event.day, LayoutRow.name)).order_by(Event.day.desc(), Event.id)
    rows = asked.session.scalars(query.options(joinedload(Event.layout)))
    return [_hit("day", row.name, row.layout.name, f"/paddock?event={row.id}", day=row.day) for row in rows]


def _tyres(asked: _Asked) -> list[schemas.Hit]:
    query = (
        visible(Run, asked.viewer)
        .join(Event, Event.id == Run.event_id)
        .where(Run.tyres.is_not(None), asked.held_by(Run.tyres))
        .with_only_columns(Run.tyres, Event.id, Event.name, Event.day)
        .distinct()
        .order_by(Event.day.desc(), Event.id)
    )
    last: dict[str, schemas.Hit] = {}
    for tyres, event, name, day in asked.session.execute(query):
        last.setdefault(tyres or "", _hit("tyres", tyres or "", name, f"/paddock?event={event}", day=day))
    return list(last.values())


def _notes(asked: _Asked) -> list[schemas.Hit]:
    def named(model: Any, column: Any, word: str) -> Any:
        return column.in_(select(model.id).where(model.team_id == Note.team_id, _says(model.name, word)))

    held = and_(
        *(
            or_(
                _says(Note.text, word), _says(Note.author, word), _says(Note.tyres, word),
                named(Driver, Note.driver_id, word), named(Car, Note.car_id, word),
                named(Circuit, Note.circuit_id, word),
            )
            for word in asked.words
        )
    )  # fmt: skip
    query = there(asked.viewer).where(held).order_by(Note.written_at.desc(), Note.id.desc())
    rows = list(asked.session.scalars(query))
    runs = {
        run.id: run
        for run in asked.session.scalars(
            visible(Run, asked.viewer)
            .where(Run.id.in_({row.run_id for row in rows if row.run_id}))
            .options(joinedload(Run.driver), joinedload(Run.event))
        )
    }
    return [_note(asked, row, runs.get(row.run_id or 0)) for row in rows]


def _note(asked: _Asked, row: Note, run: Run | None) -> schemas.Hit:
    names = [row.author]
    address = "/paddock"
    if run is not None:
        names += [run.driver.name, run.event.name]
        address = f"/compare?run={run.id}"
    elif row.driver_id is not None:
        address = f"/debrief/progress?driver={row.driver_id}"
    elif row.circuit_id is not None:
        layout = asked.session.scalar(
            visible(LayoutRow, asked.viewer).where(LayoutRow.circuit_id == row.circuit_id).limit(1)
        )
        if layout is not None:
            names.append(layout.name)
            address = (
                f"/circuit?layout={layout.id}" if asked.viewer.kind != "driver" else f"/paddock?circuit={layout.id}"
            )
    elif row.car_id is not None:
        address = f"/paddock?car={row.car_id}"
    elif row.tyres:
        names.append(row.tyres)
    return _hit("note", row.text, ", ".join(names), address, day=show.moment(row.written_at)[:10])


def _cues(asked: _Asked) -> list[schemas.Hit]:
    """Cues and keeps by their words: the coach's own, or the sentence that was made."""
    if asked.viewer.kind not in WHOLE_TEAM:
        return _own_cues(asked)
    sentence = as_type(CueRow.sentence, Text)
    query = visible(CueRow, asked.viewer).join(Driver, Driver.id == CueRow.driver_id)
    held = and_(
        *(
            or_(
                _says(CueRow.text, word), _says(sentence, word), _says(sentence, json.dumps(word)[1:-1]),
                _says(CueRow.corner, word), _says(CueRow.passage, word), _says(Driver.name, word),
            )
            for word in asked.words
        )
    )  # fmt: skip
    query = query.where(held).order_by(CueRow.made_at.desc(), CueRow.id.desc()).limit(MOST_READ)
    parts = joinedload(CueRow.debrief).joinedload(Debrief.run).joinedload(Run.event)
    parts_of = joinedload(CueRow.debrief).joinedload(Debrief.driver)
    return [
        hit
        for row in asked.session.scalars(query.options(parts, parts_of))
        if (hit := _cue(asked, row.debrief, row.id, row)) is not None
    ]


def _own_cues(asked: _Asked) -> list[schemas.Hit]:
    """The same for whoever drives: cues as they were given, whatever was done with them since."""
    parts = joinedload(Debrief.driver), joinedload(Debrief.run).joinedload(Run.event)
    rows = asked.session.scalars(visible(Debrief, asked.viewer).options(*parts).order_by(Debrief.given_at.desc()))
    return [hit for row in rows for cue in given_cues(row) if (hit := _cue(asked, row, cue.id, cue)) is not None]


def _cue(asked: _Asked, debrief: Debrief, number: int, cue: CueRow | GivenCue) -> schemas.Hit | None:
    """A cue in whose words all that is looked for stands. What only its way of being kept holds does not count."""
    said = from_rows(list(cue.sentence))
    whole = f"{cue.text or _AS_TEXT.text(said)} {cue.corner or ''} {cue.passage} {debrief.driver.name}"
    if not all(_plain(word) in _plain(whole) for word in asked.words):
        return None
    return schemas.Hit(
        kind="cue",
        title=cue.text or "",
        says=[] if cue.text else show.said(said),
        about=debrief.driver.name,
        day=debrief.run.event.day if debrief.run is not None else None,
        address=f"/debrief/progress?driver={debrief.driver_id}&cue={number}",
    )


def _plain(text: str) -> str:
    """Text without accents and capitals, as the database compares it."""
    return "".join(c for c in unicodedata.normalize("NFD", text.casefold()) if not unicodedata.combining(c))


def _hit(kind: str, title: str, about: str, address: str, *, day: str | None = None) -> schemas.Hit:
    return schemas.Hit(kind=kind, title=title, says=[], about=about, day=day, address=address)  # type: ignore[arg-type]


_KINDS: dict[str, Callable[[_Asked], list[schemas.Hit]]] = {
    "driver": _drivers,
    "circuit": _circuits,
    "car": _cars,
    "tyres": _tyres,
    "day": _days,
    "cue": _cues,
    "note": _notes,
}
