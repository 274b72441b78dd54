"""Sentences about findings and laps, made once for the card, the shell, the sheet and the phone.

Figures stay quantities in SI units: whoever shows a sentence sets its reader's units (:func:`metric` does so for the
shell).
"""

from collections.abc import Sequence
from dataclasses import dataclass
from string import Formatter

from scipy.constants import g as GRAVITY

from lauftakt.core.findings.names import Evidence
from lauftakt.core.findings.statement import Finding

KMH = 3.6
# Less is not told, s; nor are more causes than anybody can keep in mind.
WORTH_S, MOST = 0.02, 3
# Nor are more places than these named, where there are two more or many.
NAMED = 3
# A difference of a figure that would be shown as nothing is not told: by what it measures, SI.
SHOWN = {"distance": 0.5, "width": 0.6, "speed": 0.23, "time": 0.005, "acceleration": 0.05, "share": 0.005}
# Laps whose losses scatter by less than this share of it lose about the same.
ALIKE = 0.25


@dataclass(frozen=True)
class Quantity:
    """A figure in a sentence: SI value, what it measures, and whether its unit is said."""

    value: float
    quantity: str
    unit: bool = True


Said = tuple[str | Quantity, ...]


@dataclass(frozen=True)
class Against:
    """What somebody is measured against, as sentences name it."""

    name: str
    than: str
    flat: str

    @classmethod
    def driver(cls, name: str) -> "Against":
        return cls(name, f" than {name}", f"{name} stays flat")

    @classmethod
    def own_lap(cls, number: int) -> "Against":
        return cls(f"lap {number}", f" than in lap {number}", f"lap {number} was flat")

    @classmethod
    def made_lap(cls, name: str) -> "Against":
        return cls(name, f" than in {name}", f"{name} was flat")

    @classmethod
    def own_best(cls) -> "Against":
        return cls("the own best laps", " than in the own best laps", "the own best laps were flat")


# What a driver does, with the figure it rests on and without one. {than} is said once in a sentence.
_WITH = {
    "early_brake": "brakes {gap} earlier{than}",
    "soft_brake": "brakes less hard{than} ({own} instead of {theirs})",
    "slow_brake_rise": "builds the brake up more slowly{than} ({own} instead of {theirs})",
    "early_release": "lets the brake off {gap} earlier{than}",
    "late_release": "stays on the brake {gap} longer{than}",
    "braked_too_late": "brakes {gap} later{than} and pays for it in the corner",
    "over_slow": "is {gap} slower at the slowest point{than}",
    "coasting": "rolls on neither pedal for {own} instead of {theirs}",
    "late_throttle": "is on the throttle {gap} later{than}",
    "wrong_gear": "takes gear {own} instead of {theirs}",
    "early_turn_in": "turns in early, {gap} further inside{than} before the corner",
    "late_turn_in": "turns in late, {gap} further outside{than} before the corner",
    "unused_width": "leaves {gap} of the road unused at the apex",
    "understeer": "turns the wheel {more} further for the same bend{than}",
    "oversteer": "corrects slides for {own}",
    "locked_wheel": "locks a wheel for {own}",
}
_FIGURES = {
    "full_throttle_m": "is at full throttle {gap} later{than}",
    "turn_in_m": "turns in {gap} later{than}",
    "exit_throttle": "opens the throttle less on the way out{than} ({own} instead of {theirs})",
}
_PLAIN = {
    "early_brake": "brakes earlier{than}",
    "soft_brake": "brakes less hard{than}",
    "slow_brake_rise": "builds the brake up more slowly{than}",
    "early_release": "lets the brake off earlier{than}",
    "late_release": "stays on the brake longer{than}",
    "interrupted_brake": "lets the brake off and applies it again",
    "braked_too_late": "brakes later{than} and pays for it in the corner",
    "over_slow": "is slower in the middle{than}",
    "coasting": "rolls on neither pedal",
    "late_throttle": "is on the throttle later{than}",
    "hesitant_throttle": "picks the throttle up and lifts again",
    "needless_lift": "lifts where {flat}",
    "wrong_gear": "takes another gear{than}",
    "early_turn_in": "turns in early",
    "late_turn_in": "turns in late",
    "unused_width": "leaves width of the road unused",
    "understeer": "turns the wheel further for the same bend{than}",
    "oversteer": "corrects slides",
    "locked_wheel": "locks a wheel",
    "car_or_conditions": "has less grip",
}
_KINDS = {"min_speed": "speed", "brake_level": "acceleration", "mean_braking": "acceleration", "exit_throttle": "share"}
_PARTS = {
    "entry": "in the entry",
    "middle": "in the middle",
    "exit": "in the exit",
    "straight": "on the straight that follows",
}


def does(evidence: Evidence, against: Against, first: bool = True) -> Said:
    """What a driver does, with its figure: ``brakes 15 m earlier than Ines``.

    Parameters
    ----------
    evidence : the cause
    against : what it is measured against, named only in the ``first`` part of a sentence
    """
    slots: dict[str, str | Quantity] = {"than": against.than if first else "", "flat": against.flat}
    own, theirs, figure = evidence.own, evidence.theirs, evidence.figure
    if own is None or theirs is None or figure is None:
        return _filled(_PLAIN[evidence.cause], slots)
    kind = _kind(figure)
    slots |= {"own": Quantity(own, kind), "theirs": Quantity(theirs, kind), "gap": Quantity(abs(own - theirs), kind)}
    slots["more"] = Quantity(own / theirs - 1.0 if theirs else 0.0, "share")
    template = _FIGURES.get(figure) or _WITH.get(evidence.cause)
    if template is None or abs(own - theirs) < SHOWN.get(kind, 0.0):
        template = _PLAIN[evidence.cause]
    return _filled(template, slots)


def _kind(figure: str) -> str:
    """What a figure of an evidence measures."""
    if figure in _KINDS:
        return _KINDS[figure]
    if figure.endswith("_width"):
        return "width"
    return "distance" if figure.endswith("_m") else "time" if figure.endswith("_s") else "plain"


def _filled(template: str, slots: dict[str, str | Quantity]) -> Said:
    parts: list[str | Quantity] = []
    for text, slot, _, _ in Formatter().parse(template):
        parts.append(text)
        if slot is not None:
            parts.append(slots[slot])
    return tuple(parts)


def clear(causes: Sequence[Evidence]) -> list[Evidence]:
    """Causes that are worth a word, at most three: those whose price is beyond its 95 % interval; where there is none,
    the likeliest of those that cost more than their standard deviation."""
    worth = [one for one in causes if one.cost_s >= WORTH_S and one.cost_s > one.cost_u_s]
    sure = [one for one in worth if is_sure(one)]
    return sure[:MOST] or worth[:1]


def is_sure(evidence: Evidence) -> bool:
    """Whether a price is stated as a fact: its 95 % interval does not hold zero."""
    return evidence.cost_s > 2.0 * evidence.cost_u_s


def in_all(finding: Finding, elsewhere: Sequence[tuple[str, float]]) -> float:
    """What a finding's cause costs over the lap, s, net: nowhere more than is lost there.

    Parameters
    ----------
    finding : the place that is told
    elsewhere : the other places with what it costs there, s, see :func:`lauftakt.core.findings.ranking.elsewhere`
    """
    own = next((one.cost_s for one in finding.causes if one.cause == finding.cause), finding.loss_s)
    return min(own, finding.loss_s) + sum(cost for _, cost in elsewhere)


def why(
    name: str, causes: Sequence[Evidence], brought_in_s: float, loss_s: float, loss_u_s: float, against: Against
) -> Said:
    """What somebody does and what it costs: ``Ines brakes 15 m earlier than Okan: 0.40 s of the 0.52 s (± 0.03) here.``

    Parameters
    ----------
    name : who
    causes, brought_in_s : what the loss is made of; see :class:`lauftakt.core.findings.causes.Explanation`
    loss_s, loss_u_s : s, and its standard deviation; twice that is said
    against : what is measured against
    """
    told = clear(causes)
    size: Said = (Quantity(loss_s, "time"), " (± ", Quantity(2 * loss_u_s, "time", unit=False), ")")
    if not told:
        if brought_in_s >= max(WORTH_S, 0.5 * loss_s):
            brought = Quantity(brought_in_s, "time")
            return (f"{name} loses ", *size, f" to {against.name} here, ", brought, " of it with the speed brought in.")
        return (f"{name} loses ", *size, f" to {against.name} here; nothing that was logged tells why.")
    parts: list[str | Quantity] = [f"{name} " if is_sure(told[0]) else f"{name} probably "]
    for number, one in enumerate(told):
        parts.append("" if number == 0 else (" and " if number == len(told) - 1 else ", "))
        parts += does(one, against, first=number == 0)
        if len(told) > 1:
            parts += [" (", Quantity(one.cost_s, "time"), ")"]
    cost = sum(one.cost_s for one in told)
    if cost > loss_s + WORTH_S:
        won = Quantity(cost - loss_s, "time")
        return (*parts, ": ", Quantity(cost, "time"), ", of which ", won, " is won back; ", *size, " are lost here.")
    if loss_s - cost < WORTH_S:
        return (*parts, ": ", *size, " here.")
    return (*parts, ": ", Quantity(cost, "time"), " of the ", *size, " here.")


def in_laps(seen: int, of: int, alike: bool) -> str:
    """In how many laps something was seen; nothing where there is one alone."""
    if of < 2:
        return ""
    if seen == of:
        return f"In all {of} laps{' about the same' if alike else ''}."
    return f"In {seen} of {of} laps."


def tell(finding: Finding, reference: str, elsewhere: Sequence[tuple[str, float]] = ()) -> Said:
    """The sentences of a finding or a strength.

    Parameters
    ----------
    finding : what was found
    reference : the reference driver's name
    elsewhere : where the same is found of this driver, with what it costs there, s
    """
    size: Said = (Quantity(abs(finding.loss_s), "time"), " (± ", Quantity(2 * finding.loss_u_s, "time", False), ")")
    if finding.passage is None:
        return (
            "Everywhere: ", *size, f" lost to {reference}: {finding.driver}'s run has less grip in nearly every corner",
            "; the car or the conditions, and taken out of the passages.",
        )  # fmt: skip
    part = max(finding.parts, key=lambda name: finding.parts[name] * (1 if finding.loss_s > 0 else -1))
    where = f"{finding.place}: "
    # The standard error of a median of so many laps tells how far they scatter.
    scatter = finding.loss_u_s * finding.clean**0.5 / 1.25
    laps = in_laps(len(finding.seen_in), finding.clean, scatter < ALIKE * abs(finding.loss_s))
    if finding.loss_s < 0:
        return (where, f"{finding.driver} gains ", *size, f" on {reference}, mostly {_PARTS[part]}. ", laps)
    against = Against.own_best() if finding.against == "own best" else Against.driver(reference)
    said = why(
        finding.driver, finding.causes, finding.brought_in_s, finding.loss_s, finding.loss_u_s, against
    )  # fmt: skip
    more: list[str | Quantity] = [f" Mostly {_PARTS[part]}. {laps}"]
    if clear(finding.causes) and finding.brought_in_s >= WORTH_S:
        more += [" ", Quantity(finding.brought_in_s, "time"), " came in with the speed."]
    if clear(finding.causes) and finding.unexplained_s >= WORTH_S:
        more += [" ", Quantity(finding.unexplained_s, "time"), " stays unexplained."]
    if elsewhere:
        places = _listed([place for place, _ in elsewhere])
        more += [f" The same in {places}: ", Quantity(in_all(finding, elsewhere), "time"), " a lap in all."]
    return (where, *said, *more)


def phrase(finding: Finding, elsewhere: Sequence[tuple[str, float]] = ()) -> Said:
    """A finding in a few words: ``T4: turns in late, 1.10 s``.

    Parameters
    ----------
    finding, elsewhere : see :func:`tell`
    """
    words = _PLAIN.get(finding.cause or "", "the cause is unclear").format(than="", flat="others stay flat")
    words = words.removeprefix("is ")
    price = next((one for one in finding.causes if one.cause == finding.cause), None)
    if price is not None and not is_sure(price):
        words = f"probably {words}"
    whole = in_all(finding, elsewhere) if elsewhere else finding.loss_s
    places = _listed([finding.corner or finding.passage or "everywhere", *(place for place, _ in elsewhere)])
    return (f"{places}: {words}, ", Quantity(whole, "time"))


def _listed(names: Sequence[str]) -> str:
    """Places in a sentence: the first of them where there are many."""
    told = [*names[:NAMED], f"{len(names) - NAMED} more"] if len(names) > NAMED + 1 else list(names)
    return f"{', '.join(told[:-1])} and {told[-1]}" if len(told) > 1 else told[0]


def metric(said: Said) -> str:
    """A sentence as text, in the units of the shell."""
    return "".join(part if isinstance(part, str) else _metric(part) for part in said)


def _metric(part: Quantity) -> str:
    factor, digits, unit = {
        "distance": (1.0, 0, " m"),
        "width": (1.0, 1, " m"),
        "speed": (KMH, 1, " km/h"),
        "time": (1.0, 2, " s"),
        "acceleration": (1 / GRAVITY, 2, " g"),
        "share": (100.0, 0, " %"),
    }.get(part.quantity, (1.0, 0, ""))
    return f"{part.value * factor:.{digits}f}{unit if part.unit else ''}"
