"""Whole jobs on the desk, as somebody does them who sees it for the first time."""

import re

import numpy as np
from playwright.sync_api import Page, expect

from lauftakt.core.circuit.passages import passage_range
from lauftakt.core.comparison.delta import stretch_loss
from lauftakt.core.findings.pairing import clean_laps
from lauftakt.core.laps.times import time_at
from tests.browser.test_laying_out import on_the_desk
from tests.browser.test_the_desk import rests
from tests.day import Day

# What the school taught, in the words of the desk.
WORDS = {"early_brake": "braking early", "over_slow": "slow in the middle"}


def number(text: str) -> float:
    return float(text.replace("−", "-").replace("›", "").strip())


def test_find_a_students_first_loss_and_its_reason(signed_in: Page, day: Day) -> None:
    page = signed_in
    on_the_desk(page, day)
    rests(page, "laps", r"\d+-")
    page.locator(".strip", has_text="Ines").click()
    # Where: the first that the data proposes is the corner that costs Ines most.
    taught = [one for one in day.truth[1]["mistakes"] if one["cost_s"] > 0]
    corner = max({one["corner"] for one in taught}, key=lambda name: sum(
        one["cost_s"] for one in taught if one["corner"] == name))  # fmt: skip
    first = page.get_by_role("region", name="Where to look first").get_by_role("button").first
    expect(first).to_contain_text(f"{corner},")
    first.click()
    expect(page.locator(".card .says")).to_contain_text("Ines")
    page.get_by_role("button", name=re.compile(f"^{corner[1:]}$")).click()
    passage = next(one for one in day.layout.passages if corner in one.corners)
    expect(page.locator(".card h2")).to_contain_text(passage.called)

    # Why: the card's causes are what Ines was taught to do, and their costs add up to the loss, which is the core's.
    kinds = [one["kind"] for one in taught if one["corner"] == corner]
    causes = page.locator(".card .price li")
    expect(causes.first).to_contain_text(re.compile("|".join(WORDS[kind] for kind in kinds)))
    told = [number(re.match(r"[+−]\d+\.\d+", text.strip())[0]) for text in causes.all_inner_texts()]  # type: ignore[index]
    low, high = passage_range(day.layout, day.layout.passages.index(passage))
    reference, own = day.runs[0], day.runs[1]
    lap, base = own.traces[own.best_lap.number], reference.traces[reference.best_lap.number]
    loss = stretch_loss(lap, base, low, high, False)
    assert abs(sum(told) - loss.loss_s) < 0.006 * (len(told) + 1)
    cell = page.locator(".card tr.chosen [data-figure=loss]")
    assert abs(number(cell.inner_text()) - loss.loss_s) < 0.0051
    # Every lap? The card says so.
    clean = len(clean_laps(own, low, high, day.layout.length))
    expect(page.locator(".card .says")).to_contain_text(f"n all {clean} laps of this run")


def test_judge_a_bad_lap_against_a_lucky_reference(signed_in: Page, day: Day) -> None:
    """The quickest lap of the other driver is measured against a single best passage, then against what is usual."""
    page = signed_in
    on_the_desk(page, day)
    rests(page, "laps", r"\d+-")
    reference, own = day.runs[0], day.runs[1]
    worst = max(
        (lap for lap in own.laps if lap.time_s is not None and lap.set_aside is None), key=lambda lap: lap.time_s or 0.0
    )
    # Ines's worst lap on the desk, and the best passages that Halvard ever drove as the reference.
    page.keyboard.press("a")
    dialog = page.get_by_role("dialog", name="Laps on the desk")
    dialog.get_by_role("checkbox", name=re.compile(f"Lay Ines, lap {worst.number} ")).check()
    dialog.get_by_role("button", name="Done").click()
    expect(page.locator(".strip")).to_have_count(3)
    page.locator(".strip", has_text=re.compile(rf"Ines\s*{worst.number}\b")).click()
    page.get_by_role("button", name="Measure against").click()
    against = page.get_by_role("dialog", name="Measure against").get_by_role("region", name="Of one driver")
    against.get_by_label("Driver").select_option(label="Halvard")
    against.get_by_role("button", name="Halvard, best passages of the day").click()
    expect(page.locator(".strip", has_text="best passages")).to_be_visible()
    page.keyboard.press(".")
    standing = page.locator(".card .standing li")
    expect(standing).to_have_count(3)
    low, high = passage_range(day.layout, 0)

    def seconds(run: object, lap: int) -> float:
        return float(np.diff(time_at(run.traces[lap], np.array([low, high])))[0])  # type: ignore[attr-defined]

    mine = seconds(own, worst.number)
    clean = clean_laps(own, low, high, day.layout.length)
    best_here = min(clean, key=lambda lap: seconds(own, lap))
    lucky = min(seconds(reference, lap) for lap in clean_laps(reference, low, high, day.layout.length))
    told = [number(re.match(r"[+−]?\d+\.\d+", text.strip())[0]) for text in standing.all_inner_texts()]  # type: ignore[index]
    # To the lucky reference, to what Ines has done here, and to what is usual: three answers to "was it bad?".
    assert abs(told[0] - (mine - lucky)) < 0.03
    assert abs(told[1] - (mine - seconds(own, best_here))) < 0.006
    expect(standing.nth(1)).to_contain_text(f"lap {best_here}")
    usual = np.median([
        seconds(run, lap) for run in (reference, own) for lap in clean_laps(run, low, high, day.layout.length)
    ])  # fmt: skip
    assert abs(told[2] - (mine - usual)) < 0.03
