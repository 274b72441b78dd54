"""The connection to MariaDB, and the one way to ask for a team's rows."""

import hashlib
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import timedelta
from pathlib import Path
from typing import TypeVar

from alembic import command
from alembic.config import Config
from alembic.migration import MigrationContext
from alembic.script import ScriptDirectory
from sqlalchemy import Engine, Select, create_engine, event, select, text
from sqlalchemy.orm import ORMExecuteState, Session, sessionmaker, with_loader_criteria

from lauftakt.store.models.base import Base, Owned, Removable, now

T = TypeVar("T", bound=Owned)
# For the few queries that look at what was removed, too.
INCLUDE_REMOVED = {"include_removed": True}
# A moment further ahead than this was written while the machine's clock was ahead.
AHEAD = timedelta(minutes=2)


class NotFound(Exception):
    """No such row in this team."""


# For how long the tables are taken for the same without a look.
FILLING_S = 3.0
_MADE = text(
    "SELECT table_schema, create_time FROM information_schema.tables "
    "WHERE table_schema = DATABASE() AND table_name = 'analysis'"
)


class Database:
    """An engine and its sessions; make it anew after a fork.

    ``patience_s``: how long a server that stands still is waited for; without it, until it goes on.
    """

    def __init__(self, url: str, *, patience_s: float | None = None) -> None:
        self.url = url
        self.engine: Engine = create_engine(
            url, pool_pre_ping=True, pool_recycle=1800, pool_size=10, max_overflow=30, isolation_level="READ COMMITTED",
            hide_parameters=True,
            connect_args={} if patience_s is None else {"read_timeout": patience_s, "write_timeout": patience_s},
        )  # fmt: skip
        self.session = sessionmaker(self.engine, expire_on_commit=False)
        event.listen(self.session, "do_orm_execute", _hide_removed)
        self._filling: tuple[float, str] | None = None

    @contextmanager
    def begin(self) -> Iterator[Session]:
        """A session whose work is committed at the end, or not at all."""
        with self.session.begin() as session:
            yield session

    def filling(self) -> str:
        """A name for what is in the tables: it changes where they are made anew, from a backup or for another database.

        Two databases behind one address number their rows alike, so whoever keeps something by such a number needs it.
        Looked up at most every few seconds.
        """
        if self._filling is None or time.monotonic() > self._filling[0] + FILLING_S:
            with self.begin() as session:
                made = session.execute(_MADE).one()
            name = hashlib.sha256(f"{made}".encode()).hexdigest()[:12]
            self._filling = (time.monotonic(), name)
        return self._filling[1]

    def versions(self) -> tuple[str | None, str | None]:
        """The version of the tables (None where there are none yet), and the one this program wants."""
        with self.engine.connect() as connection:
            present = MigrationContext.configure(connection).get_current_revision()
        return present, ScriptDirectory.from_config(_migrations()).get_current_head()

    def migrate(self, version: str = "head", say: Callable[[str], None] | None = None) -> None:
        """Bring the tables up to date, or to a version; ``say`` is told each step. Every step can be repeated, since a
        kill may leave any of them half done."""
        config = _migrations()
        config.attributes["say"] = say
        with self.engine.begin() as connection:
            config.attributes["connection"] = connection
            command.upgrade(config, version)

    def close(self) -> None:
        self.engine.dispose()


def _hide_removed(state: ORMExecuteState) -> None:
    """Rows that somebody removed are in no answer, whoever asks, and whichever way a query comes to them."""
    if state.is_select and not state.is_column_load and not state.execution_options.get("include_removed"):
        state.statement = state.statement.options(
            with_loader_criteria(Removable, lambda model: model.removed_at.is_(None), include_aliases=True)
        )


def mine(model: type[T], team_id: int) -> Select[T]:
    """Rows of one team; every query of a request begins here."""
    return select(model).where(model.team_id == team_id)


def mine_by_id(session: Session, model: type[T], team_id: int, row_id: int) -> T:
    """One row of a team.

    Raises
    ------
    NotFound
        where there is none, or it is another team's (which must look the same).
    """
    row = session.scalar(mine(model, team_id).where(model.id == row_id))
    if row is None:
        raise NotFound(f"{model.__name__} {row_id}")
    return row


def _migrations() -> Config:
    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    return config


__all__ = ["AHEAD", "INCLUDE_REMOVED", "Base", "Database", "NotFound", "mine", "mine_by_id", "now"]
