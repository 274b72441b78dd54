"""Units at the edge: what files say, turned into SI and back by the trade's table, by Pint where it is not in there."""

from functools import cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from lauftakt.core.log.units import SI, Reading, UnknownUnit, into_si, readings

Array = NDArray[np.float64]

__all__ = ["UnknownUnit", "check_unit", "convert"]


@cache
def _registry() -> Any:
    """The registry; made when a unit is met that the trade hardly writes, since it takes half a second."""
    import pint

    return pint.UnitRegistry(autoconvert_offset_to_baseunit=True)


@cache
def _factors(given: str, wanted: str) -> tuple[Reading, Reading]:
    """How to get from a unit to SI and from there to another.

    Raises
    ------
    UnknownUnit
    """
    for target in readings(wanted):
        for source in readings(given):
            if SI.get(source.quantity, "") == SI.get(target.quantity, "-"):
                return source, target
    if readings(given) and readings(wanted):
        raise UnknownUnit(given)
    return _by_pint(given, wanted), Reading("", 1.0)


def _by_pint(given: str, wanted: str) -> Reading:
    try:
        factor = _registry().Quantity(np.array([0.0, 1.0]), given.strip()).to(wanted.strip()).magnitude
    except Exception as error:  # Pint raises many kinds, also from its tokenizer
        raise UnknownUnit(given) from error
    return Reading("", float(factor[1] - factor[0]), float(factor[0]))


def convert(values: Array, given: str, wanted: str) -> Array:
    """Values in another unit.

    Parameters
    ----------
    values : (n,)
    given, wanted : spellings

    Raises
    ------
    UnknownUnit
        where a unit is not known or the two do not measure the same thing.
    """
    if given == wanted:
        return values
    source, target = _factors(given, wanted)
    if (source.factor, source.offset, source.written) == (target.factor, target.offset, target.written):
        return values
    inside = into_si(values, source)
    if target.factor == 1.0 and target.offset == 0.0:
        return np.asarray(inside)
    return np.asarray((inside - target.offset) / target.factor)


def check_unit(given: str, wanted: str | None) -> None:
    """Whether a unit is known, and measures what another does.

    Raises
    ------
    UnknownUnit
    """
    if wanted is not None:
        convert(np.zeros(1), given, wanted)
    elif not readings(given):
        _by_pint(given, given)
