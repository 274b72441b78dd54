"""Sentences about findings, in metric units."""

from lauftakt.core.findings.causes import Evidence
from lauftakt.core.findings.finding import Finding

# Sentences of the shell are metric.
KMH = 3.6
# Less is not told, s.
WORTH_S = 0.02
_CAUSES = {
    "early_brake": "brakes {distance} earlier",
    "soft_brake": "brakes less hard ({own_ms2} instead of {theirs_ms2})",
    "slow_brake_rise": "builds up the brake slowly ({own_s} instead of {theirs_s})",
    "early_release": "lets the brake off {distance} earlier",
    "late_release": "stays on the brake {distance} longer",
    "interrupted_brake": "lets the brake off and applies it again",
    "braked_too_late": "brakes {distance} later and pays for it after the apex",
    "over_slow": "is {speed} slower at the slowest point ({own_kmh} instead of {theirs_kmh})",
    "coasting": "rolls for {own_s} without brake or throttle instead of {theirs_s}",
    "late_throttle": "is on the throttle {distance} later",
    "hesitant_throttle": "picks the throttle up, lifts and picks it up again",
    "needless_lift": "lifts where {reference} stays flat",
    "wrong_gear": "takes gear {own_n} where {reference} takes gear {theirs_n}",
    "early_turn_in": "turns in early ({width} further inside before the corner)",
    "late_turn_in": "turns in late ({width} further outside before the corner)",
    "unused_width": "leaves {width} of the road unused",
    "oversteer": "corrects slides for {own_s} a lap",
    "locked_wheel": "locks a wheel for {own_s}",
    "car_or_conditions": "the car or the conditions are slower here",
}
_PARTS = {
    "entry": "in the entry",
    "middle": "in the middle",
    "exit": "in the exit",
    "straight": "on the straight that follows",
}


def tell(finding: Finding, reference: str) -> str:
    """One sentence for a finding or a strength.

    Parameters
    ----------
    finding : what was found
    reference : the reference driver's name
    """
    if finding.passage is None:
        size = f"{finding.loss_s:.2f} s (± {finding.loss_u_s:.2f})"
        return (
            f"Everywhere: {size} lost to {reference}: {finding.driver}'s run "
            "has less grip in nearly every corner; the car or the conditions, and taken out of the passages."
        )
    place = finding.corner or finding.passage
    if finding.passage and finding.corner and finding.passage != finding.corner:
        place = f"{finding.corner} ({finding.passage})"
    size = f"{abs(finding.loss_s):.2f} s (± {finding.loss_u_s:.2f})"
    laps = f"in {len(finding.seen_in)} of {finding.clean} laps"
    part = max(finding.parts, key=lambda name: finding.parts[name] * (1 if finding.loss_s > 0 else -1))
    where = f"mostly {_PARTS[part]}"
    if finding.against == "own best":
        reference = "the own best laps"
    if finding.loss_s < 0:
        return f"{place}: {finding.driver} gains {size} on {reference}, {laps}, {where}."
    words = [f"{_cause(e, reference)} ({e.cost_s:.2f} s)" for e in _clear(finding)]
    rest = [f"{finding.brought_in_s:.2f} s came in with the speed"] if finding.brought_in_s >= WORTH_S else []
    if not words:
        why = rest[0] if rest else "the cause is unclear"
        return f"{place}: {size} lost to {reference}, {laps}, {where}; {why}."
    said = f"{', '.join(words[:-1])} and {words[-1]}" if len(words) > 1 else words[0]
    if finding.unexplained_s >= WORTH_S:
        rest.append(f"{finding.unexplained_s:.2f} s stays unexplained")
    over = f"; {', '.join(rest)}" if rest else ""
    return f"{place}: {size} lost to {reference}, {laps}, {where}; {finding.driver} {said}{over}."


def _clear(finding: Finding) -> list[Evidence]:
    """Causes that are worth a word: the first two as told, and a third that costs as much as it is unsure or more."""
    named = (finding.cause, finding.second_cause)
    return [
        one for one in finding.causes
        if one.cause in named or one.cost_s > max(WORTH_S, 2 * one.cost_u_s)
    ][:3]  # fmt: skip


# What is said where there is no figure to tell.
_PLAIN = {
    "early_brake": "brakes earlier",
    "soft_brake": "brakes less hard",
    "slow_brake_rise": "builds up the brake slowly",
    "early_release": "lets the brake off earlier",
    "late_release": "stays on the brake longer",
    "braked_too_late": "brakes late and pays for it after the apex",
    "over_slow": "is slower at the slowest point",
    "coasting": "rolls without brake or throttle",
    "late_throttle": "is on the throttle later",
    "wrong_gear": "takes another gear",
    "early_turn_in": "turns in early",
    "late_turn_in": "turns in late",
    "unused_width": "leaves width of the road unused",
}


def _cause(evidence: Evidence, reference: str) -> str:
    own, theirs = evidence.own, evidence.theirs
    if own is None or theirs is None:
        return _PLAIN.get(evidence.cause) or _CAUSES[evidence.cause].format(reference=reference)
    gap = abs(own - theirs)
    shown = gap * (KMH if evidence.figure == "min_speed" else 1.0)
    if evidence.cause in _PLAIN and evidence.figure and shown < (0.5 if evidence.figure.endswith("_m") else 0.05):
        # A difference that would be shown as nothing is not told.
        return _PLAIN[evidence.cause]
    if evidence.figure == "exit_throttle":
        return f"opens the throttle less on the way out ({100 * own:.0f} % instead of {100 * theirs:.0f} %)"
    return _CAUSES[evidence.cause].format(
        reference=reference,
        distance=f"{gap:.0f} m",
        width=f"{gap:.1f} m",
        speed=f"{gap * KMH:.1f} km/h",
        own_kmh=f"{own * KMH:.1f}",
        theirs_kmh=f"{theirs * KMH:.1f} km/h",
        own_s=f"{own:.2f} s",
        theirs_s=f"{theirs:.2f} s",
        own_ms2=f"{own:.1f}",
        theirs_ms2=f"{theirs:.1f} m/s²",
        own_n=round(own),
        theirs_n=round(theirs),
    )
