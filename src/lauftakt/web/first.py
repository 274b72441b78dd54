"""The first page of an installation: a team, its owner, or a look around with the demo school.

It is opened by a code that the starting script prints and that stands in a file only its user can read: behind a proxy
everybody comes from the same machine, so where a request comes from proves nothing.
"""

import secrets

from apiflask import APIBlueprint

from lauftakt.store.accounts import (
    SHORTEST,
    add_account,
    add_team,
    check_new_password,
    clean_address,
    has_own_team,
)
from lauftakt.store.database import now
from lauftakt.web import schemas
from lauftakt.web.access import Problem, database, enter, only
from lauftakt.web.givers import settings_of_app
from lauftakt.web.limits import limiter
from lauftakt.web.policy import Viewer
from lauftakt.web.sessions import present_session
from lauftakt.work.demo_school import begin_demo_school, demo_of
from lauftakt.work.queue import send
from lauftakt.work.sources import alone

blueprint = APIBlueprint("first", __name__, tag="First start")


def _opens(code: str) -> bool:
    path = settings_of_app().first_code
    try:
        kept = path.read_text().strip()
    except OSError:
        return False
    return bool(kept) and secrets.compare_digest(kept.encode(), code.strip().encode())


def _must_open(code: str) -> None:
    if not _opens(code):
        raise Problem(
            403,
            "first-code",
            "This address has been used, or is another start's. Open the one that script/start prints, or sign in.",
        )


@blueprint.post("/first/open")
@limiter.limit("30 per minute")
@blueprint.input(schemas.FirstCode)
@blueprint.output(schemas.FirstOut)
def open_first(json_data: schemas.FirstCode) -> schemas.FirstOut:
    """Whether a code opens the first page."""
    return schemas.FirstOut(open=_opens(json_data.code), shortest=SHORTEST)


@blueprint.post("/first")
@limiter.limit("30 per minute")
@blueprint.input(schemas.FirstTeam)
@blueprint.output(schemas.Session, status_code=201)
def make_first_team(json_data: schemas.FirstTeam) -> schemas.Session:
    """Make the first team with its owner, who is signed in from then on; the code opens nothing any more."""
    _must_open(json_data.code)
    email = clean_address(json_data.email)
    check_new_password(json_data.password, email, json_data.name, json_data.team)
    # Two browsers with the same code must not make two first teams.
    with alone(database(), "lauftakt-first"), database().begin() as session:
        if has_own_team(session):
            raise Problem(409, "not-first", "A team was made here already. Sign in.")
        team = add_team(session, json_data.team)
        account = add_account(
            session, team, email=email, name=json_data.name, password=json_data.password, role="owner"
        )
        # Whoever looked around before goes on in the same school.
        school = session.scalar(demo_of(None))
        if school is not None:
            school.demo_for = team.id
        account.units, account.look, account.dates = json_data.units, json_data.look, json_data.dates
        enter(session, account)
    settings_of_app().first_code.unlink(missing_ok=True)
    return present_session()


@blueprint.post("/first/demo")
@limiter.limit("10 per minute")
@blueprint.input(schemas.FirstCode)
@blueprint.output(schemas.Session, status_code=201)
def look_around(json_data: schemas.FirstCode) -> schemas.Session:
    """Sign in to the demo school, which is a team of its own here; the code stays good for the first team."""
    _must_open(json_data.code)
    return _into_demo(None)


@blueprint.post("/demo")
@only("lead")
@blueprint.output(schemas.Session, status_code=201)
def look_around_later(viewer: Viewer) -> schemas.Session:
    """The same for the owner of a team, in a school of this team's own; they sign in again to come back."""
    return _into_demo(viewer.team_id)


@blueprint.delete("/demo")
@only("lead")
@blueprint.output(schemas.Session)
def remove_demo(viewer: Viewer) -> schemas.Session:
    """Remove the team's demo school with everything in it; who looked around in it is signed out."""
    with database().begin() as session:
        school = session.scalar(demo_of(viewer.team_id).with_for_update())
        if school is not None:
            school.removed_at = now()
    return present_session()


def _into_demo(whose: int | None) -> schemas.Session:
    # Two requests at once must not make two schools.
    with alone(database(), "lauftakt-demo"), database().begin() as session:
        account, jobs = begin_demo_school(session, whose)
        enter(session, account)
    send(jobs)
    return present_session()
