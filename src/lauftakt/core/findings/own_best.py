"""Where a driver who has nobody to be measured against loses to the own best passages."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from lauftakt.core.circuit.layout import Layout
from lauftakt.core.comparison.car import ShownCar
from lauftakt.core.comparison.parts import PARTS
from lauftakt.core.findings.causes import explain
from lauftakt.core.findings.pairing import (
    Contender,
    clean_passages,
    corner_parts,
    drives,
    known_figures,
    median_error,
    passage_places,
)
from lauftakt.core.findings.prices import price
from lauftakt.core.findings.statement import Finding, scaled, stated
from lauftakt.core.technique.windows import windows

# Clean passages from which on a driver can be measured against the own best, and what is worth a run, s.
OWN_LAPS, OWN_LOSS_S = 6, 0.05


def against_own_best(
    index: int, contender: Contender, layout: Layout, positions: Sequence[int], car: ShownCar | None
) -> list[Finding]:
    """What a driver who has nobody to be measured against loses beside the own best clean passages, and by what.

    The quickest third of the passages is what the driver has shown; what the median loses to it is told where it is
    worth a run, clear beside the scatter, and explained by something that was done differently.
    """
    if car is None or contender.run.signals is None:
        return []
    places = windows(layout)
    found = []
    for position in positions:
        own = clean_passages(contender.run, layout, position)
        if len(own.numbers) < OWN_LAPS:
            continue
        order = np.argsort(own.times)
        quick = order[: max(len(order) // 3, 2)]
        target = float(np.median(own.times[quick]))
        loss = float(np.median(own.times)) - target
        u = float(np.hypot(median_error(own.times), median_error(own.times[quick])))
        if loss < max(OWN_LOSS_S, 2.0 * u):
            continue
        best = [own.numbers[k] for k in quick]
        low, high, apexes = passage_places(layout, position, places)
        both, prices = price(
            car, drives(contender.run, own.numbers, position), drives(contender.run, best, position), low, high, apexes
        )
        by_corner = corner_parts(contender.run, own.numbers, contender.run, best, layout, position, places)
        corner = max(by_corner, key=lambda name: sum(by_corner[name].values()), default=None)
        if corner is None:
            continue
        which = [window.corner for window in places].index(corner)
        figures, theirs = (known_figures(contender.run, numbers, which) for numbers in (own.numbers, best))
        direction = next(c for c in layout.corners if c.name == corner).direction
        told = explain(both, prices, figures, theirs, loss, direction)
        if told.main == ["unclear"]:
            continue
        parts = scaled({part: sum(p[part] for p in by_corner.values()) for part in PARTS}, loss)
        said = stated(index, contender, layout.passages[position], own, target, u, parts, corner, told)
        found.append(replace(said, against="own best"))
    return found
