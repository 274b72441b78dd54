"""A layout as a picture for paper: the road, corners, sectors, marks, and what one lap did where."""

from collections.abc import Sequence
from dataclasses import dataclass
from xml.sax.saxutils import escape

import numpy as np
from numpy.typing import NDArray

from lauftakt.core.circuit.layout import Layout

Array = NDArray[np.float64]
WIDTH, HEIGHT, EDGE = 900.0, 700.0, 64.0
INK, QUIET, ROAD, ACCENT, PAPER = "#20242e", "#5f5c55", "#dfdacb", "#4a2f6b", "#ffffff"


@dataclass(frozen=True)
class Spot:
    """Something at a place: its text, and how it is drawn: ``corner``, ``sector``, ``mark`` or ``brake``."""

    kind: str
    text: str
    at_m: float
    offset_m: float = 0.0
    direction: str = ""


def map_picture(layout: Layout, heading_deg: float, spots: Sequence[Spot]) -> bytes:
    """The map as SVG.

    Parameters
    ----------
    layout : which
    heading_deg : compass heading that points upwards
    spots : what is written on it

    Returns
    -------
    An SVG file that needs nothing but the named fonts.
    """
    fit = _Fit(layout, heading_deg)
    road = fit.path(layout.centre.x, layout.centre.y, layout.centre.closed)
    parts = [
        f'<path d="{road}" fill="none" stroke="{ROAD}" stroke-width="13" stroke-linejoin="round"/>',
        f'<path d="{road}" fill="none" stroke="{PAPER}" stroke-width="8" stroke-linejoin="round"/>',
    ]
    for offsets in (layout.left_limit, layout.right_limit):
        if offsets is not None:
            places = layout.grid()[::4]
            x, y, heading = layout.centre.at(places)
            across = offsets[::4]
            line = fit.path(x - across * np.sin(heading), y + across * np.cos(heading), layout.centre.closed)
            parts.append(f'<path d="{line}" fill="none" stroke="{QUIET}" stroke-width="1"/>')
    if layout.pit_lane:
        degrees = np.array(layout.pit_lane)
        lane = fit.path(*layout.plane.to_xy(degrees[:, 0], degrees[:, 1]), False)
        parts.append(f'<path d="{lane}" fill="none" stroke="{QUIET}" stroke-width="2.5" stroke-dasharray="7 5"/>')
    parts += [fit.bar(0.0, 16.0, INK, 4.0)]
    if not layout.centre.closed:
        parts.append(fit.bar(layout.length, 16.0, INK, 4.0))
    for spot in spots:
        parts += fit.spot(spot)
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {WIDTH:.0f} {HEIGHT:.0f}" '
        f'font-family="Instrument Sans, sans-serif">{"".join(parts)}</svg>'
    ).encode()


class _Fit:
    """The layout's plane turned and scaled onto the picture."""

    def __init__(self, layout: Layout, heading_deg: float) -> None:
        self._layout, self._turn = layout, np.radians(heading_deg)
        x, y = self._turned(layout.centre.x, layout.centre.y)
        wide, high = max(float(np.ptp(x)), 1.0), max(float(np.ptp(y)), 1.0)
        self._scale = min((WIDTH - 2 * EDGE) / wide, (HEIGHT - 2 * EDGE) / high)
        self._left = (WIDTH - wide * self._scale) / 2 - float(x.min()) * self._scale
        self._top = (HEIGHT - high * self._scale) / 2 + float(y.max()) * self._scale

    def _turned(self, x: Array, y: Array) -> tuple[Array, Array]:
        cos, sin = np.cos(self._turn), np.sin(self._turn)
        return x * cos - y * sin, x * sin + y * cos

    def point(self, x: Array, y: Array) -> tuple[Array, Array]:
        east, north = self._turned(x, y)
        return self._left + east * self._scale, self._top - north * self._scale

    def path(self, x: Array, y: Array, closed: bool) -> str:
        across, down = self.point(x, y)
        every = max(1, len(across) // 1500)
        pairs = zip(across[::every], down[::every], strict=True)
        return "M" + "L".join(f"{a:.1f} {b:.1f}" for a, b in pairs) + ("Z" if closed else "")

    def _at(self, place: float, offset: float) -> tuple[float, float, float, float]:
        """Point of a place, and the direction to the left of the road there, on the picture."""
        x, y, heading = self._layout.centre.at(np.array([place]))
        across, down = self.point(x - offset * np.sin(heading), y + offset * np.cos(heading))
        turned = float(heading[0]) + self._turn
        return float(across[0]), float(down[0]), -float(np.sin(turned)), -float(np.cos(turned))

    def bar(self, place: float, half: float, colour: str, width: float) -> str:
        x, y, nx, ny = self._at(place, 0.0)
        ends = f'x1="{x - nx * half:.1f}" y1="{y - ny * half:.1f}" x2="{x + nx * half:.1f}" y2="{y + ny * half:.1f}"'
        return f'<line {ends} stroke="{colour}" stroke-width="{width}"/>'

    def spot(self, spot: Spot) -> list[str]:
        x, y, nx, ny = self._at(spot.at_m, spot.offset_m)
        if spot.kind == "corner":
            out = 26.0 if spot.direction == "right" else -26.0
            return _lines(spot.text, x + nx * out, y + ny * out, INK, 15, bold=True)
        if spot.kind == "sector":
            words = _lines(spot.text, x - nx * 30, y - ny * 30, ACCENT, 13, bold=True)
            return [self.bar(spot.at_m, 14.0, ACCENT, 3.5), *words]
        if spot.kind == "brake":
            return [self.bar(spot.at_m, 9.0, QUIET, 2.5)]
        diamond = f"M{x:.1f} {y - 6:.1f}L{x + 6:.1f} {y:.1f}L{x:.1f} {y + 6:.1f}L{x - 6:.1f} {y:.1f}Z"
        anchor, away = ("end", -10.0) if x > WIDTH / 2 else ("start", 10.0)
        return [
            f'<path d="{diamond}" fill="{ACCENT}"/>',
            *_lines(spot.text, x + away, y - 8, ACCENT, 12, anchor=anchor),
        ]


def _lines(
    text: str, x: float, y: float, colour: str, size: int, *, bold: bool = False, anchor: str = "middle"
) -> list[str]:
    """Text, a line for each line of it, around a point."""
    rows = text.split("\n")
    weight = ' font-weight="700"' if bold else ""
    return [
        f'<text x="{x:.1f}" y="{y + size * (0.35 + 1.1 * (k - (len(rows) - 1) / 2)):.1f}" fill="{colour}" '
        f'font-size="{size if k == 0 else size - 3}" text-anchor="{anchor}"{weight if k == 0 else ""}>'
        f"{escape(row)}</text>"
        for k, row in enumerate(rows)
    ]
