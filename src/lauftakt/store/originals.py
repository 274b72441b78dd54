"""Bytes of taken logs as they were handed in: kept with the run, compressed, with a checksum."""

import hashlib
from collections.abc import Iterator
from pathlib import Path

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from lauftakt.store.blocks import expand, squeeze
from lauftakt.store.damage import Damaged
from lauftakt.store.models import Original, OriginalPart, Run

# One blob a packet, well under what the database takes.
PART_BYTES = 3_000_000


def keep_original(session: Session, run: Run, path: Path) -> None:
    """Keep a file's bytes with its run, in the caller's transaction."""
    session.execute(delete(Original).where(Original.team_id == run.team_id, Original.run_id == run.id))
    row = Original(
        team_id=run.team_id, run_id=run.id, file_name=run.file_name, sha256=run.sha256, size=path.stat().st_size
    )
    session.add(row)
    session.flush()
    with path.open("rb") as file:
        for number, part in enumerate(iter(lambda: file.read(PART_BYTES), b"")):
            data = squeeze(part, level=3)
            session.add(OriginalPart(team_id=run.team_id, original_id=row.id, number=number, data=data))
            session.flush()


def original_parts(session: Session, row: Original) -> Iterator[bytes]:
    """The bytes of a kept file, part by part.

    Raises
    ------
    Damaged
        where they cannot be unpacked, or at the end, where they are not what was handed in.
    """
    digest = hashlib.sha256()
    query = select(OriginalPart.data).where(OriginalPart.team_id == row.team_id, OriginalPart.original_id == row.id)
    for data in session.scalars(query.order_by(OriginalPart.number).execution_options(yield_per=1)):
        try:
            part = expand(data)
        except Damaged as error:
            raise Damaged(f"The kept bytes of “{row.file_name}” cannot be unpacked.", part="original") from error
        digest.update(part)
        yield part
    if row.sha256 and digest.hexdigest() != row.sha256:
        raise Damaged(
            f"The kept bytes of “{row.file_name}” do not have the checksum of what was handed in.", part="original"
        )


def write_original(session: Session, row: Original, path: Path) -> None:
    """Write a kept file's bytes."""
    with path.open("wb") as file:
        for part in original_parts(session, row):
            file.write(part)
