#!/usr/bin/env python3
"""How well the roles of channels are found, on loggers that are made up at random.

Usage: .venv/bin/python benchmarks/roles.py [--loggers 120] [--seed 0] [--smoke] [--verbose]

Each logger writes in one language, in one style (words, snake_case, camelCase, capitals, shortened words), with units
in random spellings or none, and logs random quantities, with or without a role, from a simulated run; each is tried
once more without any names and units, with numbered channels. Told are recall (right among the channels that have a
role) and precision (right among the roles given) by language and by family, the same for channels without names, and
the time for a log beside a plain numpy sort of all its samples in the same run.
"""

import argparse
import os
import time
from collections import Counter, defaultdict

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

import numpy as np
from trade_words import OTHERS, PHRASES, TREADS, UNITS, WHEELS

from lauftakt.core.log.model import Log, RawChannel, RawLog
from lauftakt.core.log.roles import ENDS, SIDES
from lauftakt.core.log.roles import TREADS as PARTS
from lauftakt.demo.scenario import random_scenario
from lauftakt.formats.interpreting import interpret

LANGUAGES = ("en", "de", "fr", "es", "it", "nl")
CORNERS = [f"{end}_{side}" for end in ENDS for side in SIDES]
UNIT_OF = {
    "longitude": "latitude", "rear_brake_pressure": "brake_pressure", "wheel": "speed", "lap_number": "count",
    "lap_trigger": "count", "lap_distance": "length", "distance": "length", "oil_pressure": "pressure",
    "tyre_pressure": "pressure", "battery_voltage": "voltage", "tyre_wear": "wear",
    "lateral_acceleration": "acceleration", "longitudinal_acceleration": "acceleration",
    "vertical_acceleration": "acceleration",
}  # fmt: skip
FAMILIES = {
    "positions": ("latitude", "longitude", "altitude", "heading"),
    "pedals": ("throttle", "brake", "clutch", "rear_brake"),
    "motion": ("speed", "lateral", "longitudinal_", "vertical", "yaw"),
    "steering, gear, engine": ("steering", "gear", "engine"),
    "laps": ("lap", "distance"),
    "wheels": ("wheel", "tyre"),
    "car": ("oil", "water", "fuel", "battery", "ambient", "track"),
}
ALWAYS = ("latitude", "longitude", "speed")
USUAL = (
    "throttle",
    "brake_pressure",
    "steering",
    "gear",
    "engine_speed",
    "lateral_acceleration",
    "longitudinal_acceleration",
)
# A name that a style or a language cannot tell from another role's, and that counts as right either way.
ALIKE = {"fuel": "fuel_share", "speed": "receiver_speed"}


def family_of(role: str) -> str:
    return next((name for name, starts in FAMILIES.items() if role.startswith(starts)), "other")


def styled(name: str, style: str, random: np.random.Generator) -> str:
    """A name in a logger's style."""
    words = name.replace(".", "").replace("'", " ").split() if style != "words" else name.split()
    if style == "short":
        words = [word if len(word) <= 4 or random.random() < 0.4 else word[:4] for word in words]
    if style == "snake":
        return "_".join(word.lower() for word in words)
    if style == "camel":
        return "".join(word[:1].upper() + word[1:] for word in words)
    if style == "capitals":
        return " ".join(words).upper()
    return " ".join(words)


def quantities(log: Log, random: np.random.Generator) -> dict[str, tuple[np.ndarray, np.ndarray]]:
    """Clock and SI values of everything a logger could log of a run."""
    found = {c.role: (c.time, c.values) for c in log.channels}
    fast, speed = found["speed"]
    slow = np.arange(0.0, fast[-1], 1.0)
    travelled = np.concatenate([[0.0], np.cumsum(speed[:-1] * np.diff(fast))])
    length = 2200.0
    latitude, longitude = found["latitude"][1], found["longitude"][1]
    course = np.arctan2(np.gradient(longitude) * np.cos(np.radians(latitude[0])), np.gradient(latitude)) % (2 * np.pi)
    at_fix = np.interp(found["latitude"][0], fast, travelled)
    found |= {
        "altitude": (found["latitude"][0], 40 + 6 * np.sin(at_fix / 300)),
        "heading": (found["latitude"][0], course),
        "vertical_acceleration": (fast, 9.8 + 0.6 * random.standard_normal(len(fast))),
        "clutch": (fast, (random.random(len(fast)) < 0.002).astype(float)),
        "distance": (fast, travelled),
        "lap_distance": (fast, travelled % length),
        "lap_number": (fast, np.floor(travelled / length)),
        "lap_trigger": (fast, (travelled % length < speed * 0.05).astype(float)),
        "rear_brake_pressure": (found["brake_pressure"][0], 0.6 * found["brake_pressure"][1]),
        "brake_pedal": (found["brake_pressure"][0], np.clip(found["brake_pressure"][1] / 9e6, 0, 1)),
        "ambient_temperature": (slow, 291 + 0.001 * slow), "track_temperature": (slow, 303 + 0.002 * slow),
        "oil_pressure": (slow, 3e5 + 5e4 * random.random(len(slow))), "fuel": (slow, 0.04 - 4e-6 * slow),
        "battery_voltage": (slow, 13.8 + 0.1 * random.standard_normal(len(slow))),
    }  # fmt: skip
    if "gear" not in found:
        found["gear"] = (fast, np.clip(np.floor(speed / 9.0) + 1, 1, 6))
    for index, corner in enumerate(CORNERS):
        wheel = speed * (1.0 + 0.004 * index) + 0.05 * random.standard_normal(len(fast))
        found[f"wheel_{corner}"] = (fast, np.maximum(wheel, 0.0))
        found[f"brake_temperature_{corner}"] = (slow, 500 + 80 * np.sin(slow / 9 + index))
        found[f"tyre_pressure_{corner}"] = (slow, 1.9e5 + 100 * slow**0.5)
        found[f"tyre_wear_{corner}"] = (slow, 0.0002 * slow)
        for tread in PARTS:
            found[f"tyre_temperature_{corner}_{tread}"] = (slow, 350 + 10 * np.sin(slow / 15 + index))
    return found


def make_logger(log: Log, random: np.random.Generator, language: str) -> tuple[RawLog, dict[str, str | None]]:
    """A log as a random logger writes it, and the true role by channel name."""
    held = quantities(log, random)
    style = str(random.choice(["words", "words", "snake", "camel", "capitals", "short"]))
    with_units = random.random() < 0.8
    wheels, treads = WHEELS[language], TREADS[language]
    corners, parts = wheels[random.integers(len(wheels))], treads[random.integers(len(treads))]
    bases = [*ALWAYS, *USUAL, *(base for base in PHRASES if base not in (*ALWAYS, *USUAL) and random.random() < 0.45)]
    channels: list[RawChannel] = []
    truth: dict[str, str | None] = {}

    def add(name: str, unit: str, clock: np.ndarray, values: np.ndarray, role: str | None) -> None:
        if name not in truth:
            truth[name] = role
            channels.append(RawChannel(name, unit, clock, values))

    for base in bases:
        phrases = PHRASES[base][language]
        phrase = phrases[random.integers(len(phrases))]
        spelled = UNITS[UNIT_OF.get(base, "temperature" if base.endswith("temperature") else base)]
        unit, factor, offset = spelled[random.integers(len(spelled))]
        if not with_units:
            unit, factor, offset = spelled[0]
        codes = [base] if "{w}" not in phrase else [f"{base}_{corner}" for corner in CORNERS]
        for at, code in enumerate(codes):
            each = [(code, "")] if "{t}" not in phrase else [(f"{code}_{p}", parts[i]) for i, p in enumerate(PARTS)]
            for role, part in each:
                name = styled(phrase.replace("{w}", corners[at]).replace("{t}", part), style, random)
                clock, values = held[role]
                add(name, unit if with_units else "", clock, values * factor + offset, role)
    clock, speed = held["speed"]
    others = OTHERS[language]
    for index in random.permutation(len(others))[: int(random.integers(3, 9))]:
        name, unit = others[index]
        wave = np.cumsum(random.standard_normal(len(clock))) * 0.05 + 20 + 0.3 * speed
        values = (random.random(len(clock)) < 0.01).astype(float) if not unit else wave
        add(styled(name, style, random), unit if with_units else "", clock, values, None)
    order = random.permutation(len(channels))
    return RawLog(tuple(channels[i] for i in order)), truth


def without_names(raw: RawLog, truth: dict[str, str | None]) -> tuple[RawLog, dict[str, str | None]]:
    """The same log from a logger whose channels are only numbered, with the quantities that behaviour can tell."""
    shown = {
        "latitude",
        "longitude",
        "speed",
        "throttle",
        "brake_pressure",
        "brake_pedal",
        "steering",
        "gear",
        "engine_speed",
        "lateral_acceleration",
        "longitudinal_acceleration",
        "yaw_rate",
    }
    kept = [c for c in raw.channels if truth[c.name] in shown]
    if any(truth[c.name] == "brake_pressure" for c in kept):
        kept = [c for c in kept if truth[c.name] != "brake_pedal"]
    numbered = {c.name: f"Channel {number + 1}" for number, c in enumerate(kept)}
    channels = tuple(RawChannel(numbered[c.name], "", c.time, c.values) for c in kept)
    return RawLog(channels), {numbered[c.name]: truth[c.name] for c in kept}


def right(given: str | None, true: str) -> bool:
    """Whether a role is the true one, or one that nothing could tell from it."""
    return given is not None and given in (true, ALIKE.get(true))


class Count:
    """Channels that have a role, roles given, and how many were right."""

    def __init__(self) -> None:
        self.have = self.given = self.right = 0

    def add(self, given: str | None, true: str | None) -> None:
        self.have += true is not None
        self.given += given is not None
        self.right += true is not None and right(given, true)

    def __str__(self) -> str:
        recall = 100 * self.right / max(self.have, 1)
        precision = 100 * self.right / max(self.given, 1)
        return f"recall {recall:5.1f} %  precision {precision:5.1f} %  ({self.have} channels with a role)"


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--loggers", type=int, default=120)
    parser.add_argument("--seed", type=int, default=0)
    parser.add_argument("--smoke", action="store_true", help="twelve loggers of two runs")
    parser.add_argument("--verbose", action="store_true", help="list what was missed or taken wrongly")
    chosen = parser.parse_args()
    loggers, runs = (12, 2) if chosen.smoke else (chosen.loggers, 9)
    kinds = ("ellerholm", "tamar", "bruchfeld")
    logs = [random_scenario(900 + s, laps=3, students=0, kind=kinds[s % 3]).drives[0].log for s in range(runs)]
    by_language: dict[str, Count] = defaultdict(Count)
    by_family: dict[str, Count] = defaultdict(Count)
    everything, nameless = Count(), Count()
    wrong: Counter[tuple[str, str | None, str | None]] = Counter()
    spent = plain = 0.0
    for number in range(loggers):
        random = np.random.default_rng([chosen.seed, number])
        language = LANGUAGES[number % len(LANGUAGES)]
        raw, truth = make_logger(logs[number % len(logs)], random, language)
        begin = time.process_time()
        found = interpret(raw)
        spent += time.process_time() - begin
        begin = time.process_time()
        for channel in raw.channels:
            np.sort(channel.values)
        plain += time.process_time() - begin
        for channel in found.channels:
            true = truth[channel.name]
            for count in (everything, by_language[language], by_family[family_of(true or channel.role or "none")]):
                count.add(channel.role, true)
            if (true is None) != (channel.role is None) or (true and not right(channel.role, true)):
                wrong[f"{channel.name} [{channel.logged_unit}]", true, channel.role] += 1
        bare, truth = without_names(raw, truth)
        for channel in interpret(bare).channels:
            true = truth[channel.name]
            given = channel.role
            if {given, true} == {"brake_pedal", "brake_pressure"}:
                given = true  # without a name and a unit nobody can tell them apart
            nameless.add(given, true)
            if given != true:
                wrong[f"without a name in logger {number}", true, given] += 1
    print(f"{loggers} loggers, {everything.have} channels with a role")
    print(f"all        {everything}")
    for language in LANGUAGES:
        print(f"  {language}       {by_language[language]}")
    for family, count in by_family.items():
        print(f"  {family:24s} {count}")
    print(f"nameless   {nameless}")
    print(f"time       {1000 * spent / loggers:.0f} ms of CPU a log, {spent / plain:.1f} x sorting its samples")
    if chosen.verbose:
        for (name, true, given), times in wrong.most_common(200):
            print(f"  {times} x {name}: {true} taken as {given}")


if __name__ == "__main__":
    main()
