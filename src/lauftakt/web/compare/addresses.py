"""How laps are named in addresses.

People's addresses name a lap by its run and the second at which it begins in the log (``12-184``), so that a moved
start line does not make it another lap; addresses of an older version named it by its number (``12.3``) and still open.
What is cached is named by an analysis and the lap's number in it (``97.3``): that never changes.

A lap that nobody drove as a whole is named by what it is made of: the best sectors or passages, or the median, of a run
(``sectors-r12``), of a driver on a day or ever (``median-d5e3``, ``passages-d5``), of a day (``passages-e3``) or of the
laps that lie on the desk (``median-desk``); ``best-d5`` is a driver's best lap. Its curves are named by the laps of
analyses that it is made of.
"""

import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from lauftakt.core.laps.counting import begins_at
from lauftakt.store.analyses import LapLike
from lauftakt.store.lap_names import key_of
from lauftakt.store.made_laps import Recipe, read_recipe
from lauftakt.web.access import Problem

MOST_LAPS = 24
_LAP = re.compile(r"^(?P<run>\d{1,10})(?:-(?P<second>\d{1,6})|\.(?P<number>\d{1,5}))$")
_MADE = re.compile(
    r"^(?P<kind>best|sectors|passages|median)-"
    r"(?:desk|r(?P<run>\d{1,10})|d(?P<driver>\d{1,10})(?:e(?P<day>\d{1,10}))?|e(?P<event>\d{1,10}))$"
)
_OF_ANALYSIS = re.compile(r"^(?P<analysis>\d{1,10})\.(?P<number>\d{1,5})$")


@dataclass(frozen=True)
class LapAddress:
    """A lap as people's addresses name it: by the second of its beginning, or (older ones) by its number."""

    run: int
    second: int | None
    number: int | None

    def find(self, laps: Sequence[LapLike], *, timed_only: bool = True) -> int | None:
        """Number of the lap that is meant; None where there is none."""
        fitting = [lap for lap in laps if lap.time_s is not None or not timed_only]
        if self.second is None:
            return next((lap.number for lap in fitting if lap.number == self.number), None)
        middle = self.second + 0.5
        best = min(fitting, key=lambda lap: abs(lap.start_s - middle), default=None)
        return best.number if best is not None and begins_at(best, middle) else None


@dataclass(frozen=True)
class MadeAddress:
    """A lap that is made of others, or the best of them: whose, and on which day; of the laps on the desk without any
    of these."""

    kind: Literal["best", "sectors", "passages", "median"]
    run: int | None
    driver: int | None
    event: int | None
    text: str

    @property
    def of_desk(self) -> bool:
        return self.of_all and self.event is None

    @property
    def of_all(self) -> bool:
        """Whether it is of all drivers."""
        return self.run is None and self.driver is None


Address = LapAddress | MadeAddress
CurveAddress = tuple[int, int] | Recipe


def lap_address(text: str) -> LapAddress:
    """Read the address of one lap.

    Raises
    ------
    Problem
        422
    """
    found = _LAP.match(text)
    if found is None:
        raise Problem(422, "invalid", "A lap is named by its run and the second of its beginning, like 12-184.")
    second, number = found["second"], found["number"]
    return LapAddress(int(found["run"]), int(second) if second else None, int(number) if number else None)


def desk_address(text: str) -> Address:
    """Read the address of one lap, driven or made.

    Raises
    ------
    Problem
        422
    """
    found = _MADE.match(text)
    if found is None:
        return lap_address(text)
    run, driver, event = (
        int(value) if value else None for value in (found["run"], found["driver"], found["day"] or found["event"])
    )
    return MadeAddress(found["kind"], run, driver, event, text)  # type: ignore[arg-type]


def desk_addresses(text: str) -> list[Address]:
    """Read the addresses of several laps, by commas."""
    return list(dict.fromkeys(desk_address(part) for part in _parts(text)))


def curve_address(text: str) -> CurveAddress:
    """Read analysis and number of one lap, or what a made one is made of.

    Raises
    ------
    Problem
        422
    """
    found = _OF_ANALYSIS.match(text)
    recipe = read_recipe(text)
    if recipe is not None:
        return recipe
    if found is None:
        raise Problem(422, "invalid", "A lap's curves are named by an analysis and a number, like 97.3.")
    return int(found["analysis"]), int(found["number"])


def curve_addresses(text: str) -> list[CurveAddress]:
    """Read analyses and numbers of several laps, by commas."""
    return list(dict.fromkeys(curve_address(part) for part in _parts(text)))


def _parts(text: str) -> list[str]:
    parts = [part for part in text.split(",") if part]
    if not parts:
        raise Problem(422, "invalid", "No laps are named.")
    if len(parts) > MOST_LAPS + 1:
        raise Problem(422, "too-many", f"At most {MOST_LAPS} laps fit on the desk; take some off it.")
    return parts


__all__ = ["MOST_LAPS", "Address", "CurveAddress", "LapAddress", "MadeAddress", "curve_address", "curve_addresses",
           "desk_address", "desk_addresses", "key_of", "lap_address"]  # fmt: skip
