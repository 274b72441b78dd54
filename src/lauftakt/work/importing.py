"""Imports one file: from its bytes to a run in the database, whole or not at all."""

from dataclasses import replace

from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from lauftakt.core.log.model import RawLog, Unusable
from lauftakt.core.pipeline import with_sectors
from lauftakt.core.run import AnalysedRun
from lauftakt.core.technique.by_lap import figures_by_lap
from lauftakt.formats.interpreting import interpret
from lauftakt.formats.packed import unpacked
from lauftakt.formats.reading import READER_VERSION, kind_of, read_raw
from lauftakt.store.analyses import save_analysis
from lauftakt.store.database import INCLUDE_REMOVED, Database, mine, mine_by_id
from lauftakt.store.dialects import find_dialect, to_dialect
from lauftakt.store.layouts import (
    add_layout,
    add_sector_set,
    add_version,
    sectors_drawn,
    sectors_of,
)
from lauftakt.store.models import Driver, HandIn, LayoutRow, Original, Run, RunOverlap, SectorSet
from lauftakt.store.originals import keep_original
from lauftakt.store.runs import Delivered, Labels, add_run, day_of_run, named, save_recognition
from lauftakt.work.given_files import import_given
from lauftakt.work.jobs import hold
from lauftakt.work.labelling import propose
from lauftakt.work.locating import PlacedRun, ReadLog, on_known_layout, on_new_layout
from lauftakt.work.mending import READ_AGAIN
from lauftakt.work.open_jobs import renew_runs
from lauftakt.work.overlapping import Overlap, overlapping
from lauftakt.work.sources import Report, Source, alone

# How often placing begins again because the layout was changed meanwhile.
MOST_ROUNDS = 4


class _Changed(Exception):
    """The layout is another one than the run was placed on."""


def import_file(database: Database, source: Source, report: Report) -> None:
    """Import a log, a layout or a dialect; the hand-in's row tells its fate.

    Parameters
    ----------
    database : where to
    source : what
    report : called with progress (0 to 1) and the step's name; may raise :class:`lauftakt.work.sources.Cancelled`

    Raises
    ------
    Unusable
        with the sentence for the person; nothing was stored.
    Cancelled
        from ``report``; nothing was stored.
    Lost
        where another worker took the job; nothing was stored.
    """
    report(0.05, "reading")
    if kind_of(source.path) == "layout":
        with unpacked(source.path) as plain:
            import_given(database, replace(source, path=plain))
        return
    if _is_known(database, source):
        return
    raw = read_raw(source.path)
    report(0.25, "recognising")
    with database.begin() as session:
        row = find_dialect(session, source.team_id, (channel.name for channel in raw.channels))
        dialect, dialect_id = (to_dialect(row), row.id) if row is not None else (None, None)
    read = ReadLog(raw, interpret(raw, dialect), dialect_id)
    report(0.4, "placing")
    for _ in range(MOST_ROUNDS):
        try:
            _place_and_store(database, source, read, report)
        except _Changed:
            continue
        return
    raise Unusable("changing", "The circuit was changed again and again while the run was placed. Try again.")


def _place_and_store(database: Database, source: Source, read: ReadLog, report: Report) -> None:
    placed = on_known_layout(database, source, read)
    if placed is not None:
        _store(database, source, read, placed, report)
        return
    # Two files of a circuit never seen must not make two layouts of it.
    with alone(database, f"lauftakt-layout-{source.team_id}", source.waits(database, "layout")):
        report(0.4, "placing")
        placed = on_known_layout(database, source, read) or on_new_layout(database, source, read)
        _store(database, source, read, placed, report)


def _is_known(database: Database, source: Source) -> bool:
    """Whether a run of the very same bytes is there, whose kept file was damaged: it is whole again with these.

    Raises
    ------
    Unusable
        ``duplicate`` where nothing of that run is damaged.
    """
    with database.begin() as session:
        hand_in = mine_by_id(session, HandIn, source.team_id, source.hand_in_id)
        twin = session.scalar(mine(Run, source.team_id).where(Run.sha256 == hand_in.sha256).with_for_update())
        if twin is None:
            return False
        kept = session.scalar(mine(Original, source.team_id).where(Original.run_id == twin.id))
        if kept is None or kept.damaged_at is None:
            raise _duplicate(twin.file_name)
        if source.claim is not None:
            hold(session, source.claim)
        keep_original(session, twin, source.path)
        twin.reader_version = READ_AGAIN
        renew_runs(session, twin.team_id, [twin.id], hand_in.account_id)
        hand_in.run_id, hand_in.driver_id, hand_in.state = twin.id, twin.driver_id, "taken"
        hand_in.code = "mended"
        hand_in.message = f"The stored bytes of “{twin.file_name}” were damaged; with this file they are whole again."
        return True


def _duplicate(file_name: str) -> Unusable:
    return Unusable("duplicate", f"This log was handed in before, as “{file_name}”; nothing was stored twice.")


def _store(database: Database, source: Source, read: ReadLog, placed: PlacedRun, report: Report) -> None:
    """One transaction: the run with all that belongs to it, and the file's fate.

    Only one run of a team is stored at a time, so that neither two dialects of one log nor two first runs of a driver
    can slip past each other; all computing is done before.
    """
    report(0.7, "storing")
    try:
        name = f"lauftakt-store-{source.team_id}"
        with alone(database, name, source.waits(database, "store")), database.begin() as session:
            if source.claim is not None:
                hold(session, source.claim)
            hand_in = mine_by_id(session, HandIn, source.team_id, source.hand_in_id)
            given = _driver_given(session, source, hand_in)
            row, version_id, sectors = _layout_rows(session, source.team_id, placed)
            overlaps = (
                overlapping(session, row, placed.layout, placed.analysed) if placed.version_id is not None else []
            )
            if any(overlap.whole for overlap in overlaps):
                raise _duplicate(overlaps[0].file_name)
            labels = propose(session, source.team_id, hand_in, read.log, row)
            run = _save(session, source, read, row, labels, hand_in, given)
            for overlap in overlaps:
                session.add(
                    RunOverlap(
                        team_id=run.team_id, run_id=run.id, other_id=overlap.run_id, laps=overlap.numbers,
                        message=overlap.message,
                    )
                )  # fmt: skip
            analysed, sectors = _in_event(session, run, placed, sectors)
            by_lap = figures_by_lap(read.log, analysed.laps, analysed.signals, placed.layout.length)
            save_analysis(session, run, analysed, version_id, sectors.id if sectors else None, run.reading, by_lap)
            # A video is its picture for the most part: its channels are stored, the file stays with its owner.
            if kind_of(source.path) != "video":
                keep_original(session, run, source.path)
            hand_in.run_id, hand_in.driver_id, hand_in.state = run.id, run.driver_id, "taken"
            hand_in.code, hand_in.message = _fate(run, placed, overlaps, read.raw, labels)
    except IntegrityError as error:
        if "sha256" in str(error.orig):
            raise _duplicate(source.file_name) from error
        raise


def _layout_rows(session: Session, team_id: int, placed: PlacedRun) -> tuple[LayoutRow, int, SectorSet | None]:
    """The layout's row as it is now, read under a lock, with the version the run was placed on; made where it is new.

    Raises
    ------
    _Changed
        where somebody changed the layout while the run was placed.
    """
    if placed.layout_id is None:
        plane = placed.layout.plane
        row = add_layout(session, team_id, placed.layout.name, (plane.latitude, plane.longitude), placed.circuit)
    else:
        row = session.get_one(LayoutRow, placed.layout_id, with_for_update=True, populate_existing=True)
    if row.current_id != placed.version_id:
        raise _Changed
    if placed.version_id is not None:
        return row, placed.version_id, sectors_of(session, row)
    version = add_version(session, row, placed.layout)
    return row, version.id, add_sector_set(session, row, placed.layout)


def _driver_given(session: Session, source: Source, hand_in: HandIn) -> Driver | None:
    """The driver whose file it is by who handed it in; nobody removes them until it is stored.

    Raises
    ------
    Unusable
        ``driver-gone`` where they were removed since.
    """
    if hand_in.driver_id is None:
        return None
    found = mine(Driver, source.team_id).where(Driver.id == hand_in.driver_id).with_for_update()
    driver = session.scalar(found, execution_options=INCLUDE_REMOVED)
    if driver is None or driver.removed_at is not None:
        name = hand_in.driver_name or (driver.name if driver is not None else "The driver")
        raise Unusable(
            "driver-gone",
            f"{name} was removed while this file came in; nothing of it was stored. Undo the removal, or hand the file "
            "in again for another driver.",
        )
    return driver


def _save(
    session: Session,
    source: Source,
    read: ReadLog,
    row: LayoutRow,
    labels: Labels,
    hand_in: HandIn,
    given: Driver | None,
) -> Run:
    """The run with its driver, channels and what they were taken for."""
    driver = given or named(
        session, Driver, source.team_id, labels.driver, (day_of_run(labels, hand_in.created_at), row.id)
    )
    delivered = Delivered(source.file_name, hand_in.sha256, hand_in.created_at, READER_VERSION)
    run = add_run(session, row, driver, labels, read.raw, delivered)
    run.dialect_id = read.dialect_id
    save_recognition(session, run, read.log)
    return run


def _in_event(
    session: Session, run: Run, placed: PlacedRun, sectors: SectorSet | None
) -> tuple[AnalysedRun, SectorSet | None]:
    """The analysis with the laps cut into the sectors of the run's event."""
    own = run.event.sector_set_id
    if own is None or (sectors is not None and own == sectors.id):
        return placed.analysed, sectors
    chosen = session.get_one(SectorSet, own)
    splits = chosen.splits
    layout = replace(placed.layout, **sectors_drawn(splits))
    laps = with_sectors(placed.analysed.laps, placed.analysed.traces, layout)
    return replace(placed.analysed, laps=tuple(laps)), chosen


def _fate(
    run: Run, placed: PlacedRun, overlaps: list[Overlap], raw: RawLog, labels: Labels
) -> tuple[str | None, str | None]:
    """A code and a sentence, where there is more to say of a run that was taken than its laps."""
    if overlaps:
        return "overlap", " ".join(overlap.message for overlap in overlaps)
    said = raw.meta.get("driver")
    if labels.told_by.get("driver") == "link" and said and said.casefold() != run.driver.name.casefold():
        return "other-name", f"The file names “{said[:60]}” as its driver; it came by the link of {run.driver.name}."
    if placed.by_corners:
        return "by-corners", (
            f"No positions were found in this log; its corners are those of “{placed.layout.name}”, where it was "
            "placed. Say so if it was elsewhere, or if one of its channels holds positions."
        )
    if placed.layout_id is None:
        name = placed.layout.name
        if placed.layout.reckoned:
            told = next(w.message for w in placed.analysed.warnings if w.code == "layout-reckoned")
            return "new-layout", f"A circuit not seen before: the layout “{name}”. {told}"
        return "new-layout", f"A circuit not seen before: the layout “{name}” was made from this run."
    return None, None
