"""The people of a team: who leads and assists it, how they come in by a link, and how they leave."""

import secrets
from datetime import timedelta

from apiflask import APIBlueprint
from sqlalchemy import func, select, update
from sqlalchemy.orm import Session

from lauftakt.store.accounts import SHORTEST, add_account, check_new_password, clean_address, owners_of
from lauftakt.store.actions import note_action
from lauftakt.store.database import mine, now
from lauftakt.store.models import Account, Invitation, SignIn, Team
from lauftakt.store.sign_ins import end_sign_ins
from lauftakt.web import schemas, show
from lauftakt.web.access import Problem, database, enter, only
from lauftakt.web.givers import picture_of, public_address, reachable, read_token, signer
from lauftakt.web.limits import limiter
from lauftakt.web.meanwhile import refuse_unseen
from lauftakt.web.policy import Viewer, one, visible
from lauftakt.web.sessions import present_session
from lauftakt.work.demo_school import demo_of

blueprint = APIBlueprint("people", __name__, tag="People")


@blueprint.get("/team")
@only("see-team")
@blueprint.output(schemas.TeamOut)
def get_team(viewer: Viewer) -> schemas.TeamOut:
    """The team, its people, and the invitations that can still be used (for its owner)."""
    with database().begin() as session:
        team = session.get_one(Team, viewer.team_id)
        used = select(SignIn.account_id, func.max(SignIn.used_at)).where(SignIn.team_id == team.id)
        last = dict(session.execute(used.group_by(SignIn.account_id)).all())
        people = session.scalars(visible(Account, viewer).order_by(Account.id))
        open_ones = (
            session.scalars(
                mine(Invitation, team.id).where(
                    Invitation.revoked_at.is_(None), Invitation.used_at.is_(None), Invitation.expires_at > now()
                )
            ).all()
            if viewer.kind == "owner"
            else []
        )
        return schemas.TeamOut(
            name=team.name,
            demo=team.demo,
            people=[
                schemas.PersonOut(
                    id=row.id,
                    name=row.name,
                    email=row.email,
                    role=row.role,  # type: ignore[arg-type]
                    used_at=show.moment(last[row.id]) if row.id in last else None,
                    me=row.id == viewer.account_id,
                )
                for row in people
            ],
            invitations=[_out(row) for row in open_ones],
            reachable=reachable(),
            demo_here=session.scalar(demo_of(viewer.team_id)) is not None,
        )


@blueprint.patch("/team")
@only("lead")
@blueprint.input(schemas.TeamChange)
@blueprint.output({}, status_code=204)
def rename_team(viewer: Viewer, json_data: schemas.TeamChange) -> str:
    """Give the team another name."""
    with database().begin() as session:
        session.get_one(Team, viewer.team_id).name = json_data.name
    return ""


@blueprint.patch("/people/<int:account_id>")
@only("lead")
@blueprint.input(schemas.PersonChange)
@blueprint.output({}, status_code=204)
def change_person(viewer: Viewer, account_id: int, json_data: schemas.PersonChange) -> str:
    """Make somebody owner, coach or assistant."""
    with database().begin() as session:
        row = one(session, Account, viewer, account_id, lock=True)
        seen = None if json_data.was is None else {"role": json_data.was}
        refuse_unseen(session, viewer, ("account", row.id), seen, {"role": row.role})
        if row.role == "driver":
            raise Problem(409, "driver", "A driver's account stays a driver's.")
        if row.role == "owner" and json_data.role != "owner" and owners_of(session, viewer.team_id) < 2:
            raise Problem(409, "last-owner", "A team needs an owner. Make somebody else owner first.")
        if row.role == "owner" and json_data.role != "owner":
            _take_back_invitations_of(session, row)
        row.role = json_data.role
        note_action(
            session, viewer.team_id, account_id=viewer.account_id, kind="person", subject=("account", row.id),
            summary=f"{row.name} is {row.role} now.", inverse=[],
        )  # fmt: skip
    return ""


@blueprint.delete("/people/<int:account_id>")
@only("lead")
@blueprint.output({}, status_code=204)
def remove_person(viewer: Viewer, account_id: int) -> str:
    """Take somebody's account out of the team. What they wrote and did stays, as done by “somebody who left”."""
    with database().begin() as session:
        row = one(session, Account, viewer, account_id, lock=True)
        if row.role == "owner" and owners_of(session, viewer.team_id) < 2:
            raise Problem(409, "last-owner", "A team needs an owner. Make somebody else owner first.")
        note_action(
            session,
            viewer.team_id,
            account_id=viewer.account_id,
            kind="person",
            subject=("account", row.id),
            summary=f"{row.name} left the team.",
            inverse=[],
        )
        end_sign_ins(session, row.id)
        _take_back_invitations_of(session, row)
        session.delete(row)
    return ""


def _take_back_invitations_of(session: Session, account: Account) -> None:
    """Whoever leads the team no more lets nobody in any more, themselves neither, by a link of before."""
    open_ones = update(Invitation).where(Invitation.account_id == account.id, Invitation.used_at.is_(None))
    session.execute(open_ones.where(Invitation.revoked_at.is_(None)).values(revoked_at=now()))


@blueprint.post("/invitations")
@only("lead")
@blueprint.input(schemas.InvitationNew)
@blueprint.output(schemas.InvitationOut, status_code=201)
def invite(viewer: Viewer, json_data: schemas.InvitationNew) -> schemas.InvitationOut:
    """A link by which one more person comes into the team; it can be used once."""
    with database().begin() as session:
        row = Invitation(
            team_id=viewer.team_id,
            role=json_data.role,
            nonce=secrets.token_hex(12),
            account_id=viewer.account_id,
            created_at=now(),
            expires_at=now() + timedelta(days=json_data.days),
        )
        session.add(row)
        session.flush()
        return _out(row)


@blueprint.delete("/invitations/<int:invitation_id>")
@only("lead")
@blueprint.output({}, status_code=204)
def revoke(viewer: Viewer, invitation_id: int) -> str:
    """Take an invitation back: its link opens nothing from now on."""
    with database().begin() as session:
        one(session, Invitation, viewer, invitation_id).revoked_at = now()
    return ""


def _out(row: Invitation) -> schemas.InvitationOut:
    address = f"{public_address()}/join/{signer('invitation').dumps([row.id, row.nonce])}"
    return schemas.InvitationOut(
        id=row.id,
        role=row.role,  # type: ignore[arg-type]
        address=address,
        qr_svg=picture_of(address),
        expires_at=show.moment(row.expires_at),
    )


def _invitation(session: Session, token: str) -> Invitation:
    """The invitation behind a link, locked, so that it is used once."""
    read = read_token("invitation", token)
    row = session.get(Invitation, read[0], with_for_update=True) if read else None
    if (
        read is None
        or row is None
        or not secrets.compare_digest(row.nonce, read[1])
        or session.get(Team, row.team_id) is None
    ):
        raise Problem(404, "no-link", "This invitation is not known. Ask for a new one.")
    if row.used_at is not None:
        raise Problem(410, "link-used", "This invitation was used already. Sign in, or ask for a new one.")
    if row.revoked_at is not None:
        raise Problem(410, "link-revoked", "This invitation was taken back. Ask for a new one.")
    if row.expires_at < now():
        raise Problem(410, "link-expired", "This invitation has run out. Ask for a new one.")
    return row


@blueprint.get("/invitation/<token>")
@limiter.limit("60 per minute")
@blueprint.output(schemas.InvitationPage)
def open_invitation(token: str) -> schemas.InvitationPage:
    """Into which team an invitation leads, and as what."""
    with database().begin() as session:
        row = _invitation(session, token)
        return schemas.InvitationPage(
            team=session.get_one(Team, row.team_id).name,
            role=row.role,  # type: ignore[arg-type]
            expires_at=show.moment(row.expires_at),
            shortest=SHORTEST,
        )


@blueprint.post("/invitation/<token>")
@limiter.limit("20 per minute")
@blueprint.input(schemas.Newcomer)
@blueprint.output(schemas.Session)
def join_team(token: str, json_data: schemas.Newcomer) -> schemas.Session:
    """Come into the team by an invitation; from then on signed in."""
    with database().begin() as session:
        row = _invitation(session, token)
        team = session.get_one(Team, row.team_id)
        check_new_password(json_data.password, json_data.email, json_data.name, team.name)
        account = add_account(
            session,
            team,
            email=clean_address(json_data.email),
            name=json_data.name,
            password=json_data.password,
            role=row.role,
        )
        row.used_at = now()
        note_action(
            session, team.id, account_id=account.id, kind="person", subject=("account", account.id),
            summary=f"{account.name} came into the team as {account.role}.", inverse=[],
        )  # fmt: skip
        enter(session, account)
    return present_session()
