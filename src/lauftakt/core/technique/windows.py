"""Where a corner's figures are looked for."""

from dataclasses import dataclass, replace

from lauftakt.core.arrays import remembered
from lauftakt.core.circuit.layout import Layout
from lauftakt.core.circuit.passages import passage_range


@dataclass(frozen=True)
class Window:
    """Where a corner's figures are looked for, metres from the start line of the lap (may lie before or behind it).

    ``low`` to ``high`` is the corner with what leads to it and the straight after it; ``next_apex`` bounds the search
    for the highest speed after the exit.
    """

    corner: str
    low: float
    entry: float
    apex: float
    exit: float
    high: float
    next_apex: float


def windows(layout: Layout) -> list[Window]:
    """A window for each corner of a layout, in order.

    Between two corners of one passage the border lies where the second one's entry begins, or half way where they
    overlap.
    """
    return remembered(layout, "_windows", lambda: _windows(layout))


def _windows(layout: Layout) -> list[Window]:
    found: dict[str, Window] = {}
    length = layout.length
    by_name = {corner.name: corner for corner in layout.corners}
    order = [corner.name for corner in layout.corners]
    for index, passage in enumerate(layout.passages):
        low, high = passage_range(layout, index)
        members = []
        at = low
        for name in passage.corners:
            corner = by_name[name]
            apex = corner.apex_m
            while layout.centre.closed and apex < at:
                apex += length
            entry = apex - _between(corner.entry_m, corner.apex_m, layout)
            out = apex + _between(corner.apex_m, corner.exit_m, layout)
            members.append(Window(name, low, entry, apex, out, high, high))
            at = apex
        for position, window in enumerate(members):
            following = by_name[order[(order.index(window.corner) + 1) % len(order)]].apex_m
            while layout.centre.closed and following <= window.apex:
                following += length
            border = high
            if position + 1 < len(members):
                border = max(members[position + 1].entry, (window.apex + members[position + 1].apex) / 2)
                border = min(border, members[position + 1].apex - 3.0)
            before = low if position == 0 else members[position - 1].high
            members[position] = replace(
                window, low=before, high=border, next_apex=max(following, border) if layout.centre.closed else length
            )
        for window in members:
            # A long bend may begin before its passage does: what counts as its entry begins with the passage.
            window = replace(window, entry=min(max(window.entry, window.low), window.apex))
            shift = length if window.apex >= length and layout.centre.closed else 0.0
            found[window.corner] = replace(
                window, low=window.low - shift, entry=window.entry - shift, apex=window.apex - shift,
                exit=window.exit - shift, high=window.high - shift, next_apex=window.next_apex - shift,
            ) if shift else window  # fmt: skip
    return [found[name] for name in order if name in found]


def _between(a: float, b: float, layout: Layout) -> float:
    return (b - a) % layout.length if layout.centre.closed else b - a


def stretch_window(layout: Layout, from_m: float, to_m: float) -> Window:
    """A window for any stretch of one lap: the whole of it counts."""
    return Window("", from_m, from_m, (from_m + to_m) / 2, to_m, to_m, to_m)
