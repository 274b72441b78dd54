"""Notes that people pin to places, laps, runs, cars, circuits, drivers and tyres."""

from datetime import datetime

from sqlalchemy import Boolean, ForeignKey, String, Text
from sqlalchemy.orm import Mapped, mapped_column

from lauftakt.store.models.base import Base, Owned, Removable


class Note(Owned, Removable, Base):
    """What somebody wrote, and what it is pinned to (``pin``: ``place``, ``lap``, ``run``, ``car``, ``circuit``,
    ``driver`` or ``tyres``).

    A place is a position on the ground of a circuit, so that it lies where it lay on the next version of a layout; it
    may be one of a single lap. A lap is named by its run and the moment at which it begins in the log. ``author`` stays
    when the account goes. Drivers see what is ``shared``.
    """

    __tablename__ = "note"
    pin: Mapped[str] = mapped_column(String(20))
    text: Mapped[str] = mapped_column(Text)
    shared: Mapped[bool] = mapped_column(Boolean, default=False)
    author: Mapped[str] = mapped_column(String(200))
    account_id: Mapped[int | None] = mapped_column(ForeignKey("account.id", ondelete="SET NULL"))
    written_at: Mapped[datetime]
    changed_at: Mapped[datetime | None]
    circuit_id: Mapped[int | None] = mapped_column(ForeignKey("circuit.id", ondelete="CASCADE"), index=True)
    latitude: Mapped[float | None]
    longitude: Mapped[float | None]
    run_id: Mapped[int | None] = mapped_column(ForeignKey("run.id", ondelete="CASCADE"), index=True)
    moment_s: Mapped[float | None]
    car_id: Mapped[int | None] = mapped_column(ForeignKey("car.id", ondelete="CASCADE"), index=True)
    driver_id: Mapped[int | None] = mapped_column(ForeignKey("driver.id", ondelete="CASCADE"), index=True)
    tyres: Mapped[str | None] = mapped_column(String(200))
