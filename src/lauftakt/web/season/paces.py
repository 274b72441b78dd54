"""Paces told apart by drivers, days and cars: what the core makes of a season's runs, kept as long as they stay."""

from collections.abc import Callable, Hashable, Mapping, Sequence
from typing import Any

import numpy as np

from lauftakt.core.debrief.family import holm
from lauftakt.core.season.common import Common, Driven, Effect, common_of
from lauftakt.core.season.kinds import KINDS
from lauftakt.core.season.pace import RunPace
from lauftakt.store.season import SeasonRun
from lauftakt.web.access import worked_out
from lauftakt.web.schemas import season as schemas
from lauftakt.web.season.seeing import Ground

# Of fewer laps no median is told from chance.
FEWEST_LAPS = 3
LEVEL = 0.05
PaceOf = Callable[[RunPace], tuple[float, float] | None]


def lap_pace(pace: RunPace) -> tuple[float, float] | None:
    """Median lap and its doubt."""
    lap = pace.lap
    if lap is None or lap.doubt_s is None or lap.laps < FEWEST_LAPS:
        return None
    return lap.median_s, lap.doubt_s


def kind_pace(ground: Ground, kind: str) -> PaceOf:
    """Median time in all passages of a kind, and its doubt."""
    names = [passage.name for passage in ground.layout.passages if ground.kind_of(passage.name) == kind]

    def pace_of(pace: RunPace) -> tuple[float, float] | None:
        sides = [pace.passages.get(name) for name in names]
        known = [side for side in sides if side is not None and side.doubt_s is not None and side.laps >= FEWEST_LAPS]
        if not names or len(known) < len(names):
            return None
        return sum(side.median_s for side in known), float(np.sqrt(sum((side.doubt_s or 0.0) ** 2 for side in known)))

    return pace_of


def told_apart(
    name: tuple[Hashable, ...],
    runs: Sequence[SeasonRun],
    pace_of: PaceOf,
    anchors: frozenset[int],
    tried: Callable[[SeasonRun], bool] = lambda run: False,
) -> Common | None:
    """What days, cars and drivers did to a pace over runs of one layout.

    Parameters
    ----------
    name : of all that the answer rests on: the season's, the layout's, and what is asked of them
    runs, pace_of : the runs, and what is compared of their paces
    anchors : drivers who stay as they are
    tried : whether a run came after what is to be judged
    """

    def worked() -> Common | None:
        order = {day: index for index, day in enumerate(sorted({run.day for run in runs}))}
        points = [
            Driven(run.driver, day_of(run), car_of(run), order[run.day], found[0], found[1], tried(run))
            for run in runs
            if run.pace is not None and (found := pace_of(run.pace)) is not None
        ]
        return common_of(points, frozenset(anchors))

    kept: Common | None = worked_out().get(("apart", *name, anchors), worked)
    return kept


def day_of(run: SeasonRun) -> Hashable:
    """A day, and what its road was like."""
    return run.day, run.setting.grip


def car_of(run: SeasonRun) -> Hashable:
    """A car on its tyres."""
    return run.setting.car, run.setting.tyres


def effect_out(effect: Effect, lap_s: float, *, clear: bool | None = None) -> schemas.EffectOut:
    """An effect with what it is in seconds of a pace; ``clear`` where others are shown beside it."""
    return schemas.EffectOut(
        share=effect.share,
        low=effect.low,
        high=effect.high,
        in_lap_s=effect.share * lap_s,
        in_lap_low_s=effect.low * lap_s,
        in_lap_high_s=effect.high * lap_s,
        by=effect.by,
        clear=effect.clear if clear is None else clear,
    )


def effects_out(effects: Mapping[Any, Effect], lap_s: Callable[[Any], float]) -> dict[Any, schemas.EffectOut]:
    """Effects that are shown beside each other: all together may be told wrongly in one of twenty schools."""
    names = list(effects)
    sure = holm([effects[name].likely for name in names], LEVEL)
    return {
        name: effect_out(effects[name], lap_s(name), clear=left is not None)
        for name, left in zip(names, sure, strict=True)
    }


__all__ = ["KINDS", "car_of", "day_of", "effect_out", "effects_out", "kind_pace", "lap_pace", "told_apart"]
