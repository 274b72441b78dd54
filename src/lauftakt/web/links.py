"""Personal hand-in links: made, shown as QR code, taken back; and what their holder sees."""

from apiflask import APIBlueprint
from sqlalchemy import or_
from sqlalchemy.orm import Session, selectinload

from lauftakt.store.actions import note_action
from lauftakt.store.database import mine, mine_by_id, now
from lauftakt.store.models import Driver, HandIn, HandInLink, Run, Team
from lauftakt.store.runs import named
from lauftakt.web import schemas, show
from lauftakt.web.access import Problem, database, only
from lauftakt.web.givers import (
    link_of,
    new_link,
    picture_of,
    public_address,
    reachable,
    settings_of_app,
    token_of,
    viewer_of,
)
from lauftakt.web.labels import change_many
from lauftakt.web.limits import limiter
from lauftakt.web.policy import Viewer, allowed, one, visible

blueprint = APIBlueprint("links", __name__, tag="Links")

PAGE = 30


@blueprint.get("/links")
@only("see-team")
@blueprint.output(schemas.LinkList)
def list_links(viewer: Viewer) -> schemas.LinkList:
    """All links that can still be used, and whether phones can reach this machine at all. A link acts as its driver, so
    only who may make one is shown any."""
    with database().begin() as session:
        rows = session.scalars(
            mine(HandInLink, viewer.team_id)
            .where(HandInLink.revoked_at.is_(None), HandInLink.expires_at > now())
            .options(selectinload(HandInLink.driver))
            .order_by(HandInLink.id)
        )
        return schemas.LinkList(
            links=[_out(row) for row in rows] if allowed(viewer, "change") else [],
            drivers=show.everybody(session, viewer),
            reachable=reachable(),
        )


@blueprint.post("/links")
@only("change")
@blueprint.input(schemas.LinkNew)
@blueprint.output(schemas.LinkOut, status_code=201)
def make_link(viewer: Viewer, json_data: schemas.LinkNew) -> schemas.LinkOut:
    """A new link for a driver; an older one of the same driver is taken back."""
    with database().begin() as session:
        driver = named(session, Driver, viewer.team_id, json_data.driver)
        for row in session.scalars(
            mine(HandInLink, viewer.team_id).where(HandInLink.driver_id == driver.id, HandInLink.revoked_at.is_(None))
        ):
            row.revoked_at = now()
        link = new_link(viewer.team_id, driver.id, json_data.days)
        session.add(link)
        session.flush()
        return _out(link)


@blueprint.delete("/links/<int:link_id>")
@only("change")
@blueprint.output({}, status_code=204)
def revoke_link(viewer: Viewer, link_id: int) -> str:
    """Take a link back: it opens nothing from now on. What came by it stays."""
    with database().begin() as session:
        row = mine_by_id(session, HandInLink, viewer.team_id, link_id)
        row.revoked_at = now()
        note_action(
            session,
            viewer.team_id,
            account_id=viewer.account_id,
            kind="link",
            subject=("link", row.id),
            summary=f"Took back the link of {row.driver.name}.",
            inverse=[{"do": "link", "link": row.id}],
        )
    return ""


@blueprint.post("/links/<int:link_id>/restore")
@only("change")
@blueprint.output(schemas.LinkOut)
def restore_link(viewer: Viewer, link_id: int) -> schemas.LinkOut:
    """Give a link that was just taken back its power again."""
    with database().begin() as session:
        row = mine_by_id(session, HandInLink, viewer.team_id, link_id)
        bring_link_back(session, row)
        return _out(row)


def bring_link_back(session: Session, row: HandInLink) -> None:
    """Undo that a link was taken back; one that was replaced stays dead.

    Raises
    ------
    Problem
        409 ``replaced``
    """
    newer = mine(HandInLink, row.team_id).where(HandInLink.driver_id == row.driver_id, HandInLink.id > row.id)
    if row.revoked_at is not None and session.scalar(newer.limit(1)) is not None:
        raise Problem(409, "replaced", "This link was replaced by a newer one and opens nothing any more.")
    row.revoked_at = None


def _out(row: HandInLink) -> schemas.LinkOut:
    address = f"{public_address()}/give/{token_of(row)}"
    return schemas.LinkOut(
        id=row.id,
        driver=show.driver(row.driver),
        address=address,
        qr_svg=picture_of(address),
        created_at=show.moment(row.created_at),
        expires_at=show.moment(row.expires_at),
        last_used_at=show.moment(row.last_used_at) if row.last_used_at else None,
    )


@blueprint.get("/link/<token>")
@limiter.limit("240 per minute")
@blueprint.input(schemas.LinkQuery, location="query")
@blueprint.output(schemas.LinkPage)
def open_link(token: str, query_data: schemas.LinkQuery) -> schemas.LinkPage:
    """What the holder of a link sees: whose it is, and what came by it."""
    link, driver = link_of(token)
    viewer = viewer_of(link)
    with database().begin() as session:
        page = visible(HandIn, viewer).options(*show.HAND_IN_PARTS).order_by(HandIn.id.desc())
        if query_data.before is not None:
            page = page.where(HandIn.id < query_data.before)
        # A run that the coach gave to somebody else since is no longer this driver's to see.
        page = page.where(
            or_(HandIn.run_id.is_(None), HandIn.run_id.in_(visible(Run, viewer).with_only_columns(Run.id)))
        )
        rows = session.scalars(page.limit(PAGE + 1)).all()
        return schemas.LinkPage(
            driver=show.driver(driver),
            team=session.get_one(Team, link.team_id).name,
            expires_at=show.moment(link.expires_at),
            upload_mb=settings_of_app().upload_mb,
            hand_ins=show.hand_ins(session, viewer, rows[:PAGE]),
            more=len(rows) > PAGE,
        )


@blueprint.patch("/link/<token>/runs/<int:run_id>")
@limiter.limit("120 per minute")
@blueprint.input(schemas.DriverWords)
@blueprint.output(schemas.RunOut)
def tell_by_link(token: str, run_id: int, json_data: schemas.DriverWords) -> schemas.RunOut:
    """What the driver says of an own run that came by the link: how it felt, conditions, tyres."""
    viewer = viewer_of(link_of(token)[0])
    with database().begin() as session:
        run = one(session, Run, viewer, run_id, lock=True)
        change = schemas.Labels(**json_data.model_dump(exclude_unset=True))
        change_many(session, viewer, [run], change, "driver")
        session.flush()
        return show.run(run, None)
