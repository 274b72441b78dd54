"""From mistakes that explain a passage to causes with their seconds."""

from collections.abc import Mapping, Sequence
from dataclasses import replace

import numpy as np

from lauftakt.core.findings.names import NAMES, THROTTLE, Case, Evidence, locked, pushed, slid
from lauftakt.core.findings.synthesis.fitting import Fitted, Synthesis
from lauftakt.core.findings.synthesis.mistakes import LINE

# What explains less than this of what was seen, or costs beside the loss by so much less or more, explains nothing.
LEAST_EXPLAINED, LEAST_FITS, MOST_FITS = 0.5, 0.55, 1.8
# Prices of synthesised drives are brought to the loss by no more than this.
LEAST_SCALED, MOST_SCALED = 0.7, 1.4
# A price is off by such a share, one standard deviation, beside passages driven again in the simulator.
MODEL = 0.35
# Another mistake that leaves no more than so many times as much unexplained explains it as well: figures decide.
ALIKE = 1.4
# A late turn-in that leaves no more than so many times as much as the very line that was driven says why it was driven.
WHY = 1.4
# One that leaves no more than so many times as much may be meant, too; it bears no more than such a share.
MAYBE, ITS_SHARE = 1.6, 0.15
# A brake whose peak, or mean, is lower by such a share is softer; else who begins early is early.
SOFTER = 0.08
# What is told only of one car.
OF_THE_CAR = ("wrong_gear", "slow_brake_rise", "understeer")
# The figure that tells of a cause.
FIGURES = {
    "early_brake": "brake_point_m", "slow_brake_rise": "brake_rise_s", "early_release": "brake_release_m",
    "late_release": "brake_release_m", "interrupted_brake": "brake_applications", "braked_too_late": "brake_point_m",
    "over_slow": "min_speed", "coasting": "coast_s", "late_turn_in": "turn_in_m",
}  # fmt: skip
# What of the driving a cause is about, where it is to be exchanged.
ELEMENTS_OF: Mapping[str, tuple[str, ...]] = {
    "early_brake": ("place", "level", "release"), "soft_brake": ("level", "place"), "slow_brake_rise": ("rise",),
    "early_release": ("place", "release"), "late_release": ("release", "use", "throttle"),
    "interrupted_brake": ("dips", "place"), "braked_too_late": ("place", "use", "throttle"), "over_slow": ("use",),
    "coasting": ("rolling", "throttle"), "late_throttle": ("throttle",), "hesitant_throttle": ("throttle",),
    "needless_lift": ("throttle",), "wrong_gear": ("gear",), "late_turn_in": ("line", "use"),
    "early_turn_in": ("line", "use"), "unused_width": ("line", "use"), "understeer": ("line", "use"),
    "oversteer": ("throttle", "use"), "locked_wheel": ("level", "dips"),
}  # fmt: skip
# Names that figures give to what looks the same: a wheel that stood, a slide that was caught, a front that slid.
BRAKE, AFTER, IN_MIDDLE = (
    ("early_brake", "soft_brake", "interrupted_brake", "slow_brake_rise", "early_release"),
    ("late_throttle", "hesitant_throttle", "coasting", "over_slow", "late_release", "needless_lift"),
    ("over_slow", LINE, "late_turn_in"),
)


def explained(
    found: Synthesis, case: Case, by_rules: Sequence[str], loss_s: float, least_u_s: float
) -> tuple[tuple[Evidence, ...], float] | None:
    """Causes with their seconds, and what came in with the speed.

    Parameters
    ----------
    found : what explains the passage
    case : the passage with its figures, in the corner where most is lost
    by_rules : causes that figures and exchanged elements suggest, dearest first: they decide between what explains it
        alike
    loss_s : what is lost in all
    least_u_s : standard deviation that a cost has at least

    Returns
    -------
    None where it is not explained well enough.
    """
    whole = sum(one.seconds for one in found.fitted)
    target = loss_s - found.brought_in_s
    if not found.fitted or found.left > LEAST_EXPLAINED or not LEAST_FITS * whole < target < MOST_FITS * whole:
        return None
    scale = float(np.clip(target / whole, LEAST_SCALED, MOST_SCALED))
    parts: list[tuple[Fitted, float]] = [(one, scale * one.seconds) for one in found.fitted]
    main, other = _main(found, case, by_rules)
    cost, share = parts[0][1], 0.0
    if other is not None:
        share = ITS_SHARE / other[1]
        parts.append((other[0], share * cost))
    parts[0] = main, cost * (1.0 - share)
    # What cannot be named (a gear between two cars) stays unexplained.
    parts = [(one, seconds) for one, seconds in parts if _usable(one, case)]
    made: dict[str, Evidence] = {}
    for one, seconds in parts:
        named = _named(one, case)
        before = made.get(named.cause)
        total = seconds + (before.cost_s if before is not None else 0.0)
        u = float(np.hypot(least_u_s, MODEL * abs(total)))
        made[named.cause] = Evidence(
            named.cause, total, u, named.figure, named.own, named.theirs, ELEMENTS_OF.get(named.cause, ())
        )
    return tuple(sorted(made.values(), key=lambda each: -each.cost_s)), found.brought_in_s


def _main(found: Synthesis, case: Case, by_rules: Sequence[str]) -> tuple[Fitted, tuple[Fitted, float] | None]:
    """The dearest mistake, and what may be meant instead: of what explains it alike the one that rules suggest."""
    main = found.fitted[0]
    if main.cause == LINE:
        main = next((one for one, left in found.instead if one.cause == "late_turn_in" and left < WHY), main)
    usable = [(one, left) for one, left in found.instead if _usable(one, case)]
    own = _named(main, case).cause
    if by_rules and by_rules[0] != own:
        for one, left in usable:
            if left < ALIKE and _named(one, case).cause == by_rules[0]:
                rest = [(main, left), *((o, r) for o, r in usable if o is not one)] if _usable(main, case) else usable
                return one, _maybe(one, rest, case)
    if not _usable(main, case):
        return next((one for one, left in usable if left < ALIKE), main), None
    return main, _maybe(main, usable, case)


def _maybe(main: Fitted, usable: Sequence[tuple[Fitted, float]], case: Case) -> tuple[Fitted, float] | None:
    own = _named(main, case).cause
    return next(((one, left) for one, left in usable if left < MAYBE and _named(one, case).cause != own), None)


def _usable(one: Fitted, case: Case) -> bool:
    named = _named(one, case)
    return bool(named.cause) and one.seconds > 0.0 and (case.same_car or named.cause not in OF_THE_CAR)


def _named(one: Fitted, case: Case) -> Evidence:
    """A fitted mistake by the name that the figures give to it; without any figure where they are another corner's."""
    stage = case.both.stages[one.stage]
    if stage is not case.stage:
        if one.cause != LINE:
            return Evidence(one.cause, 0.0, 0.0, None, None, None)
        bends = case.both.courses[1].left[case.row, round(float(stage.sides[1].tightest[case.row]))]
        case = replace(case, stage=stage, direction="left" if bends > 0 else "right", own=(), theirs=())
    for rule, causes in ((locked, BRAKE), (slid, AFTER), (pushed, IN_MIDDLE)):
        if one.cause in causes:
            special = rule(case)
            if special is not None:
                return special
    if one.cause == LINE:
        return NAMES["line"](case)
    if one.cause in ("early_brake", "soft_brake") and (one.cause == "soft_brake" or one.answer == "brakes more softly"):
        return NAMES["level"](case) if _softer(case) else case.told("early_brake", FIGURES["early_brake"])
    if one.cause == "wrong_gear":
        return NAMES["gear"](case)
    if one.cause == "hesitant_throttle":
        return Evidence(one.cause, 0.0, 0.0, "throttle_lifts", *case.means("throttle_lifts"))
    if one.cause == "needless_lift":
        return case.told(one.cause, "lowest_throttle")
    if one.cause == "late_throttle":
        figures = [case.told(one.cause, name) for name in THROTTLE]
        return max(figures, key=lambda e: (e.own or 0.0) - (e.theirs or 0.0) if e.figure else -np.inf)
    return case.told(one.cause, FIGURES[one.cause])


def _softer(case: Case) -> bool:
    """Whether the brake is used with less force: by its peak, or its mean where that is not known."""
    for figure in ("brake_peak", "mean_braking"):
        own, theirs = case.median(figure)
        if own is not None and theirs:
            return own < (1.0 - SOFTER) * theirs
    return True
