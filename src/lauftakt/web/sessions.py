"""Sign in, sign out, preferences."""

from typing import Any

from apiflask import APIBlueprint
from flask import request
from flask_login import current_user, logout_user
from flask_wtf.csrf import generate_csrf

from lauftakt.store.accounts import has_own_team, verify
from lauftakt.store.database import mine_by_id
from lauftakt.store.models import Account
from lauftakt.store.sign_ins import end_sign_ins, forget_tries, note_try, too_many_tries
from lauftakt.web import schemas
from lauftakt.web.access import Problem, build, database, enter, only
from lauftakt.web.givers import settings_of_app
from lauftakt.web.policy import Viewer

blueprint = APIBlueprint("sessions", __name__, tag="Session")


def present_session() -> schemas.Session:
    """Who is signed in now, with the token that changing requests carry."""
    me, empty = None, False
    if current_user.is_authenticated:
        me = schemas.Me(
            name=current_user.name,
            email=current_user.email,
            team=current_user.team_name,
            demo=current_user.demo,
            role=current_user.role,
            units=current_user.units,
            look=current_user.look,
            dates=current_user.dates,
            shortcuts=current_user.shortcuts,
        )
    else:
        with database().begin() as session:
            empty = settings_of_app().first_code.exists() and not has_own_team(session)
    return schemas.Session(me=me, csrf=generate_csrf(), build=build(), empty=empty)


@blueprint.get("/session")
@blueprint.output(schemas.Session)
def get_session() -> schemas.Session:
    """Who is signed in; always answers, also when nobody is."""
    return present_session()


@blueprint.post("/session")
@blueprint.input(schemas.SignIn)
@blueprint.output(schemas.Session)
def sign_in(json_data: schemas.SignIn) -> schemas.Session:
    """Sign in with address and password."""
    place = request.remote_addr or "?"
    with database().begin() as session:
        if too_many_tries(session, json_data.email, place):
            raise Problem(429, "too-often", "Too many wrong tries from here. Wait ten minutes, then try again.")
        account = verify(session, json_data.email, json_data.password)
        if account is not None:
            forget_tries(session, json_data.email, place)
            enter(session, account)
            return present_session()
        note_try(session, json_data.email, place)
    raise Problem(401, "sign-in", "Address and password do not belong together. Check both and try again.")


@blueprint.delete("/session")
@blueprint.output(schemas.Session)
def sign_out() -> Any:
    """Sign out: the cookie opens nothing any more, wherever it was copied to. What the browser kept goes, too."""
    if current_user.is_authenticated:
        with database().begin() as session:
            end_sign_ins(session, current_user.id, only=current_user.sign_in_id)
    logout_user()
    return present_session(), 200, {"Clear-Site-Data": '"cache"'}


@blueprint.patch("/session/preferences")
@only("account")
@blueprint.input(schemas.Preferences)
@blueprint.output(schemas.Session)
def prefer(viewer: Viewer, json_data: schemas.Preferences) -> schemas.Session:
    """Change units, look, dates or shortcuts; they are kept with the account."""
    with database().begin() as session:
        account = mine_by_id(session, Account, viewer.team_id, current_user.id)
        for name, value in json_data.model_dump(exclude_none=True).items():
            setattr(account, name, value)
            setattr(current_user, name, value)
    return present_session()
