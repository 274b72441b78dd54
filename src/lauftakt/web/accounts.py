"""One's own account: name, address, password, and where one is signed in."""

from apiflask import APIBlueprint
from flask import request
from flask_login import current_user
from sqlalchemy import select
from sqlalchemy.orm import Session

from lauftakt.store.accounts import Refused, clean_address, set_password, verify
from lauftakt.store.database import mine_by_id, now
from lauftakt.store.models import Account, SignIn
from lauftakt.store.sign_ins import IDLE, end_sign_ins, forget_tries, note_try, too_many_tries
from lauftakt.web import schemas, show
from lauftakt.web.access import Problem, database, only
from lauftakt.web.policy import Viewer, one, visible

blueprint = APIBlueprint("accounts", __name__, tag="Account")


@blueprint.get("/account")
@only("account")
@blueprint.output(schemas.MyAccount)
def get_account(viewer: Viewer) -> schemas.MyAccount:
    """One's own account, and every device that is signed in with it."""
    with database().begin() as session:
        rows = session.scalars(
            visible(SignIn, viewer)
            .where(SignIn.account_id == viewer.account_id, SignIn.ended_at.is_(None), SignIn.used_at > now() - IDLE)
            .order_by(SignIn.used_at.desc())
        )
        account = mine_by_id(session, Account, viewer.team_id, current_user.id)
        return schemas.MyAccount(
            name=account.name,
            email=account.email,
            role=account.role,  # type: ignore[arg-type]
            team=current_user.team_name,
            sign_ins=[
                schemas.SignInOut(
                    id=row.id,
                    device=row.device,
                    created_at=show.moment(row.created_at),
                    used_at=show.moment(row.used_at),
                    here=row.id == current_user.sign_in_id,
                )
                for row in rows
            ],
        )


@blueprint.patch("/account")
@only("account")
@blueprint.input(schemas.AccountChange)
@blueprint.output({}, status_code=204)
def change_account(viewer: Viewer, json_data: schemas.AccountChange) -> str:
    """Change one's name or e-mail address."""
    with database().begin() as session:
        account = mine_by_id(session, Account, viewer.team_id, current_user.id)
        if json_data.name:
            account.name = json_data.name
        if json_data.email:
            email = clean_address(json_data.email)
            if email != account.email:
                _must_know(account, json_data.password or "")
                _must_be_free(session, email)
                account.email = email
    return ""


@blueprint.post("/account/password")
@only("account")
@blueprint.input(schemas.PasswordChange)
@blueprint.output({}, status_code=204)
def change_password(viewer: Viewer, json_data: schemas.PasswordChange) -> str:
    """Change one's password; whoever is signed in with the old one elsewhere is signed out."""
    with database().begin() as session:
        account = mine_by_id(session, Account, viewer.team_id, current_user.id)
        _must_know(account, json_data.present)
        set_password(session, account, json_data.new, keep=current_user.sign_in_id)
    return ""


@blueprint.delete("/account/sign-ins/<int:sign_in_id>")
@only("account")
@blueprint.output({}, status_code=204)
def end_sign_in(viewer: Viewer, sign_in_id: int) -> str:
    """Sign one's account out on a device."""
    with database().begin() as session:
        row = one(session, SignIn, viewer, sign_in_id)
        end_sign_ins(session, row.account_id, only=row.id)
    return ""


@blueprint.delete("/account/sign-ins")
@only("account")
@blueprint.output({}, status_code=204)
def end_others(viewer: Viewer) -> str:
    """Sign one's account out everywhere but here."""
    with database().begin() as session:
        end_sign_ins(session, current_user.id, but=current_user.sign_in_id)
    return ""


def _must_know(account: Account, password: str) -> None:
    place = request.remote_addr or "?"
    with database().begin() as own:  # counted whatever becomes of the request
        if too_many_tries(own, account.email, place):
            raise Problem(429, "too-often", "Too many wrong tries from here. Wait ten minutes, then try again.")
        if verify(own, account.email, password) is None:
            note_try(own, account.email, place)
            wrong = True
        else:
            forget_tries(own, account.email, place)
            wrong = False
    if wrong:
        raise Problem(403, "password", "This is not your present password.")


def _must_be_free(session: Session, email: str) -> None:
    if session.scalar(select(Account.id).where(Account.email == email)) is not None:
        raise Refused("address-taken", "Somebody signs in with this e-mail address already.")
