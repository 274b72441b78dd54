"""What people said, out of a team's archive and into one: debriefs with their cues, what drivers said, and notes."""

from collections.abc import Mapping, Sequence
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from lauftakt.store.database import INCLUDE_REMOVED, mine, mine_by_id
from lauftakt.store.lap_names import OWN_BESTS, key_at, lap_of
from lauftakt.store.models import Car, Circuit, CueRow, Debrief, Driver, Event, Note, Run, Voice
from lauftakt.store.runs import named
from lauftakt.work.teams.contents import CueFile, DayFile, DebriefFile, NoteFile, VoiceFile

CUE = tuple(name for name in CueFile.model_fields if name != "id")
DEBRIEF = tuple(name for name in DebriefFile.model_fields if name not in ("cues", "losses"))
VOICE = tuple(VoiceFile.model_fields)
NOTE = ("pin", "text", "shared", "author", "written_at", "changed_at", "latitude", "longitude", "moment_s", "tyres")


def debrief_of(session: Session, run: Run) -> DebriefFile | None:
    """A run's debrief, with cues that were withdrawn, too: what was given may name them."""
    row = session.scalar(mine(Debrief, run.team_id).where(Debrief.run_id == run.id))
    if row is None:
        return None
    query = mine(CueRow, run.team_id).where(CueRow.debrief_id == row.id).order_by(CueRow.id)
    cues = session.scalars(query, execution_options=INCLUDE_REMOVED)
    return DebriefFile(
        **_taken(row, DEBRIEF),
        losses={name: (pair[0], pair[1]) for name, pair in row.losses.items()},
        cues=[CueFile(id=cue.id, **_taken(cue, CUE)) for cue in cues],
    )


def voices_of(session: Session, run: Run) -> list[VoiceFile]:
    rows = session.scalars(mine(Voice, run.team_id).where(Voice.run_id == run.id).order_by(Voice.id))
    return [VoiceFile(**_taken(row, VOICE)) for row in rows]


def notes_of(session: Session, team_id: int, runs: Sequence[int]) -> list[NoteFile]:
    """A team's notes; ``runs`` are ids in the order of the archive."""

    def names(model: Any) -> dict[int | None, str]:
        return {row.id: row.name for row in session.scalars(mine(model, team_id))}

    cars, drivers, circuits = names(Car), names(Driver), names(Circuit)
    number = {run: index for index, run in enumerate(runs)}
    return [
        NoteFile(
            **_taken(row, NOTE),
            circuit=circuits.get(row.circuit_id),
            run=number.get(row.run_id or 0),
            car=cars.get(row.car_id),
            driver=drivers.get(row.driver_id),
        )
        for row in session.scalars(mine(Note, team_id).order_by(Note.id))
        if row.run_id is None or row.run_id in number
    ]


def days_of(session: Session, team_id: int, runs: Sequence[int]) -> list[DayFile]:
    """What a team's days are measured against, where a coach chose; ``runs`` are ids in the order of the archive."""
    number = {run: index for index, run in enumerate(runs)}
    found = []
    for event in session.scalars(mine(Event, team_id).where(Event.reference.is_not(None)).order_by(Event.id)):
        own = [number[run] for run in session.scalars(select(Run.id).where(Run.event_id == event.id)) if run in number]
        if not own:
            continue
        if event.reference == OWN_BESTS:
            found.append(DayFile(run=own[0], own_bests=True))
            continue
        base, second = lap_of(event.reference or "")
        if base in number:
            found.append(DayFile(run=own[0], reference=number[base], begins_s=second))
    return found


def take_days(session: Session, team_id: int, told: Sequence[DayFile], runs: Mapping[int, int]) -> None:
    """Measure days as they were; ``runs`` are ids by the archive's numbers, of those that came now."""
    for day in told:
        if day.run not in runs:
            continue
        event = mine_by_id(session, Run, team_id, runs[day.run]).event
        if event.reference is not None:
            continue  # what was chosen here stands
        if day.own_bests:
            event.reference = OWN_BESTS
        elif day.reference is not None and day.reference in runs and day.begins_s is not None:
            event.reference = key_at(runs[day.reference], day.begins_s)


def take_debrief(session: Session, run: Run, told: DebriefFile | None, voices: Sequence[VoiceFile]) -> None:
    """Put a debrief and what was said beside a run that was just taken in."""
    for voice in voices:
        session.add(Voice(team_id=run.team_id, driver_id=run.driver_id, run_id=run.id, **_taken(voice, VOICE)))
    if told is None:
        return
    whole = told.model_dump(exclude_unset=True)
    row = Debrief(
        team_id=run.team_id, driver_id=run.driver_id, event_id=run.event_id, run_id=run.id,
        **{name: whole.get(name) for name in DEBRIEF if name != "given"},
        losses={name: list(pair) for name, pair in told.losses.items()},
    )  # fmt: skip
    session.add(row)
    session.flush()
    numbers: dict[int, int] = {}
    for cue in whole["cues"]:
        own = CueRow(
            team_id=run.team_id, debrief_id=row.id, driver_id=run.driver_id, **{name: cue.get(name) for name in CUE}
        )
        session.add(own)
        session.flush()
        numbers[cue["id"]] = own.id
    if told.given is not None:
        row.given = {name: _renamed(whole["given"].get(name), numbers) for name in ("cues", "before")}


def take_notes(session: Session, team_id: int, told: Sequence[NoteFile], runs: Mapping[int, int]) -> int:
    """Notes that are not there yet; ``runs`` are ids by the archive's numbers. Returns how many came."""
    taken = 0
    for note in told:
        if note.run is not None and note.run not in runs:
            continue
        same = mine(Note, team_id).where(Note.text == note.text, Note.written_at == note.written_at)
        if session.scalar(same.limit(1)) is not None:
            continue
        circuit = None
        if note.circuit is not None:
            circuit = session.scalar(select(Circuit.id).where(Circuit.team_id == team_id, Circuit.name == note.circuit))
        session.add(
            Note(
                team_id=team_id,
                circuit_id=circuit,
                run_id=None if note.run is None else runs[note.run],
                car_id=named(session, Car, team_id, note.car).id if note.car else None,
                driver_id=named(session, Driver, team_id, note.driver).id if note.driver else None,
                **_taken(note, NOTE),
            )
        )
        taken += 1
    return taken


def _renamed(part: list[dict[str, Any]] | None, numbers: Mapping[int, int]) -> list[dict[str, Any]] | None:
    """Cues of what was given, under their new numbers."""
    if part is None:
        return None
    return [cue | {"id": numbers[cue["id"]], "places": list(cue["places"])} for cue in part if cue["id"] in numbers]


def _taken(row: Any, names: Sequence[str]) -> dict[str, Any]:
    return {name: getattr(row, name) for name in names}
