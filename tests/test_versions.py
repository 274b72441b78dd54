"""Versions cannot be forgotten: numbers that change without theirs fail, and the failure says what to do."""

import copy
import json
from pathlib import Path
from typing import Any

import pytest

from tests import stored_numbers
from tests.day import Day
from tests.stored_numbers import KEPT, VERSIONS, present_versions, verdict


def test_numbers_are_those_of_their_versions(
    request: pytest.FixtureRequest, day: Day, next_files: dict[str, Path]
) -> None:
    if request.config.getoption("--write-numbers"):
        stored_numbers.write(day, next_files)
    wrong = verdict(json.loads(KEPT.read_text()), stored_numbers.numbers_of(day, next_files), present_versions())
    assert wrong is None, wrong


@pytest.fixture
def kept() -> dict[str, Any]:
    found: dict[str, Any] = json.loads(KEPT.read_text())
    return found


CHANGES = {
    "reader": lambda found: found["reader"]["german.csv"].pop("Bremsdruck"),
    "analysis": lambda found: found["analysis"]["with pedals"]["laps"][2].__setitem__(5, 0.5),
    "findings": lambda found: found["findings"]["losses"][0]["causes"][0].__setitem__("cost_s", 0.9),
    "following": lambda found: found["following"]["pace"].__setitem__("best_s", 1.0),
}


@pytest.mark.parametrize("part", CHANGES)
def test_numbers_that_change_without_their_version_are_told(kept: dict[str, Any], part: str) -> None:
    found = copy.deepcopy(kept["numbers"])
    assert verdict(kept, found, kept["versions"]) is None
    CHANGES[part](found)
    told = verdict(kept, found, kept["versions"])
    name, path, _ = VERSIONS[part]
    assert told is not None
    assert f"Raise {name} in {path}" in told
    assert " before, " in told
    # With its version raised it only has to be written.
    raised = verdict(kept, found, kept["versions"] | {part: kept["versions"][part] + 1})
    assert raised is not None
    assert raised.startswith(f"{name} was raised")


def test_another_log_is_no_other_computation(kept: dict[str, Any]) -> None:
    found = copy.deepcopy(kept["numbers"])
    next(iter(found["logs"]["Ines"].values()))[3] += 0.1
    CHANGES["analysis"](found)
    told = verdict(kept, found, kept["versions"])
    assert told is not None
    assert "no version" in told


def test_what_arithmetic_may_change_is_no_difference(kept: dict[str, Any]) -> None:
    found = copy.deepcopy(kept["numbers"])
    found["analysis"]["with pedals"]["laps"][2][4] += 5e-6
    assert verdict(kept, found, kept["versions"]) is None
