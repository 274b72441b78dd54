# ruff: noqa: E501 (one file a line reads best)
"""Broken and malicious files: what is in them, and what has to become of each.

``refused`` names the code of the refusal; ``taken`` the codes of what has to be said although the file is read.
"""

import gzip
import io
import json
import struct
import zipfile
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq


@dataclass(frozen=True)
class Hostile:
    """One file."""

    name: str
    data: Callable[[], bytes]
    refused: tuple[str, ...] = ()
    taken: tuple[str, ...] = ()


def table(header: str = "time [s],speed [km/h],latitude [deg],longitude [deg]", rows: int = 60, row=None) -> bytes:
    row = row or (lambda i: f"{i / 10},100,{53.0 + i * 1e-4},{10.0 + i * 1e-4}")
    return (header + "\n" + "".join(row(i) + "\n" for i in range(rows))).encode()


def zipped(files: dict[str, bytes], **info) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in files.items():
            member = zipfile.ZipInfo(name)
            member.compress_type = zipfile.ZIP_DEFLATED
            for key, value in info.items():
                setattr(member, key, value)
            archive.writestr(member, data)
    return out.getvalue()


def locked() -> bytes:
    data = bytearray(zipped({"a.csv": table()}))
    for mark, offset in ((b"PK\x03\x04", 6), (b"PK\x01\x02", 8)):
        at = data.find(mark)
        data[at + offset] |= 1
    return bytes(data)


def parquet(columns: dict[str, object]) -> bytes:
    out = io.BytesIO()
    pq.write_table(pa.table(columns), out)
    return out.getvalue()


def gpx(points: str, head: str = "") -> bytes:
    return (
        f'<?xml version="1.0"?>{head}<gpx xmlns="http://www.topografix.com/GPX/1/1" version="1.1" creator="x">'
        f"<trk><trkseg>{points}</trkseg></trk></gpx>"
    ).encode()


def point(i: int, time: bool = True) -> str:
    stamp = f"<time>2026-05-16T10:{i // 60:02d}:{i % 60:02d}Z</time>" if time else ""
    return f'<trkpt lat="{53 + i * 1e-4}" lon="10.0">{stamp}</trkpt>'


ENTITIES = '<!DOCTYPE gpx [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;&a;&a;&a;&a;&a;&a;">]>'
OUTSIDE = '<!DOCTYPE gpx [<!ENTITY x SYSTEM "file:///etc/passwd">]>'
LONG = "x" * 300

FILES = [
    Hostile("empty.csv", lambda: b"", ("file-empty",)),
    Hostile("one-line.csv", lambda: b"time [s],speed [km/h]\n", ("columns",)),
    Hostile("one-byte.csv", lambda: b"t", ("columns",)),
    Hostile("prose.csv", lambda: b"Dear coach,\nI forgot the logger.\n", ("no-time", "columns")),
    Hostile("binary.csv", lambda: bytes(range(256)) * 300, ("file-binary",)),
    Hostile("zeros.csv", lambda: bytes(100_000), ("file-binary", "columns")),
    Hostile("picture.csv", lambda: b"\x89PNG\r\n\x1a\n" + bytes(range(200)) * 20, ("file-binary", "columns")),
    Hostile("page.csv", lambda: b"<html><script>alert(1)</script></html>\n" * 40, ("columns",)),
    Hostile("gzip.csv", lambda: gzip.compress(table(rows=400))[:-900], ("packed",)),
    Hostile("gzip-of-nothing.gz", lambda: gzip.compress(b""), ("file-empty",)),
    Hostile("truncated.csv", lambda: table(rows=300)[:-7] + b"1,", taken=("rows-skipped",)),
    Hostile("cut-in-a-letter.csv", lambda: table("time [s],speed [km/h],Öl [°C]", row=lambda i: f"{i},1,2")[:-1] + b"\xc3"),
    Hostile("latin-in-utf8.csv", lambda: "time [s];Öl [°C];speed\n".encode("cp1252") + b"1;2;3\n" * 5, ("no-rows", "clock")),
    Hostile("utf16-odd.csv", lambda: table(rows=80).decode().encode("utf-16")[:-1]),
    Hostile("ragged.csv", lambda: table(row=lambda i: ",".join(["1"] * (1 + i % 7))), ("clock", "no-rows", "columns")),
    Hostile("duplicated-columns.csv", lambda: table("time [s]," + ",".join(["speed [km/h]"] * 40), row=lambda i: f"{i}" + ",5" * 40), taken=("name-repeated", "role-rival")),
    Hostile("many-columns.csv", lambda: table("time," + ",".join(f"c{i}" for i in range(2000)), row=lambda i: f"{i}" + ",1" * 2000), ("columns",)),
    Hostile("nan-and-inf.csv", lambda: table(row=lambda i: f"{i / 10},{['nan', 'inf', '-inf', '1e400', '88'][i % 5]},53,10")),
    Hostile("all-nan.csv", lambda: table(row=lambda i: f"{i},nan,nan,nan"), taken=("channel-empty",)),
    Hostile("time-nan.csv", lambda: table(row=lambda i: "nan,1,53,10"), ("clock",)),
    Hostile("time-backwards.csv", lambda: table(row=lambda i: f"{100 - i},1,53,10"), ("clock",)),
    Hostile("time-stands.csv", lambda: table(row=lambda i: "5,1,53,10"), ("clock",)),
    Hostile("time-jumps-back.csv", lambda: table(row=lambda i: f"{i if i != 30 else 3},1,53,10"), taken=("clock-repaired",)),
    Hostile("time-huge.csv", lambda: table(row=lambda i: f"{i}e300,1,53,10"), ("clock",)),
    Hostile("time-gap.csv", lambda: table(row=lambda i: f"{i + (5000 if i > 30 else 0)},1,53,10"), taken=("clock-gap",)),
    Hostile("time-words.csv", lambda: table(row=lambda i: "noon,1,53,10"), ("clock",)),
    Hostile("no-time.csv", lambda: table("a,b,c,d"), ("no-time",)),
    Hostile("numbers-only.csv", lambda: b"1,2,3\n" * 90, ("columns", "no-time")),
    Hostile("frozen-positions.csv", lambda: table(rows=300, row=lambda i: f"{i / 10},100,53,10")),
    Hostile("zero-positions.csv", lambda: table(rows=300, row=lambda i: f"{i / 10},100,0,0")),
    Hostile("positions-beyond.csv", lambda: table(rows=300, row=lambda i: f"{i / 10},100,{900 + i},-4000")),
    Hostile("pole.csv", lambda: table(rows=300, row=lambda i: f"{i / 10},100,{90 - i * 1e-6},{i % 360}")),
    Hostile("jumping.csv", lambda: table(rows=300, row=lambda i: f"{i / 10},100,{53 + (i % 2) * 10},{10 - (i % 3) * 40}")),
    Hostile("formulas.csv", lambda: table("time [s],=cmd|'/c calc'!A1,@SUM(1),+1,-1 [bar]", row=lambda i: f"{i},1,2,3,4")),
    Hostile("markup.csv", lambda: table("time [s],<img src=x onerror=alert(1)>,\"';DROP TABLE run;--\"", row=lambda i: f"{i},1,2")),
    Hostile("long-names.csv", lambda: table(f"time [s],{LONG}a,{LONG}b", row=lambda i: f"{i},1,2"), taken=("name-repeated",)),
    Hostile("quotes.csv", lambda: b'time [s],speed\n"1,2\n' + b'3,"4\n' * 50, ("no-rows", "columns", "clock")),
    Hostile("one-long-line.csv", lambda: b"time [s],speed " + b"x" * 2_000_000, ("columns",)),
    Hostile("control-letters.csv", lambda: table("time [s],sp\x07eed\x1b[31m,\u202eevil", row=lambda i: f"{i},1,2")),
    Hostile("cut.gpx", lambda: gpx("".join(point(i) for i in range(90)))[:-60], ("gpx",)),
    Hostile("entities.gpx", lambda: gpx("".join(point(i) for i in range(90)), ENTITIES), ("gpx",)),
    Hostile("outside.gpx", lambda: gpx("".join(point(i) for i in range(90)), OUTSIDE), ("gpx",)),
    Hostile("no-points.gpx", lambda: gpx(""), ("no-rows",)),
    Hostile("no-times.gpx", lambda: gpx("".join(point(i, False) for i in range(90))), ("no-time",)),
    Hostile("nonsense.gpx", lambda: gpx('<trkpt lat="north" lon="east"/>' * 60), ("gpx",)),
    Hostile("cut.mf4", lambda: b"MDF     4.10    Lauftakt" + bytes(400), ("mdf", "no-rows")),
    Hostile("wild-links.mf4", lambda: b"MDF     4.10    x".ljust(64, b"\0") + b"##HD" + struct.pack("<IQQ", 0, 104, 6) + struct.pack("<6Q", *[64] * 6) + bytes(200), ("mdf", "no-rows")),
    Hostile("old.mdf", lambda: b"MDF     3.30    old".ljust(64, b"\0") + bytes(600), ("mdf", "no-rows")),
    Hostile("cut.parquet", lambda: parquet({"time": np.arange(99.0), "speed": np.ones(99)})[:-20], ("columnar",)),
    Hostile("garbage.parquet", lambda: b"PAR1" + bytes(range(256)) * 4 + b"PAR1", ("columnar",)),
    Hostile("words.parquet", lambda: parquet({"time": ["a"] * 60, "speed": ["b"] * 60}), ("clock",)),
    Hostile("nested.parquet", lambda: parquet({"time": np.arange(60.0), "speed": [[1, 2]] * 60}), taken=("channel-text",)),
    Hostile("cut.arrow", lambda: b"ARROW1\0\0" + bytes(300), ("columnar",)),
    Hostile("stream.arrow", lambda: b"\xff\xff\xff\xff" + struct.pack("<i", 2**31 - 1) + bytes(100), ("columnar",)),
    Hostile("layout.geojson", lambda: b'{"type": "FeatureCollection", "features": []}', ("layout-file",)),
    Hostile("deep.geojson", lambda: b"[" * 200_000, ("json",)),
    Hostile("bad-dialect.json", lambda: json.dumps({"lauftakt-dialect": 1, "names": ["a"], "channels": {"b": {}}}).encode(), ("dialect-file",)),
    Hostile("wrong-role.json", lambda: json.dumps({"lauftakt-dialect": 1, "names": ["a"], "channels": {"a": {"role": "<b>"}}}).encode(), ("dialect-file",)),
    Hostile("cut.zip", lambda: zipped({"a.csv": table()})[:-30], ("archive",)),
    Hostile("nothing.zip", lambda: zipped({"readme.pdf": b"%PDF"}), ("archive",)),
    Hostile("locked.zip", locked, ("archive-locked",)),
    Hostile("bomb.zip", lambda: zipped({"a.csv": b"0," * 15_000_000}), ("archive-size",)),
    Hostile("crowd.zip", lambda: zipped({f"{i}.csv": b"" for i in range(600)}), ("archive-size",)),
]  # fmt: skip
ARCHIVES = [item for item in FILES if item.name.endswith(".zip")]
GIVEN = [item for item in FILES if item.name.endswith(("json", ".geojson"))]
LOGS = [item for item in FILES if item not in ARCHIVES and item not in GIVEN]
