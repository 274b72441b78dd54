"""One log as people have it: with words, other tables and heads of several rows around it, packed, in other words."""

import gzip
import io
import json
import math
import zipfile
from collections.abc import Callable
from xml.sax.saxutils import escape

import numpy as np
import zstandard

ROWS = 400
CIRCLE_M = 300.0


def drive() -> dict[str, np.ndarray]:
    """A minute and a half around a circle at 10 Hz, by latitude and longitude in degrees, km/h and percent."""
    time = np.arange(ROWS) * 0.1 + 12.0
    speed = 90 + 40 * np.sin(time / 5)
    way = np.cumsum(speed / 3.6 * 0.1)
    east, north = CIRCLE_M * np.cos(way / CIRCLE_M), CIRCLE_M * np.sin(way / CIRCLE_M)
    return {
        "time": time,
        "latitude": 48.2 + north / 111_200,
        "longitude": 11.5 + east / 111_200 / math.cos(math.radians(48.2)),
        "speed": speed,
        "throttle": 50 + 50 * np.sign(np.cos(time / 5)) * np.abs(np.cos(time / 5)) ** 0.3,
    }


NAMES = ["Time", "Latitude", "Longitude", "Speed", "Throttle"]
UNITS = ["s", "deg", "deg", "km/h", "%"]
HEAD = ",".join(f"{name} [{unit}]" for name, unit in zip(NAMES, UNITS, strict=True))


def rows(sign: str = ",", decimal: str = ".") -> list[str]:
    """The rows of figures."""
    columns = drive()
    return [
        sign.join(f"{columns[key][i]:.7f}".replace(".", decimal) for key in columns) for i in range(ROWS)
    ]  # fmt: skip


def text(*lines: str | list[str], sign: str = ",", decimal: str = ".") -> bytes:
    """Lines above, and the rows of figures under them."""
    above = [one for line in lines for one in ([line] if isinstance(line, str) else line)]
    return ("\n".join([*above, *rows(sign, decimal)]) + "\n").encode()


PREAMBLE = [
    "Driver,Ines", "Vehicle,Number 7", "Wheelbase,2.41", "Weight,1250", "Laps,12", "Start,10:31:05",
    "Date,2026-05-03", "Sample rate,100", "Tyre pressures,1.8,1.8,1.9,1.9", "Comment,\"warm, dry\"", "",
]  # fmt: skip
LAPS = ["Lap,Time,S1,S2,S3", *(f"{n},1:{31 + n % 3}.{n}12,30.{n},30.5,30.1" for n in range(1, 13))]


def _repeated() -> bytes:
    own = rows()
    parts = [line for start in range(0, ROWS, 50) for line in (HEAD, *own[start : start + 50])]
    return ("\n".join(parts) + "\n").encode()


def _numbered(head: str) -> bytes:
    own = [f"{i + 1},{line}" for i, line in enumerate(rows())]
    return "\n".join([f"{head},{HEAD}", *own]).encode()


def _json(form: str) -> bytes:
    columns = drive()
    names = dict(zip(columns, ["time", "lat", "lon", "speed_kmh", "throttle_pct"], strict=True))
    listed = [{names[key]: round(float(columns[key][i]), 7) for key in columns} for i in range(ROWS)]
    if form == "lines":
        return b"\n".join(json.dumps(one).encode() for one in listed)
    if form == "list":
        return json.dumps(listed, indent=1).encode()
    if form == "nested":
        return b"\n".join(
            json.dumps(
                {"driver": "Ines", "time": one["time"], "position": {"lat": one["lat"], "lon": one["lon"]},
                 "car": {"speed_kmh": one["speed_kmh"], "throttle_pct": one["throttle_pct"]}}
            ).encode()
            for one in listed
        )  # fmt: skip
    return json.dumps({"driver": "Ines", **{names[key]: columns[key].round(7).tolist() for key in columns}}).encode()


# What each is, as a coach would say; all of them hold the same drive.
TABLES: dict[str, Callable[[], bytes]] = {
    "plain": lambda: text(HEAD),
    "preamble": lambda: text(PREAMBLE, HEAD),
    "preamble without a blank line": lambda: text(PREAMBLE[:-1], HEAD),
    "preamble with colons": lambda: text(["Log of the day", "Driver: Ines", "Laps: 12", "Length: 3.592 km"], HEAD),
    "preamble in comments": lambda: text([f"# {line}" for line in PREAMBLE if line], HEAD),
    "preamble in semicolons": lambda: text(
        [line.replace(",", ";") for line in PREAMBLE], HEAD.replace(",", ";"), sign=";", decimal=","
    ),
    "long preamble": lambda: text([f"Setting {i},{i * 0.37:.2f}" for i in range(420)], "", HEAD),
    "head in two rows": lambda: text(",".join(NAMES), ",".join(UNITS)),
    "head in three rows, rates": lambda: text(",".join(NAMES), ",".join(UNITS), "100 Hz,10 Hz,10 Hz,100 Hz,50 Hz"),
    "head in three rows, bare rates": lambda: text(",".join(NAMES), ",".join(UNITS), "100,10,10,100,50"),
    "head in three rows, groups": lambda: text(",Receiver,,Car,", ",".join(NAMES), ",".join(UNITS)),
    "head in three rows, codes": lambda: text("C01,C02,C03,C04,C05", ",".join(NAMES), ",".join(UNITS)),
    "head in three rows, kinds": lambda: text(",".join(NAMES), "float,double,double,float,float", ",".join(UNITS)),
    "head in brackets below": lambda: text(",".join(NAMES), ",".join(f"[{unit}]" for unit in UNITS), ""),
    "laps before": lambda: text("Laps", LAPS, "", "Samples", HEAD),
    "laps right before": lambda: text(LAPS, HEAD),
    "numbered #": lambda: _numbered("#"),
    "numbered No.": lambda: _numbered("No."),
    "head in a comment": lambda: text("# " + HEAD),
    "head and units in comments": lambda: text("# " + ",".join(NAMES), "# " + ",".join(UNITS)),
    "no head": lambda: text(),
    "foot": lambda: text(HEAD) + b"\nEnd of log\nTotal,12 laps,,,\nChecksum,8F03\n",
    "foot of figures": lambda: text(HEAD) + b"\nAverages\nSpeed,90.2\nBest,1:31.2\n",
    "head repeated": _repeated,
    "blank lines between": lambda: text(HEAD).replace(b"\n", b"\n\n"),
    "all quoted": lambda: b"\n".join(
        b",".join(b'"' + cell + b'"' for cell in line.split(b",")) for line in text(HEAD).splitlines()
    ),
    "tabs": lambda: text(HEAD.replace(",", "\t"), sign="\t"),
    "bars": lambda: text(HEAD.replace(",", "|"), sign="|"),
    "gzip": lambda: gzip.compress(text(HEAD)),
    "zstd": lambda: zstandard.compress(text(HEAD)),
    "JSON lines": lambda: _json("lines"),
    "JSON lines, nested": lambda: _json("nested"),
    "JSON list": lambda: _json("list"),
    "JSON columns": lambda: _json("columns"),
}


def _degrees(value: float, digits: int) -> str:
    whole = int(abs(value))
    return f"{whole:0{digits}d}{(abs(value) - whole) * 60:010.7f}"


def sentence(text: str) -> str:
    """With its checksum, as a receiver would send it."""
    found = 0
    for byte in text.encode():
        found ^= byte
    return f"${text}*{found:02X}"


def nmea(begin_s: float = 86_390.0, talker: str = "GN") -> bytes:
    """The drive as sentences of a receiver, by default over midnight."""
    columns = drive()
    lines = ["receiver of the school, firmware 1.2"]
    for i in range(ROWS):
        at = (begin_s + columns["time"][i] - columns["time"][0]) % 86_400
        clock = f"{int(at // 3600):02d}{int(at % 3600 // 60):02d}{at % 60:06.3f}"
        day = "030526" if begin_s + i * 0.1 < 86_400 else "040526"
        north, east = _degrees(columns["latitude"][i], 2), _degrees(columns["longitude"][i], 3)
        knots = columns["speed"][i] / 1.852
        lines += [
            sentence(f"{talker}RMC,{clock},A,{north},N,{east},E,{knots:.4f},12.0,{day},,,A"),
            sentence(f"{talker}GGA,{clock},{north},N,{east},E,4,11,0.8,502.3,M,46.0,M,,"),
            sentence(f"{talker}GSA,A,3,05,12,18,,,,,,,,,,1.6,0.8,1.4"),
            sentence(f"{talker}VTG,12.0,T,,M,{knots:.4f},N,{columns['speed'][i]:.4f},K,A"),
        ]
    return "\r\n".join(lines).encode()


def _stamps() -> list[str]:
    return [f"2026-05-03T10:31:{at:09.6f}Z" for at in drive()["time"] - 12.0]


def kml(form: str = "track") -> bytes:
    """The drive as KML: a track, or places with a time each."""
    columns = drive()
    places = [f"{columns['longitude'][i]:.8f} {columns['latitude'][i]:.8f} 502" for i in range(ROWS)]
    if form == "track":
        inner = "<Placemark><name>Ellerholm</name><Track>"
        inner += "".join(f"<when>{stamp}</when>" for stamp in _stamps())
        inner += "".join(f"<coord>{place}</coord>" for place in places)
        inner += '<ExtendedData><SchemaData><SimpleArrayData name="Speed (km/h)">'
        inner += "".join(f"<value>{speed:.5f}</value>" for speed in columns["speed"])
        inner += "</SimpleArrayData></SchemaData></ExtendedData></Track></Placemark>"
    else:
        inner = "".join(
            f"<Placemark><TimeStamp><when>{stamp}</when></TimeStamp><Point><coordinates>{place.replace(' ', ',')}"
            "</coordinates></Point></Placemark>"
            for stamp, place in zip(_stamps(), places, strict=True)
        )
    head = '<kml xmlns="http://www.opengis.net/kml/2.3">'
    return f'<?xml version="1.0"?>{head}<Document>{inner}</Document></kml>'.encode()


def geojson(form: str = "line") -> bytes:
    """The drive as GeoJSON: a line with its times, or points with a time each."""
    columns = drive()
    places = [[float(columns["longitude"][i]), float(columns["latitude"][i]), 502.0] for i in range(ROWS)]
    stamps, speeds = _stamps(), [float(speed) for speed in columns["speed"]]
    if form == "line":
        features = [{
            "type": "Feature", "properties": {"driver": "Ines", "coordTimes": stamps, "speeds_kmh": speeds},
            "geometry": {"type": "LineString", "coordinates": places},
        }]  # fmt: skip
    else:
        features = [
            {"type": "Feature", "properties": {"time": stamp, "speed_kmh": speed},
             "geometry": {"type": "Point", "coordinates": place}}
            for stamp, speed, place in zip(stamps, speeds, places, strict=True)
        ]  # fmt: skip
    return json.dumps({"type": "FeatureCollection", "features": features}).encode()


def _sheet_rows() -> list[list[str | float]]:
    columns = drive()
    own: list[list[str | float]] = [["Driver", "Ines"], ["Laps", 12.0], [], HEAD.split(",")]
    return own + [[round(float(columns[key][i]), 7) for key in columns] for i in range(ROWS)]


# What the standard calls the part that lists the sheets.
ROOT = "{}book".format("work")
LEAF = "{}sheet".format("work")
NAME = f"{ROOT}.xml"
BOOK = f"xl/{NAME}"
LAP_SHEET: list[list[str | float]] = [["Lap", "Time"], *([float(n), 91.2 + n] for n in range(1, 13))]


def spreadsheet() -> bytes:
    """The drive in Office Open XML, behind a sheet of laps."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        kind = "application/vnd.openxmlformats-officedocument.spreadsheetml"
        parts = "".join(
            f'<Override PartName="/xl/{LEAF}s/sheet{n}.xml" ContentType="{kind}.{LEAF}+xml"/>' for n in (1, 2)
        )
        archive.writestr(
            "[Content_Types].xml",
            '<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types">'
            '<Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/>'
            f'<Override PartName="/{BOOK}" ContentType="{kind}.sheet.main+xml"/>{parts}</Types>',
        )
        space = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
        own = "http://schemas.openxmlformats.org/package/2006/relationships"
        archive.writestr(
            "_rels/.rels",
            f'<Relationships xmlns="{own}"><Relationship Id="r1" Type="{space}/officeDocument" '
            f'Target="{BOOK}"/></Relationships>',
        )
        main = "http://schemas.openxmlformats.org/spreadsheetml/2006/main"
        archive.writestr(
            BOOK,
            f'<{ROOT} xmlns="{main}" xmlns:r="{space}"><sheets><sheet name="Laps" sheetId="1" r:id="r1"/>'
            f'<sheet name="Samples" sheetId="2" r:id="r2"/></sheets></{ROOT}>',
        )
        archive.writestr(
            f"xl/_rels/{NAME}.rels",
            f'<Relationships xmlns="{own}">'
            + "".join(f'<Relationship Id="r{n}" Type="{space}/{LEAF}" Target="{LEAF}s/sheet{n}.xml"/>' for n in (1, 2))
            + "</Relationships>",
        )
        for number, rows_ in ((1, LAP_SHEET), (2, _sheet_rows())):
            text_ = "".join(
                f'<row r="{index}">{"".join(_cell(cell, index, column) for column, cell in enumerate(row))}</row>'
                for index, row in enumerate(rows_, 1)
            )
            archive.writestr(
                f"xl/{LEAF}s/sheet{number}.xml",
                f'<{LEAF} xmlns="{main}"><sheetData>{text_}</sheetData></{LEAF}>',
            )
    return out.getvalue()


def _cell(cell: str | float, row: int, column: int) -> str:
    place = f"{chr(65 + column)}{row}"
    if isinstance(cell, str):
        return f'<c r="{place}" t="inlineStr"><is><t>{escape(cell)}</t></is></c>'
    return f'<c r="{place}"><v>{cell!r}</v></c>'


def open_document() -> bytes:
    """The drive in OpenDocument, behind a sheet of laps."""

    def cell(value: str | float) -> str:
        if isinstance(value, str):
            return f'<table:table-cell office:value-type="string"><text:p>{escape(value)}</text:p></table:table-cell>'
        return f'<table:table-cell office:value-type="float" office:value="{value!r}"/>'

    tables = "".join(
        f'<table:table table:name="{name}">'
        + "".join(
            f"<table:table-row>{''.join(map(cell, row)) or '<table:table-cell/>'}</table:table-row>" for row in own
        )
        + "</table:table>"
        for name, own in (("Laps", LAP_SHEET), ("Samples", _sheet_rows()))
    )
    space = "urn:oasis:names:tc:opendocument:xmlns"
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr("mimetype", "application/vnd.oasis.opendocument.spreadsheet")
        archive.writestr(
            "META-INF/manifest.xml",
            f'<manifest:manifest xmlns:manifest="{space}:manifest:1.0"><manifest:file-entry manifest:full-path="/" '
            'manifest:media-type="application/vnd.oasis.opendocument.spreadsheet"/></manifest:manifest>',
        )
        archive.writestr(
            "content.xml",
            f'<office:document-content xmlns:office="{space}:office:1.0" xmlns:table="{space}:table:1.0" '
            f'xmlns:text="{space}:text:1.0"><office:body><office:spreadsheet>{tables}</office:spreadsheet>'
            "</office:body></office:document-content>",
        )
    return out.getvalue()


NOTATIONS: dict[str, Callable[[], bytes]] = {
    "NMEA": nmea,
    "NMEA of another talker": lambda: nmea(36_000.0, "GP"),
    "NMEA, gzip": lambda: gzip.compress(nmea()),
    "KML track": kml,
    "KML places": lambda: kml("places"),
    "GeoJSON line": geojson,
    "GeoJSON points": lambda: geojson("points"),
    "spreadsheet": spreadsheet,
    "OpenDocument": open_document,
}
