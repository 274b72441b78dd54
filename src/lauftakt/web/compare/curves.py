"""Curves of the line-up: laps, what drivers usually do, and the samples that their loggers wrote."""

from collections.abc import Mapping, Sequence
from typing import Any
from urllib.parse import unquote

import numpy as np
from numpy.typing import NDArray
from sqlalchemy.orm import Session

from lauftakt.core.comparison.bands import FEWEST, band, restarted
from lauftakt.core.comparison.delta import beyond_doubt, loss_rate
from lauftakt.core.log.model import Unusable
from lauftakt.core.registry import CHANNELS, DERIVED, DIFFERENCES, LOGGED, STEPPED
from lauftakt.core.technique.signals import JUDGED_BY
from lauftakt.store.database import mine
from lauftakt.store.lineup import NAMELESS, Entry
from lauftakt.store.models import ChannelRow
from lauftakt.store.runs import load_si
from lauftakt.web import schemas
from lauftakt.web.compare.lineup import rate_doubt
from lauftakt.web.compare.streams import stream

Key = tuple[int, int]
Array = NDArray[np.float64]

MOST_NAMELESS = 8
# A logger at 100 Hz and a lap of a slow car: some thousand samples a lap and channel, no more.
LONGEST_SAMPLED_M = 800.0
_MADE_HERE = set(DERIVED) - set(DIFFERENCES)
_OF_REFERENCE = ("delta", *DIFFERENCES)


def roles_of(text: str, *, differences: bool = False) -> list[str]:
    """Channels that are asked for and known; ``differences``: those to the reference as well."""
    asked = [unquote(part) for part in text.split(",") if part]
    nameless = [role for role in asked if role.startswith(NAMELESS)][:MOST_NAMELESS]
    known = {code for code, entry in CHANNELS.items() if entry.computed} | set(LOGGED) | _MADE_HERE
    if differences:
        known |= set(_OF_REFERENCE)
    return list(dict.fromkeys([role for role in asked if role in known] + nameless))


def stored_roles(wanted: Sequence[str]) -> list[str]:
    """What has to be loaded for channels that are asked for."""
    stored = [role for role in wanted if role not in _MADE_HERE and role not in _OF_REFERENCE]
    # What is derived follows from what the driver did.
    return list(dict.fromkeys([*stored, *(JUDGED_BY if _MADE_HERE & set(wanted) else ())]))


def of_laps(entries: Mapping[int, Entry], laps: Sequence[Key], reference: Key, roles: Sequence[str]) -> bytes:
    """Curves of laps as an Arrow stream."""
    layout = entries[reference[0]].layout
    base = entries[reference[0]].trace(reference[1])
    assert base is not None
    columns: dict[str, NDArray[Any]] = {"s": layout.grid()}
    times = np.array([entries[run].on_grid(number, "time") for run, number in laps])
    rates = loss_rate(times - base.time, layout.length).astype(np.float32)
    derived = derived_by_run(entries, laps, roles)
    for (run, number), time, rate in zip(laps, times, rates, strict=True):
        entry = entries[run]
        name = entry.name(number)
        columns[f"{name}|time"] = time
        columns[f"{name}|loss_rate"] = rate
        columns[f"{name}|sure_rate"] = rate
        if (run, number) != reference:
            doubt = rate_doubt(entry, number, entries[reference[0]], base)
            columns[f"{name}|sure_rate"] = beyond_doubt(rate, doubt).astype(np.float32)
        for role in roles:
            values = values_of(entry, number, role, derived[run])
            if values is not None:
                columns[f"{name}|{role}"] = values.astype(np.float32)
    return stream(columns)


def bands(
    entries: Mapping[int, Entry], laps: Sequence[Key], reference: Key, roles: Sequence[str], from_m: float
) -> bytes:
    """What each driver with enough laps among them usually does, as an Arrow stream."""
    layout = entries[reference[0]].layout
    grid = layout.grid()
    base = entries[reference[0]].trace(reference[1])
    line = entries[reference[0]].on_grid(reference[1], "offset")
    assert base is not None
    columns: dict[str, NDArray[Any]] = {"s": grid}
    by_driver: dict[int, list[Key]] = {}
    for run, number in laps:
        if not entries[run].made:
            by_driver.setdefault(entries[run].run.driver_id, []).append((run, number))
    derived = derived_by_run(entries, laps, roles)
    for driver, own in by_driver.items():
        if len(own) < FEWEST:
            continue
        delta = np.array([entries[run].on_grid(number, "time") for run, number in own]) - base.time
        for role in roles:
            if role == "delta":
                rows = restarted(delta, grid, min(from_m, layout.length))
            elif role == "loss_rate":
                rows = loss_rate(delta, layout.length)
            else:
                told = "offset" if role == "offset_gap" else role
                found = [values_of(entries[run], number, told, derived[run]) for run, number in own]
                known = [values for values in found if values is not None]
                if len(known) < FEWEST:
                    continue
                rows = np.array(known)
                if role == "offset_gap":
                    rows = rows - (np.nan if line is None else line)
            found_band = band(rows, stepped=role in STEPPED)
            for name in ("low", "middle", "high"):
                columns[f"{driver}|{role}|{name}"] = getattr(found_band, name).astype(np.float32)
    return stream(columns)


def derived_by_run(
    entries: Mapping[int, Entry], laps: Sequence[Key], roles: Sequence[str]
) -> dict[int, dict[str, Array]]:
    """Derived channels by run: made once for each, however many of its laps are asked for."""
    made_here = [role for role in roles if role in _MADE_HERE]
    return {run: entries[run].derived(made_here) for run in dict.fromkeys(run for run, _ in laps)}


def values_of(entry: Entry, number: int, role: str, derived: Mapping[str, Array]) -> Array | None:
    """A channel of a lap on the layout's grid, (g,); None where it was not logged."""
    own = derived.get(role)
    return entry.on_grid(number, role) if own is None else own[entry.numbers.index(number)]


def samples(
    session: Session,
    entries: Mapping[int, Entry],
    laps: Sequence[Key],
    roles: Sequence[str],
    from_m: float,
    to_m: float,
) -> schemas.SamplesOut:
    """Logged samples of laps between two places; a lap that nobody drove has none.

    Values are what the logger wrote, in SI units; a speed is brought to the ground as that of its run is.
    """
    found = []
    for run in dict.fromkeys(run for run, _ in laps if not entries[run].made):
        entry = entries[run]
        query = mine(ChannelRow, entry.run.team_id).where(
            ChannelRow.run_id == run, ChannelRow.role.in_(roles), ChannelRow.count > 0
        )
        for row in session.scalars(query):
            try:
                channel = load_si(session, row)
            except Unusable:  # in a unit that nobody knows: it is drawn nowhere
                continue
            factor = entry.analysis.speed_scale if row.role == "speed" else 1.0
            for number in (number for own, number in laps if own == run):
                time = entry.on_grid(number, "time")
                assert time is not None
                start = entry.lap(number).start_s
                ends = np.interp([from_m, to_m], entry.layout.grid(), time)
                first, last = np.searchsorted(channel.time, start + ends, side="left")
                places = np.interp(channel.time[first:last] - start, time, entry.layout.grid())
                found.append(
                    schemas.LapSamples(
                        lap=entry.name(number),
                        role=row.role or "",
                        rate_hz=round(channel.rate_hz, 3),
                        s_m=np.round(places, 3).tolist(),
                        values=[float(value) for value in factor * channel.values[first:last]],
                    )
                )
    return schemas.SamplesOut(channels=found)
