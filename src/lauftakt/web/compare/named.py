"""What a request names by its curves: loaded, in one transaction, for as long as it is answered."""

from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from typing import Protocol

from sqlalchemy.orm import Session

from lauftakt.core.technique.signals import JUDGED_BY
from lauftakt.store.lineup import Entry
from lauftakt.web.access import Problem, database
from lauftakt.web.compare import lineup
from lauftakt.web.compare.addresses import curve_address, curve_addresses
from lauftakt.web.policy import Viewer

Key = tuple[int, int]

# What times are known from, and how well; and what the driver did besides.
TIMED = ("time_draws",)
JUDGED = ("time_draws", *JUDGED_BY)


class Beside(Protocol):
    """A query that names laps and what they are measured against."""

    laps: str
    reference: str


@contextmanager
def named(viewer: Viewer, laps: str, roles: Sequence[str]) -> Iterator[tuple[Session, dict[int, Entry], list[Key]]]:
    """Laps with channels; see :func:`lauftakt.web.compare.lineup.entries_of_curves`."""
    with database().begin() as session:
        entries, keys = lineup.entries_of_curves(session, viewer, curve_addresses(laps), list(roles))
        yield session, entries, keys


@contextmanager
def beside(
    viewer: Viewer, query: Beside, roles: Sequence[str], *, one: bool = False
) -> Iterator[tuple[Session, dict[int, Entry], list[Key], Key]]:
    """Laps with channels, and the reference; ``one`` where only a single lap can be asked for."""
    laps = curve_addresses(query.laps)
    if one and len(laps) > 1:
        raise Problem(422, "invalid", "Name one lap.")
    asked = [*laps, curve_address(query.reference)]
    with database().begin() as session:
        entries, keys = lineup.entries_of_curves(session, viewer, asked, list(roles))
        yield session, entries, keys[:-1], keys[-1]
