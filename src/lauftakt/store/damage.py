"""What the database gives back is what was put into it, or it is said that it is not, and of which run.

Compressed blocks carry the checksum of their format (zstd's content checksum, RFC 8878), which finds every flipped bit.
Rows that are no blocks (laps, their sectors, and which blocks there are) are covered by a digest that their analysis
holds.
"""

import hashlib
import json
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from typing import Any, Literal, Protocol

from sqlalchemy import select
from sqlalchemy.orm import Session

from lauftakt.store.models import Analysis, Curves, LapFigures

# Where in a digest of 64 letters the part of the laps ends, and that of the roles.
_LAPS, _ROLES = 24, 40

Part = Literal["analysis", "samples", "layout", "original", "block"]


class Damaged(Exception):
    """Stored bytes are not what was written; of which analysis, run or layout version, where that is known."""

    def __init__(
        self, message: str, *, part: Part = "block", analysis_id: int | None = None, run_id: int | None = None
    ) -> None:
        super().__init__(message)
        self.part, self.analysis_id, self.run_id = part, analysis_id, run_id


@contextmanager
def reading(part: Part, *, analysis_id: int | None = None, run_id: int | None = None) -> Iterator[None]:
    """Name what a damaged block belongs to."""
    try:
        yield
    except Damaged as error:
        if error.part != "block":
            raise
        raise Damaged(str(error), part=part, analysis_id=analysis_id, run_id=run_id) from error


class Stored(Protocol):
    """What of a lap never changes once it was stored."""

    @property
    def number(self) -> int: ...
    @property
    def kind(self) -> str: ...
    @property
    def automatic(self) -> str | None: ...
    @property
    def start_s(self) -> float: ...
    @property
    def end_s(self) -> float: ...
    @property
    def time_s(self) -> float | None: ...
    @property
    def time_u_s(self) -> float | None: ...
    @property
    def sector_times_s(self) -> tuple[float, ...]: ...


def seal(session: Session, analysis: Analysis, laps: Iterable[Stored]) -> None:
    """Note with an analysis what there is of it now; its rows were flushed before."""
    roles = session.scalars(select(Curves.role).where(Curves.analysis_id == analysis.id))
    analysis.digest = digest_of_laps(laps) + _digest_of_roles(roles) + digest_of_blocks(session, analysis)


def parts(digest: str) -> tuple[str, str, str]:
    """The digests of laps, of which curves there are, and of all blocks."""
    return digest[:_LAPS], digest[_LAPS:_ROLES], digest[_ROLES:]


def digest_of_laps(laps: Iterable[Stored]) -> str:
    """24 letters that stand for laps with their sectors."""
    rows = [
        (lap.number, lap.kind, lap.automatic, lap.start_s, lap.end_s, lap.time_s, lap.time_u_s, *lap.sector_times_s)
        for lap in laps
    ]
    rows.sort(key=lambda row: int(row[0] or 0))
    return _short(repr(rows).encode())


def _digest_of_roles(roles: Iterable[str]) -> str:
    return _short(repr(sorted(roles)).encode(), size=8)


def digest_of_blocks(session: Session, analysis: Analysis) -> str:
    """24 letters that stand for the blocks of an analysis, and for its own values."""
    told: list[Any] = [analysis.speed_scale, analysis.delay_s, json.dumps(analysis.scale, sort_keys=True)]
    curves = select(Curves.role, Curves.rows, Curves.data).where(Curves.analysis_id == analysis.id)
    told += [(role, rows, _short(data)) for role, rows, data in session.execute(curves.order_by(Curves.role))]
    figures = select(LapFigures.role, LapFigures.data).where(LapFigures.analysis_id == analysis.id)
    told += [(role, _short(data)) for role, data in session.execute(figures.order_by(LapFigures.role))]
    told.append(_short(session.scalar(select(Analysis.figures).where(Analysis.id == analysis.id)) or b""))
    return _short(repr(told).encode())


def check_laps(session: Session, laps: Mapping[int, Sequence[Stored]]) -> None:
    """Compare laps that were read, by analysis, with what was noted when they were stored.

    Raises
    ------
    Damaged
    """
    for analysis_id, digest in _noted(session, laps):
        if parts(digest)[0] != digest_of_laps(laps[analysis_id]):
            raise Damaged("Laps are not those that were stored.", part="analysis", analysis_id=analysis_id)


def check_roles(session: Session, analysis_ids: Sequence[int]) -> None:
    """Whether every curve that was stored is there.

    Raises
    ------
    Damaged
    """
    there: dict[int, list[str]] = {}
    query = select(Curves.analysis_id, Curves.role).where(Curves.analysis_id.in_(analysis_ids))
    for analysis_id, role in session.execute(query):
        there.setdefault(analysis_id, []).append(role)
    for analysis_id, digest in _noted(session, analysis_ids):
        if parts(digest)[1] != _digest_of_roles(there.get(analysis_id, ())):
            raise Damaged("A curve that was stored is missing.", part="analysis", analysis_id=analysis_id)


def _noted(session: Session, analysis_ids: Iterable[int]) -> Iterator[tuple[int, str]]:
    query = select(Analysis.id, Analysis.digest).where(Analysis.id.in_(list(analysis_ids)))
    for analysis_id, digest in session.execute(query):
        if digest is not None:  # of an older version
            yield analysis_id, digest


def _short(data: bytes, size: int = 12) -> str:
    return hashlib.blake2b(data, digest_size=size).hexdigest()
