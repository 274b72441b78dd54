"""A car's sheet: what is known of it, its set-up by date, and the limits that the car watch holds it to."""

from typing import Any

from apiflask import APIBlueprint
from sqlalchemy.orm import Session

from lauftakt.core.registry import CHANNELS
from lauftakt.store.actions import note_action
from lauftakt.store.models import Car
from lauftakt.web import schemas
from lauftakt.web.access import Problem, database, only
from lauftakt.web.meanwhile import refuse_unseen
from lauftakt.web.policy import Viewer, one

blueprint = APIBlueprint("cars", __name__, tag="Laps")


def sheet_of(car: Car) -> schemas.CarSheet:
    """A car's sheet; an empty one where nothing was said of it."""
    return schemas.CarSheet(**(car.sheet or {}))


def car_out(car: Car) -> schemas.CarOut:
    return schemas.CarOut(id=car.id, name=car.name, sheet=sheet_of(car))


@blueprint.get("/cars/<int:car_id>")
@only("see")
@blueprint.output(schemas.CarOut)
def get_car(viewer: Viewer, car_id: int) -> schemas.CarOut:
    """A car with its sheet."""
    with database().begin() as session:
        return car_out(one(session, Car, viewer, car_id))


@blueprint.put("/cars/<int:car_id>/sheet")
@only("change")
@blueprint.input(schemas.SheetIn)
@blueprint.output(schemas.CarKept)
def keep_sheet(viewer: Viewer, car_id: int, json_data: schemas.SheetIn) -> schemas.CarKept:
    """Keep a car's sheet: what it is, its set-up by date, its limits."""
    unknown = [limit.role for limit in json_data.limits if limit.role not in CHANNELS]
    if unknown:
        raise Problem(422, "role", f"There is no channel called {unknown[0]}.")
    with database().begin() as session:
        car = one(session, Car, viewer, car_id, lock=True)
        before = sheet_of(car).model_dump()
        seen = None if json_data.was is None else json_data.was.model_dump()
        refuse_unseen(session, viewer, ("car", car.id), seen, before)
        car.sheet = json_data.model_dump(exclude={"was"})
        action = note_action(
            session,
            viewer.team_id,
            account_id=viewer.account_id,
            kind="car",
            subject=("car", car.id),
            summary=f"The sheet of {car.name} was changed.",
            inverse=[{"do": "car-sheet", "car": car.id, "sheet": before}],
        )
        return schemas.CarKept(action=action.id)


def undo_sheet(session: Session, viewer: Viewer, step: dict[str, Any]) -> list[int]:
    """Give a car the sheet it had."""
    one(session, Car, viewer, step["car"], lock=True).sheet = step["sheet"]
    return []
