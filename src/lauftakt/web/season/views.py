"""Over days: a driver's progress, the school, a day's course, and the calendar."""

from apiflask import APIBlueprint

from lauftakt.web.access import database, only
from lauftakt.web.policy import Viewer
from lauftakt.web.schemas import season as schemas
from lauftakt.web.season.days import calendar, day_course
from lauftakt.web.season.driver import driver_season
from lauftakt.web.season.school import school_season
from lauftakt.web.season.seeing import season_of
from lauftakt.work.queue import send

blueprint = APIBlueprint("season", __name__, tag="Debrief")


@blueprint.get("/season/drivers/<int:driver_id>")
@only("see")
@blueprint.input(schemas.DriverSeasonQuery, location="query")
@blueprint.output(schemas.DriverSeason)
def get_driver(viewer: Viewer, driver_id: int, query_data: schemas.DriverSeasonQuery) -> schemas.DriverSeason:
    """A driver over days: paces, records, steadiness, and what became of every cue."""
    with database().begin() as session:
        found, job = driver_season(session, viewer, driver_id, query_data)
    _send(job)
    return found


@blueprint.get("/season/school")
@only("see-team")
@blueprint.input(schemas.SchoolQuery, location="query")
@blueprint.output(schemas.SchoolSeason)
def get_school(viewer: Viewer, query_data: schemas.SchoolQuery) -> schemas.SchoolSeason:
    """The school over days: who improves, what days and cars do, where time lies, which cues work."""
    with database().begin() as session:
        found, job = school_season(session, viewer, query_data)
    _send(job)
    return found


@blueprint.get("/season/day")
@only("see-team")
@blueprint.input(schemas.DayQuery, location="query")
@blueprint.output(schemas.DayCourse)
def get_day_course(viewer: Viewer, query_data: schemas.DayQuery) -> schemas.DayCourse:
    """A day from the first run to the last, driver by driver, with what was asked and what became of it."""
    with database().begin() as session:
        found, job = day_course(session, viewer, query_data.event)
    _send(job)
    return found


@blueprint.get("/season/calendar")
@only("see-team")
@blueprint.input(schemas.CalendarQuery, location="query")
@blueprint.output(schemas.CalendarOut)
def get_calendar(viewer: Viewer, query_data: schemas.CalendarQuery) -> schemas.CalendarOut:
    """Days with what was driven, worked on and noted, the latest first."""
    with database().begin() as session:
        return calendar(session, viewer, query_data.before)


@blueprint.post("/season/follow")
@only("change")
@blueprint.output(schemas.FollowState)
def follow_again(viewer: Viewer) -> schemas.FollowState:
    """Go on with what could not be followed, or was stopped."""
    with database().begin() as session:
        season = season_of(session, viewer, again=True)
    _send(season.job)
    return season.follow


def _send(job: int | None) -> None:
    if job is not None:
        send([job])
