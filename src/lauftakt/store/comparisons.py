"""Comparisons: computed once for each set of analyses, reference lap and decisions about laps, then kept."""

import hashlib
import json
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import asdict
from threading import Lock

from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session, selectinload

from lauftakt.core.findings.finding import FINDINGS_VERSION, find
from lauftakt.core.findings.names import Evidence
from lauftakt.core.findings.pairing import Contender
from lauftakt.core.findings.statement import Finding
from lauftakt.core.pipeline import CODE_VERSION
from lauftakt.core.run import AnalysedRun
from lauftakt.store.database import Database, NotFound, mine, now
from lauftakt.store.layouts import load_layout
from lauftakt.store.lineup import CurveCache, Entry, said_of_traffic
from lauftakt.store.models import Analysis, Comparison, ComparisonMember, FindingRow, Run


def key_of(entries: Mapping[int, Entry], reference: tuple[int, int]) -> str:
    """What a comparison depends on: its analyses, the reference lap, and which laps count."""
    told = [
        CODE_VERSION,
        FINDINGS_VERSION,
        [entries[reference[0]].analysis.id, reference[1]],
        sorted(
            (entry.analysis.id, entry.run.driver_id, entry.run.car_id or 0, entry.revision)
            for entry in entries.values()
        ),
    ]
    return hashlib.sha256(json.dumps(told).encode()).hexdigest()


def key_of_runs(
    session: Session, runs: Sequence[Run], analyses: Mapping[int, Analysis], reference: tuple[int, int],
    cache: CurveCache,
) -> str:  # fmt: skip
    """The same of runs whose curves were not read: asked often, and only what may have changed is looked up."""
    team_id = runs[0].team_id
    laps = cache.laps(session, team_id, [analyses[run.id].id for run in runs])
    said = said_of_traffic(session, team_id, [run.id for run in runs])
    first = analyses[runs[0].id]
    layout = load_layout(session, first.layout_version_id, first.sector_set_id, cache.layouts)
    entries = {
        run.id: Entry(run, analyses[run.id], laps[analyses[run.id].id], {}, layout, said[run.id]) for run in runs
    }
    return key_of(entries, reference)


def kept_comparison(session: Session, team_id: int, key: str, cache: CurveCache) -> Comparison | None:
    """A comparison that was computed before, by its name."""
    found = cache.comparison(key) or _load(session, team_id, key)
    if found is not None:
        cache.keep_comparison(key, found)
    return found


def comparison_of(
    database: Database,
    session: Session,
    entries: Mapping[int, Entry],
    analysed: Mapping[int, AnalysedRun],
    reference: tuple[int, int],
    cache: CurveCache,
) -> Comparison:
    """The comparison of a line-up's runs with a reference lap, with members and findings; computed where it is new.

    Parameters
    ----------
    database, session : where to look, and where to keep it in a transaction of its own
    entries, analysed : the runs, by id
    reference : run and number of the reference lap
    cache : comparisons read before
    """
    team_id = entries[reference[0]].run.team_id
    key = key_of(entries, reference)
    with _computing(key):
        return _comparison(database, session, entries, analysed, reference, cache, team_id, key)


_locks: dict[str, tuple[Lock, int]] = {}
_locks_lock = Lock()


@contextmanager
def _computing(key: str) -> Iterator[None]:
    """Who asks for what is just being computed waits for it, instead of computing it as well."""
    with _locks_lock:
        lock, waiting = _locks.get(key, (Lock(), 0))
        _locks[key] = (lock, waiting + 1)
    try:
        with lock:
            yield
    finally:
        with _locks_lock:
            lock, waiting = _locks.pop(key)
            if waiting > 1:
                _locks[key] = (lock, waiting - 1)


def _comparison(
    database: Database, session: Session, entries: Mapping[int, Entry], analysed: Mapping[int, AnalysedRun],
    reference: tuple[int, int], cache: CurveCache, team_id: int, key: str,
) -> Comparison:  # fmt: skip
    found = kept_comparison(session, team_id, key, cache)
    if found is not None:
        return found
    order = list(entries)
    contenders = [Contender(analysed[run], f"{entries[run].run.driver_id}", _car(entries[run].run)) for run in order]
    layout = entries[reference[0]].layout
    lost, won = find(contenders, order.index(reference[0]), layout, lap=reference[1], by_run=True)
    try:
        with database.begin() as own:
            row = Comparison(
                team_id=team_id,
                key=key,
                reference_id=entries[reference[0]].analysis.id,
                reference_number=reference[1],
                code_version=CODE_VERSION,
                created_at=now(),
            )
            own.add(row)
            own.flush()
            own.add_all(_member(row, entries[run], analysed[run]) for run in order)
            for strength, findings in ((False, lost), (True, won)):
                own.add_all(_finding(row, entries[order[item.run]], item, strength) for item in findings)
    except IntegrityError:
        pass  # somebody else computed the same at the same moment
    kept = _load(session, team_id, key)
    if kept is None:
        raise NotFound("analysis")  # it was replaced and swept away at this very moment
    return kept


def _car(run: Run) -> str | None:
    return None if run.car_id is None else f"{run.car_id}"


def _load(session: Session, team_id: int, key: str) -> Comparison | None:
    query = mine(Comparison, team_id).where(Comparison.key == key)
    return session.scalar(query.options(selectinload(Comparison.members), selectinload(Comparison.findings)))


def _member(row: Comparison, entry: Entry, run: AnalysedRun) -> ComparisonMember:
    best = run.best_lap
    return ComparisonMember(
        team_id=row.team_id,
        comparison_id=row.id,
        analysis_id=entry.analysis.id,
        run_id=entry.run.id,
        driver_id=entry.run.driver_id,
        best_number=best.number if best else None,
        best_s=best.time_s if best else None,
        theoretical_best_s=run.theoretical_best_s(),
        unbroken_best_s=run.unbroken_best_s(),
        grip_level=run.grip_level,
        held_up={str(lap.number): [list(part) for part in lap.held_up] for lap in run.laps if lap.held_up},
    )


def _finding(row: Comparison, entry: Entry, item: Finding, strength: bool) -> FindingRow:
    return FindingRow(
        team_id=row.team_id,
        comparison_id=row.id,
        run_id=entry.run.id,
        driver_id=entry.run.driver_id,
        strength=strength,
        passage=item.passage,
        corner=item.corner,
        from_m=item.from_m,
        to_m=item.to_m,
        loss_s=item.loss_s,
        loss_u_s=item.loss_u_s,
        loss_to_lap_s=item.loss_to_lap_s,
        parts=item.parts,
        cause=item.cause,
        second_cause=item.second_cause,
        seen_in=list(item.seen_in),
        clean=item.clean,
        best_lap=item.best_lap,
        best_loss_s=item.best_loss_s,
        put_forward=item.put_forward,
        evidence=[asdict(one) for one in item.causes],
        brought_in_s=item.brought_in_s,
        unexplained_s=item.unexplained_s,
        carried_s=item.carried_s,
        against=item.against,
    )


def statement_of(row: FindingRow, driver: str) -> Finding:
    """A kept finding as the core states it, about a driver of that name."""
    return Finding(
        run=row.run_id,
        driver=driver,
        passage=row.passage,
        corner=row.corner,
        from_m=row.from_m,
        to_m=row.to_m,
        loss_s=row.loss_s,
        loss_u_s=row.loss_u_s,
        loss_to_lap_s=row.loss_to_lap_s,
        parts=row.parts,
        cause=row.cause,
        second_cause=row.second_cause,
        seen_in=tuple(row.seen_in),
        clean=row.clean,
        best_lap=row.best_lap,
        best_loss_s=row.best_loss_s,
        put_forward=row.put_forward,
        causes=tuple(Evidence(**{**one, "elements": tuple(one.get("elements", ()))}) for one in row.evidence),
        brought_in_s=row.brought_in_s or 0.0,
        unexplained_s=row.unexplained_s or 0.0,
        carried_s=row.carried_s,
        against=row.against,
    )
