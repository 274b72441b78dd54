"""What all tables share."""

from datetime import UTC, datetime
from typing import Any, ClassVar

from sqlalchemy import JSON, Double, ForeignKey, MetaData
from sqlalchemy.dialects.mysql import DATETIME
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column


class Base(DeclarativeBase):
    metadata = MetaData(
        naming_convention={
            "ix": "ix_%(column_0_label)s",
            "uq": "uq_%(table_name)s_%(column_0_name)s",
            "fk": "fk_%(table_name)s_%(column_0_name)s",
            "pk": "pk_%(table_name)s",
        }
    )
    type_annotation_map: ClassVar[dict[Any, Any]] = {
        datetime: DATETIME(fsp=6),
        float: Double(),
        dict[str, Any]: JSON,
        list[Any]: JSON,
    }


class Owned:
    """Mixed into every table whose rows belong to a team, which is all of them but the team's own."""

    id: Mapped[int] = mapped_column(primary_key=True)
    team_id: Mapped[int] = mapped_column(ForeignKey("team.id", ondelete="CASCADE"), index=True)


class Removable:
    """Mixed into what people can remove: such a row is hidden from every query at once, can be brought back, and is
    gone for good some weeks later. Only what asks for ``include_removed`` sees it."""

    removed_at: Mapped[datetime | None] = mapped_column(index=True)


def now() -> datetime:
    """The present in UTC, as stored."""
    return datetime.now(UTC).replace(tzinfo=None)
