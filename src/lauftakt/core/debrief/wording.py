"""What is said to a driver: a cue or a keep in one sentence, hung on a mark that can be seen from the seat."""

from dataclasses import dataclass

from lauftakt.core.circuit.layout import Layout
from lauftakt.core.debrief.target import HIGH, LOW, RESOLVED, Proposal, figure_entry, is_place
from lauftakt.core.findings.words import Quantity, Said
from lauftakt.core.registry import PASSAGE_TIME

# A mark so near to a place is at it; one further away than the second is no help to find it, m.
AT_M, NEAR_M = 4.0, 45.0
# A sentence of more words is not kept in mind.
MOST_WORDS = 60


@dataclass(frozen=True)
class Mark:
    """Something that is seen from the seat, and by how much a place lies behind it, m."""

    name: str
    beyond_m: float


def mark_near(layout: Layout, at: float) -> Mark | None:
    """The mark nearest to a place, at most 45 m away.

    Parameters
    ----------
    layout : with its marks
    at : m from the start line; may lie before or behind the lap
    """

    def beyond(place: float) -> float:
        gap = at - place
        return gap - layout.length * round(gap / layout.length) if layout.centre.closed else gap

    near = min(layout.marks, key=lambda mark: abs(beyond(mark[1])), default=None)
    if near is None or abs(beyond(near[1])) > NEAR_M:
        return None
    return Mark(near[0], beyond(near[1]))


# Places: what is to be done there, and which way it is moved.
_PLACES = {
    ("brake_point_m", HIGH): ("brake ", " later than now"),
    ("brake_point_m", LOW): ("brake ", " earlier than now, and carry the speed through"),
    ("brake_release_m", HIGH): ("let the brake off ", " later than now"),
    ("brake_release_m", LOW): ("be off the brake ", " earlier than now"),
    ("throttle_pickup_m", LOW): ("pick the throttle up ", " earlier than now"),
    ("throttle_pickup_m", HIGH): ("wait with the throttle ", " longer than now, then stay on it"),
    ("full_throttle_m", LOW): ("be at full throttle from ", " earlier than now"),
    ("full_throttle_m", HIGH): ("be at full throttle from ", " later than now, without lifting again"),
    ("turn_in_m", HIGH): ("turn in ", " later than now"),
    ("turn_in_m", LOW): ("turn in ", " earlier than now"),
    ("min_speed_m", HIGH): ("be slowest ", " later than now"),
    ("min_speed_m", LOW): ("be slowest ", " earlier than now"),
}
# Everything else, with {value}, {now} and {gap}.
_ASKED = {
    ("mean_braking", HIGH): "brake harder: {value} on average instead of {now}",
    ("brake_rise_s", LOW): "build the brake up more quickly: in {value} instead of {now}",
    ("brake_steadiness", HIGH): "brake once and keep it, without letting off in between",
    ("brake_applications", LOW): "brake once and keep it, without letting off in between",
    ("min_speed", HIGH): "carry {gap} more through the slowest point: {value}",
    ("min_speed", LOW): "slow down {gap} more before the slowest point: {value}",
    ("coast_s", LOW): "stay on one of the pedals: {value} on neither at most, now {now}",
    ("roll_s", LOW): "stay on one of the pedals: {value} on neither at most, now {now}",
    ("gear", HIGH): "take gear {value} instead of {now}",
    ("gear", LOW): "take gear {value} instead of {now}",
    ("offset_apex", HIGH): "use {gap} more of the road at the apex",
    ("offset_apex", LOW): "use {gap} more of the road at the apex",
    ("countersteer_s", LOW): "keep the car calm: {value} of correcting at most, now {now}",
    ("locked_s", LOW): "keep the wheels turning under the brake",
    ("throttle_lifts", LOW): "pick the throttle up once, without lifting again",
    ("exit_speed", HIGH): "leave the corner {gap} quicker: {value}",
    ("entry_speed", HIGH): "come in {gap} quicker: {value}",
    (PASSAGE_TIME, LOW): "drive it in {value}, now {now}",
}
_SHOWN = {"own best": " You did it in lap {lap}, your quickest here.", "own laps": " You did it in lap {lap}."}
# An own lap's brake point that was brought forward by more, m, since that lap arrived slower, is not where it braked.
BROUGHT_M = 1.0
_BROUGHT = " Lap {lap} showed it, arriving slower than you usually do."


def ask(proposal: Proposal, layout: Layout, than: str = "the reference") -> Said:
    """A cue's sentence: ``T5: brake at the second seam, 12 m later than now. You did it in lap 4.``

    Parameters
    ----------
    proposal : what is asked
    layout : with its corners, by which drivers know a place, and marks
    than : whom the driver is measured against, in words
    """
    target = proposal.target
    where = f"{target.corner or corners_in(layout, target.passage)}: "
    tail: Said = ()
    kind = figure_entry(target.figure).quantity
    if proposal.lap is not None and proposal.brought < -BROUGHT_M:
        tail = (_BROUGHT.format(lap=proposal.lap),)
    elif proposal.lap is not None and proposal.shown in _SHOWN:
        tail = (_SHOWN[proposal.shown].format(lap=proposal.lap),)
    if proposal.beyond > 0.0:
        tail = (" That is ", Quantity(proposal.beyond, kind), f" beyond {than}.")
    gap = Quantity(abs(target.value - proposal.now), kind)
    place = _PLACES.get((target.figure, target.direction))
    if place is not None and is_place(target.figure):
        does, moved = place
        mark = mark_near(layout, target.value)
        if mark is None:
            return (where, does.removesuffix("from "), gap, moved, ".", *tail)
        found = _at(mark, "" if does.endswith("from ") else "at ")
        return (where, does, *found, ", ", gap, moved, ".", *tail)
    template = _ASKED.get((target.figure, target.direction))
    entry = figure_entry(target.figure)
    if template is None:
        template = f"{entry.label}: {{value}} instead of {{now}}"
    return (where, *_filled(template, {
        "value": Quantity(target.value, kind), "now": Quantity(proposal.now, kind), "gap": gap,
    }), ".", *tail)  # fmt: skip


def corners_in(layout: Layout, passage: str) -> str:
    """A passage as drivers know it: by its corners; by its own name where it has none."""
    found = next((one for one in layout.passages if one.name == passage), None)
    return passage if found is None else found.called


def _at(mark: Mark, word: str) -> Said:
    if abs(mark.beyond_m) <= AT_M:
        return (f"{word}{mark.name}",)
    gap = Quantity(abs(mark.beyond_m), "distance")
    return (gap, f" {'after' if mark.beyond_m > 0 else 'before'} {mark.name}")


def _filled(template: str, slots: dict[str, Quantity]) -> Said:
    parts: list[str | Quantity] = []
    rest = template
    while rest:
        head, brace, rest = rest.partition("{")
        if head:
            parts.append(head)
        if brace:
            name, _, rest = rest.partition("}")
            parts.append(slots[name])
    return tuple(parts)


def praise(passage: str, *, quicker_s: float | None, than: str, spread_s: float | None, laps: int) -> Said:
    """A keep's sentence: ``T6: 0.04 s quicker than Halvard. Keep it.``

    Parameters
    ----------
    passage : name
    quicker_s : by how much the median is quicker than ``than``, s; None where it is not
    spread_s : scatter from lap to lap, s, where that is what is good; ``laps`` of how many
    """
    if quicker_s is not None:
        return (f"{passage}: ", Quantity(quicker_s, "time"), f" quicker than {than}. Keep it.")
    if spread_s is not None and spread_s < RESOLVED["time"]:
        return (f"{passage}: quick, and the same in all {laps} laps, to a hundredth of a second. Keep it.",)
    if spread_s is not None:
        return (f"{passage}: quick, and the same in all {laps} laps, within ", Quantity(spread_s, "time"), ". Keep it.")
    return (f"{passage}: good. Keep it.",)


def words_in(text: str) -> int:
    return len(text.split())
