"""A passage as two small pictures for a driver: the road with driven lines, and curves along it. SVG for screen, phone
and paper alike: what tells the lines apart survives a black and white printer."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from itertools import pairwise
from xml.sax.saxutils import escape

import numpy as np
from numpy.typing import NDArray

from lauftakt.core.circuit.layout import Layout

Array = NDArray[np.float64]

WIDTH, MAP_HEIGHT, PANEL_HEIGHT = 340.0, 210.0, 96.0
EDGE, LEFT, FOOT, HEAD = 14.0, 34.0, 20.0, 15.0
INK, QUIET, ROAD, EDGES, PAPER = "#20242e", "#5f5c55", "#f1ede1", "#b9b2a3", "#fffefb"
PLUM, BRASS, BAND = "#4a2f6b", "#a87a12", "#c9c0ac"
FONT = "Instrument Sans Variable, Instrument Sans, system-ui, sans-serif"
# How each line is drawn: the reference as a broad pale band, the own usual lap thin, the own best one strong.
_LOOK = {
    "reference": f'stroke="{BAND}" stroke-width="6.5"',
    "usual": f'stroke="{INK}" stroke-width="1.3"',
    "best": f'stroke="{PLUM}" stroke-width="2.8"',
}
ORDER = ("reference", "usual", "best")
# Words stay readable where a line crosses them.
_HALO = f'stroke="{PAPER}" stroke-width="2.6" stroke-linejoin="round" paint-order="stroke"'


@dataclass(frozen=True)
class Drawn:
    """A lap in a passage: ``role`` is ``usual``, ``best`` or ``reference``; offsets and channels lie on the places of
    the picture, NaN where unknown."""

    role: str
    offset: Array
    channels: dict[str, Array] = field(default_factory=dict)


@dataclass(frozen=True)
class Panel:
    """A channel as it is shown: factor to the reader's unit, and its label with the unit."""

    channel: str
    label: str
    factor: float


@dataclass(frozen=True)
class Sign:
    """Something at a place: a corner's number, a ``mark``, or the ``target``."""

    kind: str
    text: str
    at_m: float


@dataclass(frozen=True)
class Scene:
    """What is drawn: places (m from the start line of the lap, rising, may pass the line), laps, signs."""

    layout: Layout
    places: Array
    laps: Sequence[Drawn]
    signs: Sequence[Sign]
    heading_deg: float = 0.0


def passage_map(scene: Scene) -> str:
    """The passage from above, turned as the circuit's map is.

    Returns
    -------
    SVG text without anything from outside.
    """
    layout = scene.layout
    inside = scene.places % layout.length if layout.centre.closed else np.clip(scene.places, 0.0, layout.length)
    half = _half_width(scene, inside)
    edges = [_turned(scene, inside, sign * half) for sign in (1.0, -1.0)]
    everything = np.concatenate([np.stack(edge) for edge in edges], axis=1)
    low, high = everything.min(axis=1), everything.max(axis=1)
    wide, tall = np.maximum(high - low, 1.0)
    scale = min((WIDTH - 2 * EDGE - 20) / wide, (MAP_HEIGHT - 2 * EDGE - 20) / tall)
    left, top = (WIDTH - wide * scale) / 2, (MAP_HEIGHT - tall * scale) / 2

    def fit(x: Array, y: Array) -> tuple[Array, Array]:
        return left + (x - low[0]) * scale, top + (high[1] - y) * scale

    outline = np.concatenate([np.stack(fit(*edges[0])), np.stack(fit(*edges[1]))[:, ::-1]], axis=1)
    parts = [f'<path d="{_path(outline[0], outline[1])}Z" fill="{ROAD}"/>']
    parts += [_line(*fit(*edge), f'stroke="{EDGES}" stroke-width="1"') for edge in edges]
    for lap in _ordered(scene.laps):
        if np.isfinite(lap.offset).any():
            parts.append(_line(*fit(*_turned(scene, inside, lap.offset)), _LOOK[lap.role]))
    for sign in scene.signs:
        parts += _sign_on_map(scene, sign, half, fit)
    return _svg(MAP_HEIGHT, parts)


def _half_width(scene: Scene, inside: Array) -> Array:
    """Half the road as it is drawn: the limits where they are known, else what the lines need."""
    layout = scene.layout
    if layout.left_limit is not None and layout.right_limit is not None:
        width = np.interp(inside, layout.grid(), layout.left_limit - layout.right_limit)
        return np.maximum(width / 2.0, 2.0)
    needed = [float(np.nanmax(np.abs(lap.offset))) for lap in scene.laps if np.isfinite(lap.offset).any()]
    return np.full(len(inside), max([4.0, *(1.5 + each for each in needed)]))


def _turned(scene: Scene, inside: Array, offset: Array) -> tuple[Array, Array]:
    x, y = scene.layout.centre.beside(inside, np.asarray(offset, dtype=float))
    turn = np.radians(scene.heading_deg)
    cos, sin = np.cos(turn), np.sin(turn)
    return x * cos - y * sin, x * sin + y * cos


def _sign_on_map(scene: Scene, sign: Sign, half: Array, fit: object) -> list[str]:
    index = int(np.argmin(np.abs(scene.places - sign.at_m)))
    if abs(scene.places[index] - sign.at_m) > 3.0:
        return []
    inside = scene.places[[index]] % scene.layout.length if scene.layout.centre.closed else scene.places[[index]]
    (lx, ly), (rx, ry) = (fit(*_turned(scene, inside, s * half[[index]])) for s in (1.0, -1.0))  # type: ignore[operator]
    ax, ay, bx, by = float(lx[0]), float(ly[0]), float(rx[0]), float(ry[0])
    away = np.array([bx - ax, by - ay])
    away /= max(float(np.hypot(*away)), 1e-6)
    if sign.kind == "corner":
        return [_text(sign.text, bx + 12 * away[0], by + 12 * away[1], INK, 12, bold=True)]
    if sign.kind == "target":
        bar = f'<line x1="{ax - 4 * away[0]:.1f}" y1="{ay - 4 * away[1]:.1f}" x2="{bx + 4 * away[0]:.1f}" '
        return [bar + f'y2="{by + 4 * away[1]:.1f}" stroke="{BRASS}" stroke-width="3.2"/>']
    x, y = ax - 8 * away[0], ay - 8 * away[1]
    diamond = f"M{x:.1f} {y - 5:.1f}L{x + 5:.1f} {y:.1f}L{x:.1f} {y + 5:.1f}L{x - 5:.1f} {y:.1f}Z"
    # Away from the road, unless it would leave the picture there.
    long = 5.2 * len(sign.text) + 10.0
    outwards = -1.0 if (away[0] > 0 and x > long) or x + long > WIDTH else 1.0
    words = _text(sign.text, x + 8.0 * outwards, y - 2, QUIET, 10, anchor="end" if outwards < 0 else "start")
    return [f'<path d="{diamond}" fill="{BRASS}"/>', words]


def passage_curves(scene: Scene, panels: Sequence[Panel], distance: tuple[str, float]) -> str:
    """Channels along the passage, one under the other.

    Parameters
    ----------
    scene : with the channels of its laps
    panels : what is shown, from top to bottom
    distance : label and factor of the reader's unit of length

    Returns
    -------
    SVG text without anything from outside; empty where nothing is known.
    """
    shown = [panel for panel in panels if _known(scene, panel.channel)]
    if not shown:
        return ""
    first, last = float(scene.places[0]), float(scene.places[-1])

    def across(place: Array | float) -> Array:
        return LEFT + (np.asarray(place) - first) / max(last - first, 1.0) * (WIDTH - LEFT - 8)

    parts: list[str] = []
    for row, panel in enumerate(shown):
        parts += _panel(scene, panel, HEAD + row * PANEL_HEIGHT, across)
    height = HEAD + len(shown) * PANEL_HEIGHT + FOOT
    for sign in scene.signs:
        if not first <= sign.at_m <= last:
            continue
        x = float(across(sign.at_m))
        if sign.kind == "target":
            parts.append(f'<line x1="{x:.1f}" y1="4" x2="{x:.1f}" y2="{height - FOOT:.1f}" stroke="{BRASS}" '
                         'stroke-width="2"/>')  # fmt: skip
        elif sign.kind == "corner":
            parts.append(_text(sign.text, x, 11, QUIET, 10, bold=True))
    label, factor = distance
    for place, told in _places(scene, first, last, factor):
        x = float(across(place))
        if x < WIDTH - 34:
            parts.append(_text(f"{told:.0f}", x, height - 7, QUIET, 10))
    parts.append(_text(label, WIDTH - 2, height - 7, QUIET, 10, anchor="end"))
    return _svg(height, parts)


def _places(scene: Scene, first: float, last: float, factor: float) -> list[tuple[float, float]]:
    """Even places to be written under a picture: where they lie, and what they are called behind the start line."""
    length = scene.layout.length
    ends = sorted({first, last, *(end for end in (0.0, length) if first < end < last and scene.layout.centre.closed)})
    found = []
    step = next((each for each in (20, 50, 100, 200, 500, 1000, 2000) if (last - first) * factor / each <= 4), 5000)
    for low, high in pairwise(ends):
        shift = length * np.floor((low + high) / 2.0 / length) if scene.layout.centre.closed else 0.0
        told = np.arange(np.ceil((low - shift) * factor / step), np.floor((high - shift) * factor / step) + 1) * step
        found += [(float(value / factor + shift), float(value)) for value in told]
    return found


def _panel(scene: Scene, panel: Panel, top: float, across: object) -> list[str]:
    values = [lap.channels[panel.channel] * panel.factor for lap in scene.laps if panel.channel in lap.channels]
    known = np.concatenate([each[np.isfinite(each)] for each in values])
    low, high = float(known.min()), float(known.max())
    low, high = low - 0.04 * (high - low + 1e-9), high + 0.06 * (high - low + 1e-9)
    bottom, tall = top + PANEL_HEIGHT - 6, PANEL_HEIGHT - 26

    def up(value: Array | float) -> Array:
        return bottom - (np.asarray(value) - low) / max(high - low, 1e-9) * tall

    parts = []
    for step in _steps(low, high, 3):
        y = float(up(step))
        parts.append(f'<line x1="{LEFT}" y1="{y:.1f}" x2="{WIDTH - 8}" y2="{y:.1f}" stroke="#ddd7ca"/>')
        parts.append(_text(f"{step:g}", LEFT - 4, y + 3.5, QUIET, 10, anchor="end"))
    for lap in _ordered(scene.laps):
        if panel.channel in lap.channels:
            line = across(scene.places), up(lap.channels[panel.channel] * panel.factor)  # type: ignore[operator]
            parts.append(_line(*line, _LOOK[lap.role]))
    parts.append(_text(panel.label, LEFT, top + 11, QUIET, 10, anchor="start"))
    return parts


def _known(scene: Scene, channel: str) -> bool:
    return any(np.isfinite(lap.channels[channel]).any() for lap in scene.laps if channel in lap.channels)


def _ordered(laps: Sequence[Drawn]) -> list[Drawn]:
    return sorted(laps, key=lambda lap: ORDER.index(lap.role))


def _steps(low: float, high: float, most: int) -> list[float]:
    """Even figures between two values."""
    span = max(high - low, 1e-9)
    size = 10.0 ** np.floor(np.log10(span / most))
    step = next(size * k for k in (1, 2, 5, 10, 20) if span / (size * k) <= most)
    return [float(k * step) for k in range(int(np.ceil(low / step)), int(np.floor(high / step)) + 1)]


def _line(x: Array, y: Array, look: str) -> str:
    known = np.isfinite(x) & np.isfinite(y)
    return f'<path d="{_path(x[known], y[known])}" fill="none" stroke-linejoin="round" {look}/>' if known.any() else ""


def _path(x: Array, y: Array) -> str:
    return "M" + "L".join(f"{a:.1f} {b:.1f}" for a, b in zip(x, y, strict=True))


def _text(text: str, x: float, y: float, colour: str, size: int, *, bold: bool = False, anchor: str = "middle") -> str:
    weight = ' font-weight="700"' if bold else ""
    return (
        f'<text x="{x:.1f}" y="{y:.1f}" fill="{colour}" font-size="{size}" text-anchor="{anchor}"{weight} {_HALO}>'
        f"{escape(text)}</text>"
    )


def _svg(height: float, parts: Sequence[str]) -> str:
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {WIDTH:.0f} {height:.0f}" width="{WIDTH:.0f}" '
        f'height="{height:.0f}" font-family="{FONT}"><rect width="100%" height="100%" fill="{PAPER}"/>'
        f"{''.join(parts)}</svg>"
    )
