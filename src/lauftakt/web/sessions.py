"""Sign in, sign out, preferences."""

from typing import Any

from apiflask import APIBlueprint
from flask_login import current_user, login_user, logout_user
from flask_wtf.csrf import generate_csrf

from lauftakt.store.database import mine_by_id
from lauftakt.store.models import Account
from lauftakt.web import schemas
from lauftakt.web.access import Problem, build, check_password, database, only
from lauftakt.web.limits import limiter
from lauftakt.web.policy import Viewer

blueprint = APIBlueprint("sessions", __name__, tag="Session")


def _session() -> schemas.Session:
    me = None
    if current_user.is_authenticated:
        me = schemas.Me(
            name=current_user.name,
            team=current_user.team_name,
            role=current_user.role,
            units=current_user.units,
            look=current_user.look,
            shortcuts=current_user.shortcuts,
        )
    return schemas.Session(me=me, csrf=generate_csrf(), build=build())


@blueprint.get("/session")
@blueprint.output(schemas.Session)
def get_session() -> schemas.Session:
    """Who is signed in; always answers, also when nobody is."""
    return _session()


@blueprint.post("/session")
@limiter.limit("10 per minute")
@blueprint.input(schemas.SignIn)
@blueprint.output(schemas.Session)
def sign_in(json_data: schemas.SignIn) -> schemas.Session:
    """Sign in with address and password."""
    user = check_password(json_data.email, json_data.password)
    if user is None:
        raise Problem(401, "sign-in", "Address and password do not belong together. Check both and try again.")
    login_user(user, remember=False)
    return _session()


@blueprint.delete("/session")
@blueprint.output(schemas.Session)
def sign_out() -> Any:
    """Sign out. What the browser kept of the team goes, too."""
    logout_user()
    return _session(), 200, {"Clear-Site-Data": '"cache"'}


@blueprint.patch("/session/preferences")
@only("account")
@blueprint.input(schemas.Preferences)
@blueprint.output(schemas.Session)
def prefer(viewer: Viewer, json_data: schemas.Preferences) -> schemas.Session:
    """Change units, look or shortcuts; they are kept with the account."""
    with database().begin() as session:
        account = mine_by_id(session, Account, viewer.team_id, current_user.id)
        for name, value in json_data.model_dump(exclude_none=True).items():
            setattr(account, name, value)
            setattr(current_user, name, value)
    return _session()
