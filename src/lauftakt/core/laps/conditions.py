"""Dry, damp or wet: laps are compared with their like."""

from typing import Final, Literal

Conditions = Literal["dry", "damp", "wet"]

CONDITIONS: Final[tuple[Conditions, ...]] = ("dry", "damp", "wet")
_WORDS: Final[tuple[tuple[Conditions, frozenset[str]], ...]] = (
    ("wet", frozenset({"wet", "rain", "raining"})),
    ("damp", frozenset({"damp", "moist", "drying"})),
    ("dry", frozenset({"dry"})),
)


def conditions_in(said: str | None) -> Conditions | None:
    """What a text says of the conditions; None where it says nothing. The wettest word goes before the others."""
    words = (said or "").lower().replace(",", " ").split()
    return next((name for name, known in _WORDS if not known.isdisjoint(words)), None)


def conditions_of(said: str | None) -> Conditions:
    """In what a run was driven; dry where nobody said otherwise, since that is what people leave unsaid.

    Parameters
    ----------
    said : the run's label, or the words of its file
    """
    return conditions_in(said) or "dry"
