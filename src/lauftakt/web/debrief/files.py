"""A debrief as a file: one A4 page as PDF or PNG, or a page that opens by itself, without any network."""

import base64
from collections.abc import Sequence

from jinja2 import Environment, PackageLoader, select_autoescape

from lauftakt.formats.sheets import Form, set_sheet
from lauftakt.web import schemas

_pages = Environment(loader=PackageLoader("lauftakt.web.debrief", "pages"), autoescape=select_autoescape())


def as_page(sheet: schemas.DebriefSheet) -> bytes:
    """A page of its own, pictures and all."""
    pieces = [piece.model_dump() | {"map": _held(piece.map), "curves": _held(piece.curves)} for piece in sheet.pieces]
    return _pages.get_template("sheet.html").render(sheet=sheet, pieces=pieces).encode()


def _held(drawn: str) -> str:
    """A drawing inside an address, so that nothing in it can run."""
    return f"data:image/svg+xml;base64,{base64.b64encode(drawn.encode()).decode()}" if drawn else ""


def as_paper(sheet: schemas.DebriefSheet, form: Form) -> bytes:
    """One page for a printer, black and white as well."""
    pictures: dict[str, bytes] = {}
    return set_sheet("debrief", {"sheets": [_paper(sheet, "", pictures)]}, pictures, form)


def as_papers(sheets: Sequence[schemas.DebriefSheet]) -> bytes:
    """Several sheets as one PDF, a page for each."""
    pictures: dict[str, bytes] = {}
    pages = [_paper(sheet, f"sheet{number}-", pictures) for number, sheet in enumerate(sheets)]
    return set_sheet("debrief", {"sheets": pages}, pictures, "pdf")


def _paper(sheet: schemas.DebriefSheet, prefix: str, pictures: dict[str, bytes]) -> dict[str, object]:
    """A page as data; its pictures are added under names of its own."""
    pieces = []
    for index, piece in enumerate(sheet.pieces):
        own: dict[str, object] = {
            "kind": piece.kind, "number": piece.number, "says": piece.says, "target": piece.target or "",
            "worth": piece.worth or "", "map": "", "curves": "",
        }  # fmt: skip
        for name, drawn in (("map", piece.map), ("curves", piece.curves)):
            if drawn:
                own[name] = f"{prefix}{name}{index}.svg"
                pictures[f"{prefix}{name}{index}.svg"] = drawn.encode()
        pieces.append(own)
    keeps = sum(piece.kind == "keep" for piece in sheet.pieces)
    return {
        "title": sheet.title, "about": sheet.about, "team": sheet.team, "lead": sheet.lead, "pieces": pieces,
        "changes": sheet.changes, "legend": [name for _, name in sheet.legend], "note": sheet.note or "",
        "roles": [role for role, _ in sheet.legend],
        "parts": max(keeps + 1.25 * (len(sheet.pieces) - keeps), 1),
        "words": {"keep": "Keep", "target": "Target", "worth": "worth", "a_lap": "a lap", "notes": "Notes",
                  "changed": "Changed since it was given"},
    }  # fmt: skip
