"""Laps that nobody drove as a whole, as entries of a line-up: from a recipe that names the laps of analyses they are
made of, and therefore never change."""

import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import groupby
from typing import Literal

import numpy as np

from lauftakt.core.comparison.joined import (
    Joined,
    Source,
    best_parts,
    joined_lap,
    joined_sectors,
    median_lap,
    passage_edges,
    sector_edges,
)
from lauftakt.core.laps.lap import draw_places, inside
from lauftakt.core.technique.signals import Scale
from lauftakt.store.analyses import LapView
from lauftakt.store.lineup import Entry

MadeKind = Literal["sectors", "passages", "median"]
NUMBER = 1
# So many laps tell what is usual; a recipe of more fits no address.
MOST_SOURCES = 120
_RECIPE = re.compile(r"^(?P<kind>sectors|passages|median):(?P<laps>\d{1,10}(?:\.\d{1,5}(?:-\d{1,5})?)+"
                     r"(?:_\d{1,10}(?:\.\d{1,5}(?:-\d{1,5})?)+)*)$")  # fmt: skip


@dataclass(frozen=True)
class Recipe:
    """What a made lap is made of: laps by analysis and number, one for each part of a composite, all of a median."""

    kind: MadeKind
    laps: tuple[tuple[int, int], ...]

    @property
    def text(self) -> str:
        """As addresses have it: ``median:97.2-5.8_98.3``, laps by analysis, those that follow one another by ends."""
        groups = []
        for analysis, laps in groupby(self.laps, key=lambda lap: lap[0]):
            groups.append(".".join([str(analysis), *_ranges([number for _, number in laps])]))
        return f"{self.kind}:{'_'.join(groups)}"


def _ranges(numbers: Sequence[int]) -> list[str]:
    found: list[list[int]] = []
    for number in numbers:
        if found and number == found[-1][1] + 1:
            found[-1][1] = number
        else:
            found.append([number, number])
    return [str(low) if low == high else f"{low}-{high}" for low, high in found]


def read_recipe(text: str) -> Recipe | None:
    """The recipe that is written so; None where none is, or one of far too many laps."""
    match = _RECIPE.match(text)
    if match is None:
        return None
    laps: list[tuple[int, int]] = []
    for group in match["laps"].split("_"):
        analysis, *numbers = group.split(".")
        for part in numbers:
            low, _, high = part.partition("-")
            if int(high or low) - int(low) >= MOST_SOURCES:
                return None
            laps += [(int(analysis), number) for number in range(int(low), int(high or low) + 1)]
    if not 0 < len(laps) <= MOST_SOURCES:
        return None
    return Recipe(match["kind"], tuple(laps))  # type: ignore[arg-type]


def source_of(entry: Entry, number: int) -> Source:
    """A timed lap of an entry as what others are made of."""
    row = entry.numbers.index(number)
    rows = {role: values[row] for role, values in entry.curves.items() if role != "time_draws"}
    places = draw_places(entry.layout)
    draws = entry.curves.get("time_draws")
    return Source(rows, np.zeros((len(places), 0)) if draws is None else draws[row].reshape(len(places), -1))


def best_recipe(kind: MadeKind, candidates: Iterable[tuple[Entry, int]]) -> Recipe | None:
    """The recipe for the best parts of laps, or for what is usual among them; None without any.

    Parameters
    ----------
    kind : ``sectors`` and ``passages`` join the best ones, ``median`` takes what is usual
    candidates : entries and numbers of laps that count, all on one layout version
    """
    laps = list(candidates)
    if not laps:
        return None
    if kind == "median":
        thin = laps[:: -(-len(laps) // MOST_SOURCES)]
        return Recipe(kind, tuple((entry.analysis.id, number) for entry, number in thin))
    layout = laps[0][0].layout
    edges = sector_edges(layout) if kind == "sectors" else passage_edges(layout)
    which = best_parts([source_of(entry, number) for entry, number in laps], edges, layout)
    return Recipe(kind, tuple((laps[row][0].analysis.id, laps[row][1]) for row in which))


def made_entry(recipe: Recipe, entries: Mapping[int, Entry]) -> Entry:
    """A made lap as an entry with one lap, as if it had been driven.

    Parameters
    ----------
    recipe : see :class:`Recipe`
    entries : of all analyses that it names, by analysis

    Raises
    ------
    ValueError
        where the number of parts is not the layout's.
    """
    own = [entries[analysis] for analysis, _ in recipe.laps]
    layout = own[0].layout
    sources = [source_of(entries[analysis], number) for analysis, number in recipe.laps]
    if recipe.kind == "median":
        lap = median_lap(sources, layout)
    else:
        edges = sector_edges(layout) if recipe.kind == "sectors" else passage_edges(layout)
        if len(sources) != len(edges) - 1:
            raise ValueError("A composite needs one lap for each part.")
        lap = joined_lap(sources, range(len(sources)), edges, layout)
    curves = {role: values[None] for role, values in lap.rows.items()}
    if lap.draws.shape[1]:
        curves["time_draws"] = lap.draws.ravel()[None]
    return replace(
        own[0],
        laps=(_view(lap, own[0]),),
        curves=curves,
        said=(),
        made=recipe.text,
        of_runs=frozenset(entry.run.id for entry in own),
        of_drivers=frozenset(entry.run.driver_id for entry in own),
        scale=_scale(own, lap),
    )


def _view(lap: Joined, entry: Entry) -> LapView:
    layout = entry.layout
    time = float(lap.rows["time"][inside(layout)][-1])
    end = int(np.searchsorted(draw_places(layout), layout.length))
    begin = int(np.searchsorted(draw_places(layout), 0.0))
    error = lap.draws[end] - lap.draws[begin]
    doubt = float(np.sqrt(np.mean(error**2))) if error.size else None
    sectors = joined_sectors(lap, layout)
    return LapView(NUMBER, "timed", None, None, 0.0, time, time, doubt, sectors)


def _scale(entries: Sequence[Entry], lap: Joined) -> Scale:
    """Of several runs what is logged in all of them is judged by the first one's scale."""
    found = Scale(**entries[0].analysis.scale)
    roles = {Scale(**entry.analysis.scale).brake_role for entry in entries}
    if len(roles) > 1 or (found.brake_role is not None and found.brake_role not in lap.rows):
        found = replace(found, brake=None, brake_role=None)
    return found if "throttle" in lap.rows else replace(found, throttle=None)


__all__ = ["NUMBER", "MadeKind", "Recipe", "best_recipe", "made_entry", "read_recipe"]
