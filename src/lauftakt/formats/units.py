"""Units at the edge: what files say, turned into SI and back by Pint."""

from functools import cache
from typing import Any

import numpy as np
import pint
from numpy.typing import NDArray

Array = NDArray[np.float64]


@cache
def _registry() -> Any:
    """The registry; made when first needed, since it takes half a second."""
    return pint.UnitRegistry(autoconvert_offset_to_baseunit=True)


# Spellings that loggers use and Pint reads differently or not at all.
_SPELLINGS = {
    "": "dimensionless",
    "1": "dimensionless",
    "-": "dimensionless",
    "%": "percent",
    "pct": "percent",
    "g": "standard_gravity",
    "°": "degree",
    "deg": "degree",
    "deg/s": "degree/second",
    "°/s": "degree/second",
    "c": "degC",
    "°c": "degC",
    "degc": "degC",
    "f": "degF",
    "°f": "degF",
    "degf": "degF",
    "k": "kelvin",
    "kmh": "kilometer/hour",
    "kph": "kilometer/hour",
    "km/h": "kilometer/hour",
    "1/min": "rpm",
    "min-1": "rpm",
    "m/s2": "meter/second**2",
    "m/s²": "meter/second**2",
    "m/s^2": "meter/second**2",
}


class UnknownUnit(Exception):
    """A unit that is not known, or does not measure what the role stands for."""


@cache
def _unit(text: str) -> pint.Unit:
    key = text.strip()
    spelled = _SPELLINGS.get(key.lower(), key)
    try:
        return _registry().Unit(spelled)
    except Exception as error:  # Pint raises many kinds, also from its tokenizer
        raise UnknownUnit(text) from error


def convert(values: Array, given: str, wanted: str) -> Array:
    """Values in another unit.

    Raises
    ------
    UnknownUnit
        where a unit is not known or the two do not measure the same thing.
    """
    try:
        factor = _registry().Quantity(np.array([0.0, 1.0]), _unit(given)).to(_unit(wanted)).magnitude
    except pint.DimensionalityError as error:
        raise UnknownUnit(given) from error
    return np.asarray(values * (factor[1] - factor[0]) + factor[0])


def check_unit(given: str, wanted: str | None) -> None:
    """Whether a unit is known, and measures what another does.

    Raises
    ------
    UnknownUnit
    """
    if wanted is None:
        _unit(given)
    else:
        convert(np.zeros(1), given, wanted)
