"""The whole application, started as the demo starts it, and a real Chromium."""

import os
import shutil
import threading
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Page, expect

from lauftakt.operate.stack import Stack
from lauftakt.store.accounts import add_account, add_team
from lauftakt.store.database import Database
from lauftakt.web.application import FRONT_END

# A busy machine may take a while; what is wrong stays wrong.
expect.set_options(timeout=15_000)

PASSWORD = "a good password"


@pytest.fixture(scope="session")
def stack(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Stack]:
    assert (FRONT_END / "index.html").is_file(), "The front end is not built; run script/setup."
    kept = {name: os.environ.get(name) for name in ("LAUFTAKT_DATABASE_URL", "LAUFTAKT_VAR")}
    made = Stack(tmp_path_factory.mktemp("stack"))
    stop = threading.Event()

    def keep() -> None:
        """Watched as it is in earnest, all the time: what a thread starts ends with it."""
        while not stop.wait(0.3):
            made.watch(print)

    keeper = threading.Thread(target=keep, daemon=True)
    try:
        made.start_database(lambda _: None).close()
        made.start_application(lambda _: None)
        keeper.start()
        yield made
    finally:
        stop.set()
        if keeper.ident is not None:
            keeper.join(60)
        made.stop()
        for name, value in kept.items():
            if value is not None:
                os.environ[name] = value


@pytest.fixture(scope="session")
def browser_type_launch_args(browser_type_launch_args: dict[str, Any]) -> dict[str, Any]:
    return {
        **browser_type_launch_args,
        # Without a window of its own it takes a quarter of the CPU.
        "executable_path": shutil.which("chromium-headless-shell") or shutil.which("chromium"),
        "args": [
            "--no-sandbox",
            "--disable-dev-shm-usage",
            "--disable-background-networking",
            "--disable-component-update",
            "--disable-sync",
            "--no-first-run",
        ],
    }


@pytest.fixture(scope="session")
def base_url(stack: Stack) -> str:
    return stack.address


@pytest.fixture(scope="module")
def own_coach(stack: Stack, request: pytest.FixtureRequest) -> str:
    """The address of a coach whose team is this file's alone: what other files hand in or keep is not seen here."""
    name = request.module.__name__.rsplit(".", 1)[-1]
    email = f"{name.replace('_', '-')}@test.example"
    database = Database(stack.mariadb.url)
    with database.begin() as session:
        add_account(session, add_team(session, f"A school for {name}"), email=email, name="Coach", password=PASSWORD)
    database.close()
    return email


@pytest.fixture(autouse=True)
def _routes_end_with_their_test(request: pytest.FixtureRequest) -> Iterator[None]:
    """An answer that is still being changed when a test ends must not fail the one after it."""
    page: Page | None = request.getfixturevalue("page") if "page" in request.fixturenames else None
    yield
    if page is not None:
        page.unroute_all(behavior="ignoreErrors")


@pytest.fixture
def signed_in(page: Page, own_coach: str) -> Page:
    sign_in(page, own_coach, PASSWORD)
    return page


def sign_in(page: Page, email: str, password: str) -> None:
    page.set_default_timeout(20_000)
    page.set_viewport_size({"width": 1280, "height": 800})
    page.goto("/")
    page.get_by_label("Address").fill(email)
    page.get_by_label("Password").fill(password)
    page.get_by_role("button", name="Sign in").click()
    page.wait_for_url("**/paddock")


def drop(page: Page, paths: list[Path]) -> None:
    page.locator("input[data-choose=files]").set_input_files([str(path) for path in paths])
