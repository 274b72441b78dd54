"""MDF 4 (ASAM) measurement files, in and out; asammdf knows the blocks."""

import logging
import re
import struct
from datetime import UTC, datetime
from pathlib import Path
from typing import Any
from xml.sax.saxutils import escape, quoteattr

import numpy as np
import pyarrow as pa
from asammdf import MDF, Signal
from defusedxml.ElementTree import ParseError, fromstring
from numpy.typing import NDArray

from lauftakt.core.log.model import Log, RawChannel, RawLog, Unusable, Warning
from lauftakt.core.log.repairs import check_span
from lauftakt.core.log.roles import ROLES
from lauftakt.core.log.text import printable
from lauftakt.formats.csv_shape import MOST_COLUMNS
from lauftakt.formats.figures import figures_of_text
from lauftakt.formats.metadata import add_metadata, dated
from lauftakt.formats.units import convert

Array = NDArray[np.float64]

LEAST_SAMPLES = 20
MOST_BLOCKS = 500_000
MOST_LINKS = 200_000
_CHAINED = (b"HD", b"DG", b"CG", b"CN", b"DL", b"AT", b"EV", b"FH", b"CH", b"LD")
# It writes to the console about every damaged block; what matters is told to the person.
logging.getLogger("asammdf").setLevel(logging.CRITICAL)


def read_mdf(path: Path) -> RawLog:
    """Read an MDF 4 file: every numeric channel with the clock of its group.

    Raises
    ------
    Unusable
        ``mdf``, ``columns``, ``no-rows``
    """
    _check_chains(path)
    try:
        with MDF(path) as file:
            if not str(file.version).startswith("4"):
                raise Unusable("mdf", f"The file is MDF {str(file.version)[:8]}; only MDF 4 can be read. Convert it.")
            raw = _read(file)
    except Unusable:
        raise
    except MemoryError:
        raise
    except Exception as error:  # asammdf raises whatever its parsing meets in a damaged file
        raise Unusable("mdf", "The file is damaged or ends too early; export it again.") from error
    if max((len(channel.time) for channel in raw.channels), default=0) < LEAST_SAMPLES:
        raise Unusable("no-rows", "The file holds no channel with enough figures for a lap.")
    return raw


def _check_chains(path: Path) -> None:
    """Refuse a file whose blocks lead to one another in a circle: the library would follow them for ever.

    Every MDF 4 block begins with its name, length and links (ASAM MDF 4.1, 5.3); in data groups, channel groups,
    channels and data lists the first link is the next block of the same kind.
    """
    size = path.stat().st_size
    seen: set[int] = set()
    with path.open("rb") as file:
        if file.read(9)[8:9] != b"4":
            raise Unusable("mdf", "The file is not MDF 4, the only MDF that can be read. Convert it.")

        def links(at: int) -> tuple[bytes, tuple[int, ...]]:
            file.seek(at)
            head = file.read(24)
            if len(head) < 24 or head[:2] != b"##":
                return b"", ()
            count = min(int.from_bytes(head[16:24], "little"), MOST_LINKS)
            data = file.read(8 * count)
            return head[2:4], struct.unpack(f"<{len(data) // 8}Q", data[: len(data) // 8 * 8])

        waiting = [64]
        while waiting:
            at = waiting.pop()
            if at in seen or not 0 < at < size - 24:
                continue
            seen.add(at)
            kind, found = links(at)
            waiting.extend(found)
            if len(seen) > MOST_BLOCKS:
                raise Unusable("mdf", "The file holds more blocks than any measurement; export it again.")
            chain, following = {at}, found
            while kind in _CHAINED and following and following[0]:
                if following[0] in chain:
                    raise Unusable("mdf", "The file is damaged: its blocks lead in a circle. Export it again.")
                if following[0] in seen:
                    break  # the rest of this chain was walked before
                chain.add(following[0])
                seen.add(following[0])
                _, following = links(following[0])
                waiting.extend(following)


def _read(file: Any) -> RawLog:
    meta: dict[str, str] = {}
    for key, value in _properties(str(getattr(file.header, "comment", "") or "")):
        add_metadata(meta, key, value)
    started = file.header.start_time
    if isinstance(started, datetime) and started.year > 1990:
        meta.setdefault("date", started.isoformat())
    found: list[tuple[str, str, Array, Array]] = []
    warnings: list[Warning] = []
    text = repaired = 0
    count = sum(len(group.channels) for group in file.groups)
    if count > 2 * MOST_COLUMNS:
        raise Unusable("columns", f"The file has {count} channels; at most {MOST_COLUMNS} can be read.")
    for index, group in enumerate(file.groups):
        master = file.masters_db.get(index)
        for number, channel in enumerate(group.channels):
            if number == master:
                continue
            signal = file.get(group=index, index=number, ignore_invalidation_bits=False)
            values = np.asarray(signal.samples)
            if values.ndim == 1 and values.dtype.kind in "SUO":
                told = _told(values)
                values = values if told is None else told
            if values.ndim != 1 or values.dtype.kind not in "fiub":
                text += 1
                continue
            time = np.asarray(signal.timestamps, dtype=float)
            values = values.astype(float)
            there = np.isfinite(values) & np.isfinite(time)
            time, values = time[there], values[there]
            highest = np.maximum.accumulate(time) if len(time) else time
            rising = np.append(True, time[1:] > highest[:-1])[: len(time)]
            repaired += int(len(time) - rising.sum())
            if rising.sum() < 1 or rising.sum() < len(time) / 2:
                continue
            unit = printable(str(signal.unit or ""))[:60]
            found.append((_name(str(channel.name)), unit, time[rising], values[rising]))
    if text:
        warnings.append(Warning("channel-text", f"{text} channels hold no figures and were left out."))
    if repaired:
        warnings.append(Warning("clock-repaired", f"{repaired} samples were left out because their time did not rise."))
    if not found:
        raise Unusable("no-rows", "The file holds no channel of figures.")
    begin = min(float(time[0]) for _, _, time, _ in found)
    check_span(max(float(time[-1]) for _, _, time, _ in found) - begin)
    channels: list[RawChannel] = []
    taken: set[str] = set()
    for name, unit, time, values in found:
        own, more = name, 2
        while own in taken:
            own, more = f"{name} ({more})", more + 1
        taken.add(own)
        channels.append(RawChannel(own, unit, time - begin, values))
    return RawLog(tuple(channels), dated(meta), tuple(warnings))


def _told(values: Array) -> Array | None:
    """Figures behind texts, as a conversion of values to words makes them of a gear or a switch; None for others."""
    words = [v.decode("utf-8", "replace") if isinstance(v, bytes) else str(v) for v in values.tolist()]
    return figures_of_text(pa.chunked_array([pa.array([word.strip("\x00 ") for word in words], pa.string())]))


def _name(text: str) -> str:
    # Device and group are put behind a backslash by some writers.
    clean = printable(text.split("\\")[0]).strip()
    return clean[:120] or "channel"


def _properties(comment: str) -> list[tuple[str, str]]:
    """Key and value of the header comment's common properties."""
    if not comment.lstrip().startswith("<"):
        return [(m[1], m[2]) for m in re.finditer(r"^\s*([^:=\n]{1,40})[:=]\s*(.+)$", comment, re.MULTILINE)]
    try:
        root = fromstring(comment, forbid_entities=True)
    except (ParseError, ValueError):
        return []
    return [
        (element.get("name", ""), element.text or "")
        for element in root.iter()
        if element.tag.rpartition("}")[2] == "e"
    ]


def write_mdf(log: Log, path: Path) -> None:
    """Write a log as MDF 4.10: channels of one clock share a group; canonical names and units."""
    with MDF(version="4.10") as file:
        try:
            # A clock without an offset is written as the local one that it is.
            file.header.start_time = datetime.fromisoformat(log.meta.get("date", ""))
        except ValueError:
            file.header.start_time = datetime(1970, 1, 1, tzinfo=UTC)  # the format has no "not known"
        properties = "".join(
            f"<e name={quoteattr(printable(k))}>{escape(printable(v))}</e>" for k, v in log.meta.items()
        )
        file.header.comment = (
            f"<HDcomment><TX>Lauftakt</TX><common_properties>{properties}</common_properties></HDcomment>"
        )
        groups: list[list[Signal]] = []
        for channel in log.channels:
            role = ROLES.get(channel.role or "")
            unit = role.assumed if role else channel.unit
            values = convert(channel.values, role.unit, unit) if role else channel.values
            signal = Signal(
                np.ascontiguousarray(values), np.ascontiguousarray(channel.time), unit=unit,
                name=role.header if role else channel.name,
            )  # fmt: skip
            for group in groups:
                if len(group[0].timestamps) == len(channel.time) and np.array_equal(group[0].timestamps, channel.time):
                    group.append(signal)
                    break
            else:
                groups.append([signal])
        for group in groups:
            file.append(group, comment="Lauftakt")
        # The library insists on its own ending, wherever it is told to write.
        made = file.save(path, overwrite=True, compression=2)
    Path(made).replace(path)
