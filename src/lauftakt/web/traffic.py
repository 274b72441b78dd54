"""Traffic as people correct it: where another car was in the way, or was not, kept in the log's time."""

from typing import Any

import numpy as np
from apiflask import APIBlueprint
from sqlalchemy import delete
from sqlalchemy.orm import Session

from lauftakt.store.actions import note_action
from lauftakt.store.database import NotFound, now
from lauftakt.store.models import HeldWord, Run
from lauftakt.web import schemas
from lauftakt.web.access import Problem, database, only
from lauftakt.web.compare.addresses import lap_address
from lauftakt.web.compare.lineup import entries_of_runs
from lauftakt.web.policy import Viewer, one

blueprint = APIBlueprint("traffic", __name__, tag="Laps")


@blueprint.post("/laps/traffic")
@only("change")
@blueprint.input(schemas.TrafficSaid)
@blueprint.output(schemas.LapsChanged)
def say_traffic(viewer: Viewer, json_data: schemas.TrafficSaid) -> schemas.LapsChanged:
    """Say that in a part of a lap another car was in the way, or that none was."""
    address = lap_address(json_data.lap)
    if json_data.to_m <= json_data.from_m:
        raise Problem(422, "part", "The part of the lap must end after it begins.")
    with database().begin() as session:
        run = one(session, Run, viewer, address.run, lock=True)
        entry = entries_of_runs(session, [run], []).get(run.id) if run.analysis is not None else None
        number = address.find(entry.laps) if entry is not None else None
        trace = entry.trace(number) if entry is not None and number is not None else None
        if entry is None or number is None or trace is None:
            raise NotFound("lap")
        lap = entry.lap(number)
        begin, end = np.interp([json_data.from_m, json_data.to_m], entry.layout.grid(), trace.time) + lap.start_s
        word = HeldWord(
            team_id=run.team_id, run_id=run.id, from_s=float(begin), to_s=float(end), held=json_data.held,
            account_id=viewer.account_id, said_at=now(),
        )  # fmt: skip
        session.add(word)
        run.decided += 1
        session.flush()
        what = "was held up" if json_data.held else "had a free road"
        action = note_action(
            session,
            viewer.team_id,
            account_id=viewer.account_id,
            kind="lap",
            subject=("run", run.id),
            summary=f"{run.driver.name} {what} in lap {number}, {json_data.from_m:.0f} to {json_data.to_m:.0f} m.",
            inverse=[{"do": "traffic", "run": run.id, "word": word.id}],
        )
        return schemas.LapsChanged(laps=1, action=action.id)


def undo_traffic(session: Session, viewer: Viewer, step: dict[str, Any]) -> list[int]:
    """Forget what was said of traffic."""
    run = one(session, Run, viewer, step["run"], lock=True)
    run.decided += 1
    session.execute(delete(HeldWord).where(HeldWord.run_id == run.id, HeldWord.id == step["word"]))
    return []
