"""Sentences about findings, in metric units."""

from lauftakt.core.findings.causes import Evidence
from lauftakt.core.findings.finding import Finding

# Sentences of the shell are metric.
KMH = 3.6
_CAUSES = {
    "early_brake": "brakes {distance} earlier",
    "soft_brake": "brakes less hard ({own_ms2} instead of {theirs_ms2} on average)",
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
    "early_turn_in": "turns in {distance} earlier",
    "late_turn_in": "turns in {distance} later",
    "unused_width": "leaves {width} of the road unused",
    "slide_corrected": "corrects slides for {own_s} a lap",
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
    if finding.loss_s < 0:
        return f"{place}: {finding.driver} gains {size} on {reference}, {laps}, {where}."
    why = "the cause is unclear"
    if finding.cause not in (None, "unclear"):
        words = [_cause(e, reference) for e in finding.evidence]
        why = " and ".join(words) if words else _CAUSES[finding.cause].format(reference=reference)
        why = f"{finding.driver} {why}" if finding.cause != "car_or_conditions" else why
    return f"{place}: {size} lost to {reference}, {laps}, {where}; {why}."


def _cause(evidence: Evidence, reference: str) -> str:
    gap = abs(evidence.own - evidence.theirs)
    if evidence.figure == "exit_throttle":
        shares = f"{100 * evidence.own:.0f} % instead of {100 * evidence.theirs:.0f} %"
        return f"opens the throttle less on the way out ({shares})"
    return _CAUSES[evidence.cause].format(
        reference=reference,
        distance=f"{gap:.0f} m",
        width=f"{gap:.1f} m",
        speed=f"{gap * KMH:.1f} km/h",
        own_kmh=f"{evidence.own * KMH:.1f}",
        theirs_kmh=f"{evidence.theirs * KMH:.1f} km/h",
        own_s=f"{evidence.own:.2f} s",
        theirs_s=f"{evidence.theirs:.2f} s",
        own_ms2=f"{evidence.own:.1f}",
        theirs_ms2=f"{evidence.theirs:.1f} m/s²",
        own_n=round(evidence.own),
        theirs_n=round(evidence.theirs),
    )
