"""A channel's name taken apart into words of the trade: snake_case, camelCase, compounds, letters before and after."""

import re
import unicodedata
from dataclasses import dataclass
from functools import cache

from lauftakt.core.log.evidence.lexicon import LEADING, NOT_IN_COMPOUNDS, WORDS, words_of
from lauftakt.core.log.units import SI, readings

Meaning = frozenset[str]
# Longest name that is looked at.
LONGEST = 120
# Parts of a compound have at least so many letters, unless they end it as a wheel's code.
SHORTEST_PART = 3
# A shortened word has at least so many letters.
SHORTEST_BEGINNING = 4
# Letters that German and Dutch put between the parts of a compound.
_JOINTS = ("", "s", "n", "en", "e", "er", "es")
_BEHIND = {
    "f": ("front",), "r": ("rear", "right"), "l": ("left",), "x": ("axis_x",), "y": ("axis_y",), "z": ("axis_z",),
    "v": ("front",), "h": ("rear",),
}  # fmt: skip
_CORNERS = frozenset(("front", "rear", "left", "right"))
_UMLAUTS = str.maketrans({
    "ä": "ae", "ö": "oe", "ü": "ue", "Ä": "Ae", "Ö": "Oe", "Ü": "Ue", "ß": "ss", "ø": "o", "æ": "ae",
})  # fmt: skip
# Units that are written into names (speed_kmh, OilTempC), by the letters of the word.
_UNIT_WORDS = words_of(
    "kmh kph kmph mph mps ms kn kts knots bar psi kpa mbar mpa pa deg degs degc degf c f k rad dps rads radps degps g"
    " gs ms2 mps2 pct percent perc rpm krpm v volt volts mv m km mm cm ft l ltr kg s sec hz"
)


@dataclass(frozen=True)
class Token:
    """One part of a name: the word, what it may mean, and the quantities it would be a unit of."""

    word: str
    meanings: tuple[Meaning, ...]
    units: frozenset[str] = frozenset()


def folded(text: str) -> str:
    """Letters without accents; umlauts as ``ae``, ``oe``, ``ue``, which the words know."""
    text = unicodedata.normalize("NFC", text)
    text = re.sub("[ÄÖÜ](?=[A-ZÄÖÜ])", lambda match: match[0].translate(_UMLAUTS).upper(), text).translate(_UMLAUTS)
    return "".join(c for c in unicodedata.normalize("NFKD", text) if not unicodedata.combining(c))


@cache
def _dictionary() -> dict[str, tuple[Meaning, ...]]:
    found: dict[str, list[Meaning]] = {}
    for meaning, languages in WORDS.items():
        concepts = frozenset(meaning.split("+"))
        for words in languages.values():
            for word in words.split():
                for spelled in {word, _without_digraphs(word)}:
                    meanings = found.setdefault(spelled, [])
                    if concepts not in meanings:
                        meanings.append(concepts)
    # A wheel's code with a letter for the part of its tread: FLI, RRO.
    for code in [word for word in found if len(word) == 2]:
        for corner in [m for m in found[code] if len(m & _CORNERS) == 2]:
            for letter, tread in (("i", "inner"), ("m", "middle"), ("c", "middle"), ("o", "outer")):
                found.setdefault(code + letter, []).append(corner | {tread})
    return {word: tuple(meanings) for word, meanings in found.items()}


def _without_digraphs(word: str) -> str:
    """A word written with the bare vowel instead of ae, oe, ue, as where an accent was dropped."""
    return word.replace("ae", "a").replace("oe", "o").replace("ue", "u") if len(word) > 3 else word


@cache
def tokens_of(name: str) -> tuple[Token, ...]:
    """The words of a name, in order.

    Parameters
    ----------
    name : as logged, without its unit
    """
    text = (
        folded(name[:LONGEST]).replace("m/s", "mps").replace("km/h", "kmh").replace("°", " deg ").replace("%", " pct ")
    )
    text = re.sub(r"(?i)h2o", "water", text)
    found: list[Token] = []
    levels = re.split(r"(?<=\w)(?:\.|::|/|\\)(?=\w)", text)
    for level, within in enumerate(levels):
        for part in re.split(r"[^A-Za-z0-9]+", within):
            words = _part(part, first=not found) if part else []
            # Of a path's upper levels ("ECU1.Drive.Gear") only words of the trade say anything.
            found += words if level == len(levels) - 1 else [_upper(token) for token in words]
    return tuple(found)


def _upper(token: Token) -> Token:
    return token if token.word in _dictionary() else Token(token.word, (_one("neutral"),))


def _part(part: str, first: bool) -> list[Token]:
    """The words of one run of letters and digits."""
    whole = part.lower()
    if whole in _dictionary() and not whole.isdigit():
        token = _word(whole, False)
        # A capital after a first small letter sets it off: pBrake, but also vR; a word of its own is kept whole.
        if not re.match(r"^[a-z][A-Z]", part) or len(whole) > 3:
            return [token]
    pieces = re.findall(r"[A-Z]+(?![a-z])|[A-Z]?[a-z]+|\d+", part)
    found: list[Token] = []
    for index, piece in enumerate(pieces):
        low = piece.lower()
        if low.isdigit():
            found.append(Token(low, ()))
        elif index == 0 and first and len(low) == 1 and len(pieces) > 1 and not pieces[1].isdigit():
            found.append(_leading(low))
        elif low in _dictionary():
            found.append(_word(low, index == 0 and first and len(pieces) == 1))
        else:
            found.extend(_compound(low))
    return found


def _word(word: str, _alone: bool) -> Token:
    meanings = _dictionary().get(word, ())
    if len(word) == 1 and word in LEADING:
        meanings = (*meanings, *(m for m in _leading(word).meanings if m not in meanings))
    if len(word) == 1:
        meanings = (*meanings, *(m for m in map(_one, _BEHIND.get(word, ())) if m not in meanings))
    return Token(word, meanings, _units_of(word))


def _one(concept: str) -> Meaning:
    return frozenset((concept,))


def _leading(letter: str) -> Token:
    own = _dictionary().get(letter, ())
    led = tuple(_one(concept) for concept in LEADING.get(letter, "").split())
    return Token(letter, (*led, *(m for m in own if m not in led)))


@cache
def _units_of(word: str) -> frozenset[str]:
    """Quantities of which a word would be a unit, were it written as one."""
    if word not in _UNIT_WORDS:
        return frozenset()
    spelled = {"ms": "m/s", "mps": "m/s", "degs": "deg/s", "degps": "deg/s", "rads": "rad/s", "ms2": "m/s2"}
    return frozenset(r.quantity for r in readings(spelled.get(word, word)) if r.quantity in SI)


def unit_word(word: str) -> str:
    """A unit written into a name as :func:`lauftakt.core.log.units.readings` knows it."""
    return {"ms": "m/s", "mps": "m/s", "degs": "deg/s", "degps": "deg/s", "rads": "rad/s", "ms2": "m/s2"}.get(
        word, word
    )


@cache
def _compound(word: str) -> tuple[Token, ...]:
    """A word as a compound of known ones, covering it whole; else the word itself, unknown."""
    best = _cover(word)
    if best is not None and all(len(token.word) > 1 for token in best[1]):
        return tuple(best[1])
    begun = _shortened(word) or ()
    if best is None and not begun:
        for cut in range(len(word) - SHORTEST_BEGINNING, SHORTEST_PART, -1):
            head, tail = _dictionary().get(word[:cut], ()), _shortened(word[cut:])
            if head and tail and word[:cut] not in NOT_IN_COMPOUNDS:
                return (Token(word[:cut], head, _units_of(word[:cut])), Token(word[cut:], tail))
    if best is None or begun:
        return (Token(word, begun, _units_of(word)),)
    return tuple(best[1])


@cache
def _shortened(word: str) -> tuple[Meaning, ...]:
    """What a word may mean as the beginning of a longer one (Temp, Brem, Steer): all meanings of all that begin so."""
    if len(word) < SHORTEST_BEGINNING:
        return ()
    found: dict[Meaning, None] = {}
    for longer, meanings in _dictionary().items():
        if len(longer) > len(word) and longer.startswith(word):
            found |= dict.fromkeys(meanings)
    return tuple(found)


def _cover(word: str) -> tuple[float, list[Token]] | None:
    """Cheapest way to cut a word into known parts: few and long ones; a letter in front or behind costs most."""
    reach: list[tuple[float, list[Token]] | None] = [None] * (len(word) + 1)
    reach[0] = (0.0, [])
    known = _dictionary()
    for end in range(1, len(word) + 1):
        for begin in range(end):
            before = reach[begin]
            if before is None:
                continue
            piece = word[begin:end]
            token = _piece(piece, begin == 0, end == len(word), known, len(before[1]))
            if token is None:
                continue
            cost = before[0] + 1.0 + (2.5 if len(piece) == 1 else 1.0 if len(piece) == 2 else 0.0)
            for joint in _JOINTS:
                stop = end + len(joint)
                if stop > len(word) or word[end:stop] != joint or (joint and (stop == len(word) or len(piece) < 4)):
                    continue
                total = cost + (0.6 if joint else 0.0)
                now = reach[stop]
                if now is None or total < now[0]:
                    reach[stop] = (total, [*before[1], token])
    found = reach[len(word)]
    # A single part is only the word with a joint; two letters and a rest prove nothing.
    if found is None or (len(found[1]) > 1 and found[0] > 1.5 + len(word) * 0.75):
        return None
    return found


def _piece(piece: str, front: bool, behind: bool, known: dict[str, tuple[Meaning, ...]], before: int) -> Token | None:
    if len(piece) == 1:
        if front and piece in LEADING:
            return _leading(piece)
        if behind and before and piece in _BEHIND:
            return Token(piece, tuple(_one(concept) for concept in _BEHIND[piece]))
        return None
    if len(piece) < SHORTEST_PART:
        corner = [m for m in known.get(piece, ()) if len(m & _CORNERS) == 2]
        return Token(piece, tuple(corner)) if behind and before and corner else None
    if piece in NOT_IN_COMPOUNDS and not (behind and before and any(len(m) == 2 for m in known.get(piece, ()))):
        return None
    meanings = known.get(piece)
    return Token(piece, meanings, _units_of(piece)) if meanings else None
