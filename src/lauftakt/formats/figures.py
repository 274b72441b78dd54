"""Figures that are written as text: with thousands apart, with a unit behind, as a word for a gear or a switch."""

import re
from functools import cache

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

Array = NDArray[np.float64]

# Of the cells that hold something so many must be figures.
MOSTLY = 0.9
# A column of more different words is text.
MOST_WORDS = 40
_FIGURE = re.compile(
    r"^[\s'\"=]*(?P<figure>[-+−]?(?:\d[\d.,' \u00a0\u2009\u202f]*|[.,]\d+)(?:[eE][-+]?\d+)?)"
    r"\s*(?P<rest>[^\d\s'\"].*?|)[\s'\"]*$"
)
_WORDS = {
    "n": 0, "neutral": 0, "leerlauf": 0, "neutre": 0, "folle": 0, "punto muerto": 0, "p": 0, "r": -1, "reverse": -1,
    "rueckwaerts": -1, "rückwärts": -1, "arriere": -1, "retro": -1, "1st": 1, "2nd": 2, "3rd": 3, "first": 1,
    "second": 2, "third": 3, "fourth": 4, "fifth": 5, "sixth": 6, "seventh": 7, "off": 0, "on": 1, "false": 0,
    "true": 1, "no": 0, "yes": 1, "nein": 0, "ja": 1, "nee": 0, "non": 0, "oui": 1, "si": 1, "sí": 1, "inactive": 0,
    "active": 1, "aus": 0, "ein": 1, "an": 1, "open": 1, "closed": 0, "invalid": 0, "valid": 1, "low": 0, "high": 1,
    "released": 0, "pressed": 1, "full": 1, "idle": 0,
}  # fmt: skip


def figures_of_text(column: pa.ChunkedArray, decimal: str = ".") -> Array | None:
    """The figures of a column of text.

    Parameters
    ----------
    column : (n,) of text
    decimal : sign of the file's other figures

    Returns
    -------
    (n,) values, NaN where a cell holds none; None where the column is words that mean no figures.
    """
    coded = pc.dictionary_encode(column.combine_chunks())
    words: list[str | None] = coded.dictionary.to_pylist()
    filled = [word for word in words if word is not None and word.strip()]
    if not filled:
        return None
    decimal = _decimal(filled, decimal)
    values = np.array([np.nan if word is None else _value(word, decimal) for word in words])
    index = np.asarray(coded.indices.fill_null(len(words)), dtype=np.intp)
    found = np.append(values, np.nan)[index]
    held = np.append([word is not None and bool(word.strip()) for word in words], False)[index]
    if not held.any() or float(np.mean(np.isfinite(found[held]))) < MOSTLY:
        return None
    if all(not any(c.isdigit() for c in word) for word in filled) and len(filled) > MOST_WORDS:
        return None
    return np.asarray(found)


def _decimal(words: list[str], usual: str) -> str:
    """The decimal sign of a column: of two kinds of signs the later one; a lone sign that parts no thousands."""
    for word in words:
        marks = re.findall(r"[.,]", word)
        if len(set(marks)) == 2:
            return marks[-1]
    for sign in ",.":
        if any(re.search(rf"\d?{re.escape(sign)}(\d{{1,2}}|\d{{4,}})(\D|$)", word) for word in words):
            return sign
    return usual


@cache
def _number(text: str, decimal: str) -> float:
    plain = re.sub(r"[' \u00a0\u2009\u202f]", "", text).replace("−", "-")
    plain = plain.replace("," if decimal == "." else ".", "").replace(decimal, ".")
    try:
        return float(plain)
    except ValueError:
        return float("nan")


def _value(word: str, decimal: str) -> float:
    plain = word.strip().strip("'\"").lower()
    if plain in _WORDS:
        return float(_WORDS[plain])
    match = _FIGURE.match(word)
    if match is None or len(match["rest"]) > 12:
        return float("nan")
    return _number(match["figure"], decimal)
