"""All laps of a team in one list, however many: filtered on the server, page by page from the last lap shown on."""

import base64
import binascii
import json
from typing import Any

from apiflask import APIBlueprint
from sqlalchemy import and_, or_
from sqlalchemy.orm import Session, joinedload, load_only

from lauftakt.store.counting import word_for
from lauftakt.store.database import mine
from lauftakt.store.models import Car, Driver, Event, LapRow, LapWord, LayoutRow, Run
from lauftakt.web import schemas, show
from lauftakt.web.access import Problem, database, only
from lauftakt.web.compare.addresses import key_of
from lauftakt.web.policy import Viewer, one, visible

blueprint = APIBlueprint("lap_list", __name__, tag="Laps")

PAGE = 200
# Days are read in such portions until a page of laps is full.
DAYS = 3


@blueprint.get("/laps/all")
@only("see")
@blueprint.input(schemas.AllLapsQuery, location="query")
@blueprint.output(schemas.AllLapsOut)
def list_laps(viewer: Viewer, query_data: schemas.AllLapsQuery) -> schemas.AllLapsOut:
    """Laps of any days, drivers, cars and circuits, the newest or the quickest first."""
    with database().begin() as session:
        # What a viewer may not see must look like what is not there.
        for model, row_id in (
            (LayoutRow, query_data.layout), (Driver, query_data.driver), (Car, query_data.car),
            (Event, query_data.event),
        ):  # fmt: skip
            if row_id is not None:
                one(session, model, viewer, row_id)
        after = _read(query_data.after)
        pages = _quickest if query_data.order == "quickest" else _newest
        laps, following = pages(session, viewer, query_data, after)
        runs = _runs(session, viewer, [lap.run_id for lap in laps])
        words = _words(session, viewer, list(runs))
        return schemas.AllLapsOut(
            laps=[_lap(runs[lap.run_id], lap, words.get(lap.run_id, [])) for lap in laps],
            next=_write(following),
            **(_choices(session, viewer) if after is None else {"drivers": [], "cars": [], "layouts": []}),
        )


def _filtered(viewer: Viewer, asked: schemas.AllLapsQuery) -> Any:
    """The runs that were asked for, whose laps are known."""
    query = visible(Run, viewer).where(Run.analysis_id.is_not(None))
    for column, value in (
        (Run.layout_id, asked.layout), (Run.driver_id, asked.driver), (Run.car_id, asked.car),
        (Run.event_id, asked.event),
    ):  # fmt: skip
        if value is not None:
            query = query.where(column == value)
    if asked.since is not None or asked.until is not None:
        days = visible(Event, viewer)
        if asked.since is not None:
            days = days.where(Event.day >= asked.since)
        if asked.until is not None:
            days = days.where(Event.day <= asked.until)
        query = query.where(Run.event_id.in_(days.with_only_columns(Event.id)))
    return query


def _wanted(asked: schemas.AllLapsQuery) -> list[Any]:
    conditions: list[Any] = []
    if asked.counting:
        conditions += [LapRow.set_aside.is_(None), LapRow.time_s.is_not(None)]
    if asked.reason is not None:
        conditions.append(LapRow.set_aside == asked.reason)
    return conditions


def _newest(
    session: Session, viewer: Viewer, asked: schemas.AllLapsQuery, after: list[Any] | None
) -> tuple[list[LapRow], list[Any] | None]:
    """Run by run, the newest day first; a page ends with a run. Days are walked by their own index, few at a time, so
    that no page reads more for there being many."""
    found: list[LapRow] = []
    while True:
        days = visible(Event, viewer).with_only_columns(Event.id, Event.day)
        if asked.event is not None:
            days = days.where(Event.id == asked.event)
        if asked.layout is not None:
            days = days.where(Event.layout_id == asked.layout)
        if asked.since is not None:
            days = days.where(Event.day >= asked.since)
        if asked.until is not None:
            days = days.where(Event.day <= asked.until)
        if after is not None:
            # Row by row rather than as one comparison of pairs, which the database answers without its index.
            day, event, run = after
            same = Event.id <= event if run else Event.id < event
            days = days.where(or_(Event.day < day, and_(Event.day == day, same)))
        listed = session.execute(days.order_by(Event.day.desc(), Event.id.desc()).limit(DAYS)).all()
        runs: dict[int, list[tuple[int, int]]] = {event_id: [] for event_id, _ in listed}
        query = _filtered(viewer, asked).where(Run.event_id.in_(list(runs)))
        for run_id, analysis, event_id in session.execute(
            query.with_only_columns(Run.id, Run.analysis_id, Run.event_id).order_by(Run.id.desc())
        ):
            if after is None or event_id != after[1] or run_id < after[2]:
                runs[event_id].append((run_id, analysis))
        by_analysis: dict[int, list[LapRow]] = {}
        analyses = [analysis for own in runs.values() for _, analysis in own]
        laps = mine(LapRow, viewer.team_id).where(LapRow.analysis_id.in_(analyses), *_wanted(asked))
        for lap in session.scalars(laps.order_by(LapRow.number)):
            by_analysis.setdefault(lap.analysis_id, []).append(lap)
        for event_id, day in listed:
            for run_id, analysis in runs[event_id]:
                found += by_analysis.get(analysis, [])
                after = [day, event_id, run_id]
                if len(found) >= PAGE:
                    return found, after
            # All of this day is listed: the next one begins behind it.
            after = [day, event_id, 0]
        if len(listed) < DAYS:
            return found, None


def _quickest(
    session: Session, viewer: Viewer, asked: schemas.AllLapsQuery, after: list[Any] | None
) -> tuple[list[LapRow], list[Any] | None]:
    """By lap time, whosever it is; laps without one are left out."""
    runs = _filtered(viewer, asked).with_only_columns(Run.analysis_id)
    query = mine(LapRow, viewer.team_id).where(
        LapRow.time_s.is_not(None), LapRow.analysis_id.in_(runs), *_wanted(asked)
    )
    if after is not None:
        time, row_id = after[:2]
        query = query.where(or_(LapRow.time_s > time, and_(LapRow.time_s == time, LapRow.id > row_id)))
    laps = list(session.scalars(query.order_by(LapRow.time_s, LapRow.id).limit(PAGE + 1)))
    following = [laps[PAGE - 1].time_s, laps[PAGE - 1].id] if len(laps) > PAGE else None
    return laps[:PAGE], following


def _runs(session: Session, viewer: Viewer, ids: list[int]) -> dict[int, Run]:
    query = visible(Run, viewer).where(Run.id.in_(set(ids)))
    # A page of the quickest laps can name as many runs as it has laps: only what is shown is read.
    parts = (
        load_only(Run.team_id, Run.layout_id, Run.event_id, Run.driver_id, Run.car_id, Run.kind, Run.started_at,
                  Run.conditions, Run.tyres, Run.best_number, raiseload=True),
        joinedload(Run.driver).load_only(
            Driver.name, Driver.colour, Driver.reference_only, raiseload=True
        ),
        joinedload(Run.car).load_only(Car.name, raiseload=True),
        joinedload(Run.event).load_only(Event.day, Event.name, raiseload=True),
        joinedload(Run.layout).load_only(LayoutRow.name, raiseload=True),
    )  # fmt: skip
    return {run.id: run for run in session.scalars(query.options(*parts))}


def _words(session: Session, viewer: Viewer, ids: list[int]) -> dict[int, list[LapWord]]:
    found: dict[int, list[LapWord]] = {}
    for word in session.scalars(mine(LapWord, viewer.team_id).where(LapWord.run_id.in_(ids))):
        found.setdefault(word.run_id, []).append(word)
    return found


def _lap(run: Run, lap: LapRow, words: list[LapWord]) -> schemas.AnyLap:
    word = word_for(lap, words)
    return schemas.AnyLap(
        key=key_of(run, lap),
        run=run.id,
        number=lap.number,
        driver=show.driver(run.driver),
        car=run.car.name if run.car else None,
        day=run.event.day,
        event=run.event.name,
        layout=run.layout.name,
        layout_id=run.layout_id,
        run_kind=run.kind,
        started_at=run.started_at.isoformat() if run.started_at else None,
        conditions=run.conditions,
        tyres=run.tyres,
        kind=lap.kind,
        set_aside=lap.set_aside,
        note=word.note if word is not None else None,
        time_s=lap.time_s,
        time_u_s=lap.time_u_s,
        best_of_run=lap.number == run.best_number,
    )


def _choices(session: Session, viewer: Viewer) -> dict[str, Any]:
    """By what a list can be narrowed."""
    return {
        "drivers": show.everybody(session, viewer),
        "cars": show.choices(session, viewer, Car),
        "layouts": show.choices(session, viewer, LayoutRow),
    }


def _write(after: list[Any] | None) -> str | None:
    return None if after is None else base64.urlsafe_b64encode(json.dumps(after).encode()).decode()


def _read(text: str | None) -> list[Any] | None:
    if text is None:
        return None
    try:
        found = json.loads(base64.urlsafe_b64decode(text.encode()))
        first, *rest = found
        assert isinstance(first, str | float | int)
        assert len(rest) in (1, 2)
        assert all(isinstance(own, int) for own in rest)
        return [first, *rest]
    except (ValueError, TypeError, AssertionError, binascii.Error) as error:
        raise Problem(422, "invalid", "This is no place in the list; begin at its top.") from error
