"""A change of a layout in words."""

import math
from collections.abc import Mapping

from lauftakt.core.circuit.editing import Drawing
from lauftakt.core.circuit.ground import metres_apart
from lauftakt.core.circuit.layout import Layout

# More names than this make no sentence.
MOST_NAMED = 4
SMALL_M = 0.05
# Whoever renames a corner may move it a little as well.
SAME_CORNER_M = 15.0


def describe(before: Layout, after: Layout, drawing: Drawing) -> str:
    """What a drawing changes, as one sentence; empty where it changes nothing.

    Parameters
    ----------
    before, after : the layout
    drawing : what was wanted
    """
    told: list[str] = []
    length = before.length
    if drawing.start_m:
        forward = drawing.start_m
        if before.centre.closed and forward > length / 2:
            forward -= length
        told.append(f"start line moved {'on' if forward > 0 else 'back'} by {abs(forward):.1f} m")
    if drawing.start_turn:
        told.append(f"start line turned by {abs(math.degrees(drawing.start_turn)):.0f}°")
    if drawing.finish_m is not None and before.centre.closed:
        told.append(f"timed to a finish at {drawing.finish_m:.1f} m, short of the start line")
    elif drawing.finish_m is not None:
        told.append(f"finish moved by {drawing.finish_m - length:+.1f} m")
    told += _corners(before, after, drawing)
    old_borders, new_borders = {round(p.from_m, 1) for p in before.passages}, {round(b, 1) for b in drawing.borders}
    if old_borders != new_borders:
        told.append("passages changed")
    told += _sectors(before, drawing)
    sentence = "; ".join(told)
    return f"{sentence[0].upper()}{sentence[1:]}." if sentence else ""


def _corners(before: Layout, after: Layout, drawing: Drawing) -> list[str]:
    told = []
    old = {corner.name: corner for corner in before.corners}
    new = {corner.name.strip(): corner for corner in drawing.corners}
    came, went = [name for name in new if name not in old], [name for name in old if name not in new]
    named = _renamed({name: old[name].apex_m for name in went}, {name: new[name].apex_m for name in came}, before)
    came, went = [name for name in came if name not in named.values()], [name for name in went if name not in named]
    told += [_some("", [f"{a} is now {b}" for a, b in named.items()])] if named else []
    told += [_some("new:", came)] if came else []
    told += [_some("gone:", went)] if went else []
    moved = [
        name
        for name, corner in new.items()
        if name in old
        and max(
            abs(corner.entry_m - old[name].entry_m),
            abs(corner.apex_m - old[name].apex_m),
            abs(corner.exit_m - old[name].exit_m),
        )
        > SMALL_M
    ]
    return told + ([_some("moved:", moved)] if moved else [])


def _renamed(went: Mapping[str, float], came: Mapping[str, float], layout: Layout) -> dict[str, str]:
    """Corners that lie where they lay under another name: the new name by the old one."""
    found: dict[str, str] = {}
    pairs = sorted((metres_apart(layout, a, b), old, new) for old, a in went.items() for new, b in came.items())
    for gap, old, new in pairs:
        if gap <= SAME_CORNER_M and old not in found and new not in found.values():
            found[old] = new
    return found


def _some(what: str, names: list[str]) -> str:
    more = f" and {len(names) - MOST_NAMED} more" if len(names) > MOST_NAMED else ""
    return f"{what} {', '.join(names[:MOST_NAMED])}{more}".strip()


def _sectors(before: Layout, drawing: Drawing) -> list[str]:
    old = sorted(zip(before.splits_m, before.names_of_splits, strict=True))
    new = sorted((place, name.strip()) for name, place in drawing.splits)
    if len(old) != len(new):
        return [f"{len(new) + 1} sectors instead of {len(old) + 1}"]
    if any(abs(a - b) > SMALL_M for (a, _), (b, _) in zip(old, new, strict=True)):
        return ["sector borders moved"]
    names = [before.first_sector, *(name for _, name in old)]
    return ["sectors named"] if names != [drawing.first_sector.strip(), *(name for _, name in new)] else []
