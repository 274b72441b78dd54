"""Sheets of paper: A4 as PDF, PNG or SVG, set with our own fonts and nothing from outside."""

import gzip
import json
import tempfile
from collections.abc import Mapping
from pathlib import Path
from typing import Any, Literal

import typst

Form = Literal["pdf", "png", "svg"]
HERE = Path(__file__).parent
FONTS = HERE.parent / "fonts"
# Fine enough to be printed, small enough to be sent.
PIXELS_AN_INCH = 150.0


def set_sheet(template: str, data: Mapping[str, Any], pictures: Mapping[str, bytes], form: Form) -> bytes:
    """Set a sheet.

    Parameters
    ----------
    template : name of a template beside this module
    data : what it sets as text
    pictures : by the file name that the template gives them
    form : of the result; a sheet is one page

    Returns
    -------
    The file's bytes.
    """
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        (folder / "main.typ").write_bytes((HERE / f"{template}.typ").read_bytes())
        (folder / "data.json").write_text(json.dumps(data), encoding="utf-8")
        for file, content in pictures.items():
            (folder / file).write_bytes(content)
        made = typst.compile(
            folder / "main.typ",
            root=folder,
            font_paths=[_fonts(folder)],
            ignore_system_fonts=True,
            format=form,
            ppi=PIXELS_AN_INCH if form == "png" else None,
        )
    pages = made if isinstance(made, list) else [made]
    first = pages[0]
    if first is None:
        raise ValueError(f"Nothing was set from the template {template}.")
    return bytes(first)


def _fonts(folder: Path) -> Path:
    """Our fonts, unpacked beside the sheet."""
    own = folder / "fonts"
    own.mkdir()
    for path in FONTS.glob("*.ttf.gz"):
        (own / path.stem).write_bytes(gzip.decompress(path.read_bytes()))
    return own
