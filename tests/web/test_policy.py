"""Policy by itself: for every table and every kind of viewer, whatever the routes do with it."""

from dataclasses import dataclass
from typing import Any, get_args

import pytest

from lauftakt.store.database import Database, NotFound
from lauftakt.store.models import Base, Driver, HandIn, Run
from lauftakt.web.policy import ACTIONS, WHOLE_TEAM, Kind, Viewer, allowed, may, one, visible
from tests.web.coach import make_coach

KINDS: tuple[Kind, ...] = get_args(Kind)
OWNED = sorted(
    (mapper.class_ for mapper in Base.registry.mappers if hasattr(mapper.class_, "team_id")), key=lambda m: m.__name__
)
# Tables of which a driver may see rows; whatever is added is for the team alone until it stands here.
FOR_DRIVERS = {"Account", "Analysis", "Car", "Circuit", "Driver", "Event", "LayoutRow", "LayoutVersion", "Run"}
FOR_LINKS = (FOR_DRIVERS - {"Account"}) | {"HandIn", "HandInLink", "Upload"}


@dataclass(frozen=True)
class Held:
    """Two teams, each with a run."""

    mine: int
    other: int
    driver: int


@pytest.fixture(scope="module")
def held(app: Any, database: Database, now: None, day: Any) -> Held:
    teams, driver = [], 0
    for _ in range(2):
        coach = make_coach(app, database)
        coach.sign_in()
        assert coach.hand_in(day.files[1].name, day.files[1].read_bytes()).status_code == 201
        teams.append(coach.team_id)
        driver = driver or coach.get("/api/paddock").json["runs"][0]["driver"]["id"]
    return Held(*teams, driver)


@pytest.mark.parametrize("model", OWNED, ids=lambda model: model.__name__)
def test_nobody_sees_a_row_of_another_team(database: Database, held: Held, model: Any) -> None:
    for kind in KINDS:
        viewer = Viewer(kind, held.mine, account_id=1, driver_id=held.driver, link_id=1)
        with database.begin() as session:
            assert {row.team_id for row in session.scalars(visible(model, viewer))} <= {held.mine}, kind


@pytest.mark.parametrize("model", OWNED, ids=lambda model: model.__name__)
def test_tables_are_closed_to_drivers_unless_they_were_opened(database: Database, held: Held, model: Any) -> None:
    for kind, opened in (("driver", FOR_DRIVERS), ("link", FOR_LINKS)):
        nobody = Viewer(kind, held.mine)
        with database.begin() as session:
            assert session.scalars(visible(model, nobody)).all() == [], "a viewer who is no driver sees nothing"
            if model.__name__ not in opened:
                known = Viewer(kind, held.mine, driver_id=held.driver, link_id=1)
                assert session.scalars(visible(model, known)).all() == [], kind


def test_a_driver_sees_what_belongs_to_their_runs(database: Database, held: Held) -> None:
    driver = Viewer("driver", held.mine, driver_id=held.driver)
    somebody = Viewer("driver", held.mine, driver_id=held.driver + 1_000_000)
    with database.begin() as session:
        for name in FOR_DRIVERS - {"Account", "Driver"}:
            model = next(model for model in OWNED if model.__name__ == name)
            assert session.scalars(visible(model, driver)).all(), name
            assert session.scalars(visible(model, somebody)).all() == [], name
        run = session.scalars(visible(Run, driver)).one()
        assert may(driver, "see", run)
        assert may(driver, "tell", run)
        assert not may(driver, "change", run)
        assert not may(somebody, "see", run)
        assert not may(Viewer("owner", held.other), "see", run)


def test_what_is_hidden_is_not_there(database: Database, held: Held) -> None:
    with database.begin() as session:
        coach = Viewer("coach", held.mine)
        run = session.scalars(visible(Run, coach)).one()
        assert one(session, Run, coach, run.id) is run
        for viewer in (
            Viewer("owner", held.other),
            Viewer("driver", held.mine, driver_id=held.driver + 1_000_000),
            Viewer("link", held.mine, driver_id=held.driver, link_id=1),
        ):
            with pytest.raises(NotFound):
                one(session, Run, viewer, run.id)


def test_a_link_shows_what_came_by_it(database: Database, held: Held) -> None:
    holder = Viewer("link", held.mine, driver_id=held.driver, link_id=None)
    with database.begin() as session:
        # Without a link's number nothing came by it, least of all what came by none.
        assert session.scalars(visible(HandIn, holder)).all() == []
        assert session.scalars(visible(Run, holder)).all() == []
        assert session.scalars(visible(Driver, holder)).all() == []


def test_actions_are_for_those_who_lead(held: Held) -> None:
    for action, kinds in ACTIONS.items():
        assert "owner" in kinds, action
        assert {kind for kind in KINDS if allowed(Viewer(kind, 1), action)} == set(kinds)
    assert not allowed(Viewer("assistant", 1), "change")
    assert set(WHOLE_TEAM) == {"owner", "coach", "assistant"}
