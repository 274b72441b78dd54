"""The recorder of a simulator's stream: what it does, and its one switch."""

from apiflask import APIBlueprint
from sqlalchemy.orm import Session

from lauftakt.store.accounts import team_for
from lauftakt.store.database import mine
from lauftakt.store.models import LiveStream
from lauftakt.web import schemas
from lauftakt.web.access import Problem, database, only
from lauftakt.web.givers import settings_of_app
from lauftakt.web.policy import Viewer

blueprint = APIBlueprint("stream", __name__, tag="Stream")


@blueprint.get("/stream")
@only("see-team")
@blueprint.output(schemas.StreamOut)
def get_stream(viewer: Viewer) -> schemas.StreamOut:
    """What the recorder hears and has recorded."""
    with database().begin() as session:
        return _out(session, viewer)


@blueprint.patch("/stream")
@only("change")
@blueprint.input(schemas.StreamChange)
@blueprint.output(schemas.StreamOut)
def switch_stream(viewer: Viewer, json_data: schemas.StreamChange) -> schemas.StreamOut:
    """Switch recording on or off; what is being recorded is kept as a run when it is switched off."""
    with database().begin() as session:
        if not _port(session, viewer):
            raise Problem(409, "no-stream", "The administrator gave this team no port for a simulator's stream.")
        row = session.scalar(mine(LiveStream, viewer.team_id))
        if row is None:
            row = LiveStream(team_id=viewer.team_id, laps=[])
            session.add(row)
        row.wanted = json_data.wanted
        if "driver" in json_data.model_fields_set:
            row.driver_name = json_data.driver or None
        if json_data.wanted and row.state in ("off", "trouble"):
            row.state, row.message, row.laps = "waiting", None, []
        session.flush()
        return _out(session, viewer)


def _port(session: Session, viewer: Viewer) -> int:
    """The port, where it is this team's; else 0."""
    settings = settings_of_app()
    return settings.stream_port if team_for(session, settings.stream_for) == viewer.team_id else 0


def _out(session: Session, viewer: Viewer) -> schemas.StreamOut:
    row = session.scalar(mine(LiveStream, viewer.team_id))
    port = _port(session, viewer)
    return schemas.StreamOut(
        available=port > 0,
        port=port,
        wanted=bool(row and row.wanted),
        state=row.state if row and row.wanted else "off",  # type: ignore[arg-type]
        message=row.message if row else None,
        driver=row.driver_name if row else None,
        laps=[schemas.StreamLap(number=number, time_s=time) for number, time in (row.laps if row else [])],
        packets=row.packets if row else 0,
        lost=row.lost if row else 0,
    )
