"""A client of the real application on the real database, and teams of our own for each test."""

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from lauftakt import settings
from lauftakt.store.database import Database
from lauftakt.web.application import create_app
from lauftakt.web.limits import limiter
from lauftakt.work import locating, queue, renewing
from lauftakt.work.doing import work_on
from tests.day import Day
from tests.once import remembering
from tests.web.coach import Coach, make_coach


@pytest.fixture(scope="session")
def app(database: Database, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Any]:
    front_end = tmp_path_factory.mktemp("front")
    (front_end / "index.html").write_text("<p>front end</p>")
    (front_end / "mark.svg").write_text("<svg/>")
    made = create_app(settings.load(), database, front_end=front_end)
    limiter.enabled = False
    yield made
    limiter.enabled = True


@pytest.fixture(scope="session", autouse=True)
def now(database: Database) -> Iterator[None]:
    """Jobs are done at once, in this process, instead of being sent to a worker; nothing is computed twice."""
    inbox = settings.load().inbox
    with pytest.MonkeyPatch.context() as patch:
        for module, name in ((locating, "layout_from"), (locating, "analyse_run"), (renewing, "analyse_run")):
            patch.setattr(module, name, remembering(getattr(module, name)))
        patch.setattr(queue.run_job, "delay", lambda job_id: queue.send(work_on(database, inbox, job_id, retry=False)))
        yield


@pytest.fixture
def coach(app: Any, database: Database) -> Coach:
    found = make_coach(app, database)
    assert found.sign_in().status_code == 200
    return found


@pytest.fixture
def stranger(app: Any, database: Database) -> Coach:
    found = make_coach(app, database)
    assert found.sign_in().status_code == 200
    return found


@pytest.fixture(scope="session")
def taught(app: Any, database: Database, now: None, day: Day) -> Coach:
    """A coach whose team has the layout and two runs; who changes anything of it puts it back."""
    coach = make_coach(app, database)
    coach.sign_in()
    for path in (day.layout_file, day.files[0], day.files[1]):
        assert coach.hand_in(path.name, Path(path).read_bytes()).status_code == 201
    return coach
