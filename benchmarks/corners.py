"""Corners and passages over random circuits: are they found as a coach would name them?

    benchmarks/corners.py [--circuits 300] [--driven 30] [--first-seed 0] [--draw FOLDER] [--smoke]

Circuits are put together from elements that a coach names without a map of curvature: simple corners, hairpins, double
apexes, two corners of one direction with a straight between, chicanes, long sweeps that tighten or open, kinks that are
driven flat, and straights that bend by five degrees. What each is called is written beside it here and knows nothing
of the core's thresholds. A circuit is right where every corner is found once, at its place, with its direction, a
chicane
shares a group, and nothing else is found. Judged on the drawn middle of the road, and on layouts made from what a
driver drove there (``--driven``).
"""

import argparse
import sys
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

from lauftakt.core.circuit.centre import CentreLine
from lauftakt.core.circuit.corners import find_corners
from lauftakt.core.circuit.layout import Layout, LayoutSketch, Line
from lauftakt.core.pipeline import make_layout
from lauftakt.core.plane import Plane
from lauftakt.demo.circuit import Circuit
from lauftakt.demo.drive import drive_run
from lauftakt.demo.habits import Driver
from lauftakt.demo.line import racing_line
from lauftakt.demo.scenario import COUPE, line_at
from lauftakt.demo.sensors import Sensors, record

STEP = 1.0
# A driver's apex may lie so far beyond the bend that was built.
SLACK_M = 25.0
ELEMENTS = ("simple", "hairpin", "double", "pair", "chicane", "sweep", "kink", "bent")


@dataclass
class Named:
    """A corner as a coach would name it: from where to where, and to which side; ``linked`` with the one before."""

    kind: str
    begin: float
    end: float
    direction: str
    linked: bool = False


@dataclass
class Road:
    """Curvature in steps of a metre, and what is named along it."""

    curvature: list[float] = field(default_factory=list)
    named: list[Named] = field(default_factory=list)

    def straight(self, metres: float) -> None:
        self.curvature += [0.0] * round(metres)

    def arc(self, degrees: float, radius: float, radius_after: float | None = None, ease: float = 12.0) -> float:
        """An arc with an easing at both ends; its radius may change along it. Returns where it begins."""
        begin = float(len(self.curvature))
        after = radius if radius_after is None else radius_after
        length = np.radians(abs(degrees)) * (radius + after) / 2 + ease
        u = np.arange(max(6, round(length))) + 0.5
        shape = np.clip(np.minimum(u, len(u) - u) / ease, 0.0, 1.0)
        bend = shape / np.linspace(radius, after, len(u))
        bend *= np.radians(abs(degrees)) / bend.sum()
        self.curvature += (np.sign(degrees) * bend).tolist()
        return begin

    def name(self, kind: str, begin: float, degrees: float, *, linked: bool = False) -> None:
        self.named.append(Named(kind, begin, float(len(self.curvature)), "left" if degrees > 0 else "right", linked))


def element(road: Road, kind: str, random: np.random.Generator, side: int) -> float:
    """Add one element; returns by how many degrees it turns."""
    if kind == "simple":
        angle = side * random.uniform(25, 140)
        begin = road.arc(angle, random.uniform(14, 200))
        road.name(kind, begin, angle)
        return angle
    if kind == "hairpin":
        angle = side * random.uniform(150, 185)
        begin = road.arc(angle, random.uniform(10, 24), ease=8.0)
        road.name(kind, begin, angle)
        return angle
    if kind == "double":
        radius, first, second = random.uniform(30, 70), side * random.uniform(45, 80), side * random.uniform(45, 80)
        begin = road.arc(first, radius)
        road.straight(random.uniform(2, 14))
        road.arc(second, radius * random.uniform(0.8, 1.25))
        road.name(kind, begin, first)
        return first + second
    if kind == "pair":
        turned = 0.0
        for number in range(2):
            angle = side * random.uniform(50, 85)
            if number:
                road.straight(random.uniform(50, 140))
            begin = road.arc(angle, random.uniform(20, 70))
            road.name(kind, begin, angle)
            turned += angle
        return turned
    if kind == "chicane":
        turned = 0.0
        for number in range(2):
            angle = (side if number == 0 else -side) * random.uniform(30, 80)
            if number:
                road.straight(random.uniform(0, 22))
            begin = road.arc(angle, random.uniform(18, 50), ease=8.0)
            road.name(kind, begin, angle, linked=bool(number))
            turned += angle
        return turned
    if kind == "sweep":
        wide, tight = random.uniform(110, 260), random.uniform(35, 90)
        angle = side * random.uniform(80, 150)
        ends = (wide, tight) if random.random() < 0.5 else (tight, wide)
        begin = road.arc(angle, *ends, ease=20.0)
        road.name(kind, begin, angle)
        return angle
    if kind == "kink":  # flat in any car: nobody names it
        angle = side * random.uniform(3, 8)
        road.arc(angle, random.uniform(280, 700), ease=15.0)
        return angle
    angle = side * 5.0
    road.arc(angle, random.uniform(600, 1500), ease=20.0)
    return angle


def random_road(seed: int) -> Road:
    """Half a circuit that turns by 180 degrees, and the same again: the end meets the beginning."""
    random = np.random.default_rng(seed)
    while True:
        road, turned = Road(), 0.0
        road.straight(random.uniform(120, 300))
        for kind in random.permutation(ELEMENTS)[: random.integers(3, 7)]:
            side = 1 if turned < random.uniform(-40, 120) else -1
            turned += element(road, str(kind), random, side)
            road.straight(random.uniform(80, 260))
        rest = 180.0 - turned
        if not 35.0 < abs(rest) < 150.0:
            continue
        begin = road.arc(rest, random.uniform(20, 90))
        road.name("simple", begin, rest)
        road.straight(random.uniform(40, 160))
        half = len(road.curvature)
        if 500 < half < 3000:
            road.curvature += road.curvature
            road.named += [Named(n.kind, n.begin + half, n.end + half, n.direction, n.linked) for n in list(road.named)]
            return road


def circuit_of(road: Road, seed: int) -> Circuit:
    """The road as the simulator knows one."""
    curvature = np.array(road.curvature)
    heading = np.cumsum(curvature) * STEP - curvature * STEP / 2
    x = np.concatenate([[0.0], np.cumsum(np.cos(heading[:-1]))]) * STEP
    y = np.concatenate([[0.0], np.cumsum(np.sin(heading[:-1]))]) * STEP
    return Circuit(f"Random {seed}", x, y, heading, curvature, STEP, 11.0, 50.0, 9.0, ())


def drawn(circuit: Circuit) -> Layout:
    """A layout whose centre is the middle of the road."""
    x, y = np.append(circuit.x, circuit.x[0]), np.append(circuit.y, circuit.y[0])
    centre = CentreLine(x, y, np.arange(len(x), dtype=float), True)
    nowhere = Line((circuit.latitude, circuit.longitude), (circuit.latitude, circuit.longitude))
    return Layout(circuit.name, Plane(circuit.latitude, circuit.longitude), nowhere, centre)


def driven(circuit: Circuit, seed: int) -> Layout:
    """A layout made from what a driver drove there."""
    line = racing_line(circuit)
    motion = drive_run(circuit, COUPE, Driver("A", scatter=0.004), timed_laps=5, seed=seed, line=line)
    log = record(circuit, COUPE, motion, Sensors(), seed=seed + 1, meta={})
    return make_layout([log], LayoutSketch(name=circuit.name, start=line_at(circuit, 0.0)))[0]


def wrong(layout: Layout, road: Road) -> list[str]:
    """What a coach would not agree with, in words."""
    scale = layout.length / len(road.curvature)
    free = list(layout.corners)
    told, groups = [], {}
    for index, named in enumerate(road.named):
        low, high = (named.begin - SLACK_M) * scale, (named.end + SLACK_M) * scale
        own = [c for c in free if low <= c.apex_m <= high and c.direction == named.direction]
        if len(own) != 1:
            told.append(f"{named.kind} at {named.begin:.0f} m: {'missed' if not own else f'found as {len(own)}'}")
        for corner in own:
            free.remove(corner)
        if len(own) == 1:
            groups[index] = own[0].group
        if named.linked and groups.get(index) != groups.get(index - 1) and index in groups and index - 1 in groups:
            told.append(f"chicane at {named.begin:.0f} m: its corners are apart")
    told += [f"nothing at {c.apex_m:.0f} m: {c.name} found" for c in free]
    return told


def judge(count: int, first: int, how: str) -> Iterator[tuple[int, Road, Layout, list[str]]]:
    for seed in range(first, first + count):
        road = random_road(seed)
        circuit = circuit_of(road, seed)
        layout = drawn(circuit) if how == "drawn" else driven(circuit, seed)
        if how == "drawn":
            object.__setattr__(layout, "corners", find_corners(layout))
        yield seed, road, layout, wrong(layout, road)


def draw(layout: Layout, road: Road, told: list[str], path: Path) -> None:
    """A circuit that is not as a coach would name it, as a small picture: what was found, and what is meant."""
    centre = layout.centre
    west, south = float(centre.x.min()) - 60, float(centre.y.min()) - 60
    wide, high = float(np.ptp(centre.x)) + 120, float(np.ptp(centre.y)) + 120
    points = " ".join(
        f"{x - west:.0f},{high - (y - south):.0f}" for x, y in zip(centre.x[::3], centre.y[::3], strict=True)
    )
    marks = []
    scale = layout.length / len(road.curvature)
    meant = [((n.begin + n.end) / 2 * scale, n.kind, "#07625f") for n in road.named]
    for place, text, colour in [*((c.apex_m, c.name, "#a23a0c") for c in layout.corners), *meant]:
        x, y, heading = centre.at(np.array([place]))
        away = 30.0 if colour == "#a23a0c" else -45.0
        x, y = x - away * np.sin(heading), y + away * np.cos(heading)
        spot = f'x="{x[0] - west:.0f}" y="{high - (y[0] - south):.0f}"'
        marks.append(f'<text {spot} fill="{colour}" font-size="26" text-anchor="middle">{text}</text>')
    lines = "".join(
        f'<text x="10" y="{high + 30 + 28 * k:.0f}" font-size="24">{line}</text>' for k, line in enumerate(told)
    )
    path.write_text(
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {wide:.0f} {high + 40 + 28 * len(told):.0f}">'
        f'<polygon points="{points}" fill="none" stroke="#5f5c55" stroke-width="8"/>{"".join(marks)}{lines}</svg>'
    )


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--circuits", type=int, default=300)
    parser.add_argument("--driven", type=int, default=30)
    parser.add_argument("--first-seed", type=int, default=0)
    parser.add_argument("--draw", type=Path, help="folder for pictures of those that fail")
    parser.add_argument("--smoke", action="store_true", help="a few, to see that it runs")
    chosen = parser.parse_args()
    if chosen.smoke:
        chosen.circuits, chosen.driven = 40, 2
    for how, count in (("drawn", chosen.circuits), ("driven", chosen.driven)):
        good = corners = bad = 0
        kinds: dict[str, list[int]] = {kind: [0, 0] for kind in (*ELEMENTS, "nothing")}
        for seed, road, layout, told in judge(count, chosen.first_seed, how):
            good += not told
            corners += len(road.named)
            bad += len(told)
            for named in road.named:
                kinds[named.kind][1] += 1
            for line in told:
                kinds[line.split(" at ")[0]][0] += 1
            if told:
                print(f"  {how} {seed}: {'; '.join(told)}", file=sys.stderr)
                if chosen.draw is not None:
                    chosen.draw.mkdir(parents=True, exist_ok=True)
                    draw(layout, road, told, chosen.draw / f"{how}-{seed}.svg")
        if not count:
            continue
        print(f"{how}: {100 * (1 - bad / corners):.1f} % of {corners} corners as a coach names them, ", end="")
        print(f"{100 * good / count:.1f} % of {count} circuits without any other")
        for kind, (failed, all_of) in kinds.items():
            if failed or all_of:
                print(f"  {kind:8} {failed} wrong of {all_of}" if all_of else f"  {kind:8} {failed} found")


if __name__ == "__main__":
    main()
