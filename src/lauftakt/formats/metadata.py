"""What a file says about its run, in whatever words: keys that loggers write, turned into ours."""

import csv
import re
import unicodedata

from lauftakt.core.log.text import printable
from lauftakt.formats.days import day_order

META_KEYS = ("driver", "car", "circuit", "event", "date", "kind", "conditions", "tyres", "notes")
LONGEST = 200
# The words of the trade in English, German, French, Spanish, Italian and Dutch; keys are compared by their letters.
_OTHERS = {
    "driver": ("driver name", "racer", "rider", "student", "fahrer", "pilot", "fahrername", "pilote", "conducteur",
               "piloto", "conductor", "pilota", "guidatore", "rijder", "bestuurder", "coureur", "name of driver"),
    "car": ("vehicle", "car name", "vehicle name", "kart", "fahrzeug", "auto", "wagen", "vehicule", "voiture",
            "vehiculo", "coche", "veicolo", "vettura", "macchina", "voertuig", "car number"),
    "circuit": ("track", "venue", "track name", "circuit name", "course", "location", "strecke", "rennstrecke", "piste",
                "pista", "circuito", "autodromo", "baan", "place"),
    "event": ("event name", "meeting", "veranstaltung", "evenement", "evento", "evenement"),
    "date": ("datum", "fecha", "data", "date and time", "started", "start", "start time", "start date", "recorded",
             "recorded at", "aufgezeichnet", "beginn", "debut", "inicio", "inizio"),
    "time": ("time of day", "uhrzeit", "heure", "hora", "ora", "tijd", "tijdstip"),
    "kind": ("run", "run kind", "run type", "art", "type de run", "tipo", "soort"),
    "conditions": ("weather", "condition", "wetter", "bedingungen", "meteo", "conditions meteo", "tiempo", "clima",
                   "condizioni", "weer", "omstandigheden", "track condition"),
    "tyres": ("tires", "tyre", "tire", "reifen", "pneus", "pneumatiques", "neumaticos", "gomme", "pneumatici",
              "banden"),
    "notes": ("comment", "comments", "note", "remark", "remarks", "bemerkung", "bemerkungen", "notiz", "kommentar",
              "commentaire", "remarque", "nota", "notas", "comentario", "commento", "opmerking", "opmerkingen"),
}  # fmt: skip


def _plain(key: str) -> str:
    letters = "".join(c for c in unicodedata.normalize("NFKD", key) if not unicodedata.combining(c))
    return " ".join(re.findall("[a-z]+", re.sub(r"(?<=[a-z])(?=[A-Z])", " ", letters).lower()))


_KEY = {name: key for key, names in _OTHERS.items() for name in (key, *names)}
_CLOCK = re.compile(r"^\d{1,2}:\d\d")
_SPLIT = re.compile(r"^\s*([^:=]{1,40}?)\s*[:=]\s*(.*)$")


def take_metadata(lines: list[str], delimiter: str) -> dict[str, str]:
    """Known keys from comment lines, ``key: value`` lines and rows of two cells; the first mention counts."""
    found: dict[str, str] = {}
    for line in lines:
        line = line.strip()
        if line.startswith('"#') and line.endswith('"'):
            # One cell of its own: what is in it is the line, with its delimiters and quotation marks.
            match = _SPLIT.match(line[1:-1].replace('""', '"').lstrip("#").strip())
            if match:
                add_metadata(found, match[1], match[2])
            continue
        line = line.lstrip("#/%").strip()
        if not line:
            continue
        pairs: list[tuple[str, str]] = []
        try:
            cells = [cell.strip() for cell in next(csv.reader([line], delimiter=delimiter), [])]
        except csv.Error:
            cells = []
        if len(cells) >= 2:
            pairs.append((cells[0].rstrip(":="), next((cell for cell in cells[1:] if cell), "")))
        match = _SPLIT.match(line)
        if match:
            pairs.append((match[1].strip('"'), match[2].strip().rstrip(delimiter).strip('" ')))
        for key, value in pairs:
            add_metadata(found, key, value)
    return dated(found)


def add_metadata(found: dict[str, str], key: str, value: str) -> None:
    """Keep one key under our name, where it is known and new."""
    own = _KEY.get(_plain(key))
    clean = printable(value).strip()
    if own == "date" and _CLOCK.match(clean):
        own = "time"
    if own and clean and own not in found:
        found[own] = clean[:LONGEST]


def dated(found: dict[str, str]) -> dict[str, str]:
    """With date and time of day joined into one ISO 8601 text, where they can be read."""
    time = found.pop("time", "")
    date = found.get("date", "")
    match = re.match(r"^(\d{1,2}[./]\d{1,2}[./](\d{4}))(.*)$", date)
    if match:
        month_first, _ = day_order([match[1]])
        one, other = (int(part) for part in match[1].replace("/", ".").split(".")[:2])
        day, month = (other, one) if month_first else (one, other)
        date = f"{match[2]}-{month:02d}-{day:02d}{match[3]}"
    if date and time and _CLOCK.match(time) and ":" not in date:
        hour, rest = time.split(":", 1)
        date = f"{date.strip()}T{int(hour):02d}:{rest}"
    if date:
        found["date"] = re.sub(r"^(\d{4}-\d\d-\d\d) +(?=\d)", r"\1T", date.strip())
    return found
