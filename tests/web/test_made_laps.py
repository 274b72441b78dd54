"""Laps that nobody drove as a whole, on the desk: as reference, as a line of their own, in the card."""

import io

import numpy as np
import pyarrow as pa
import pytest

from lauftakt.core.laps.times import sector_times
from lauftakt.store.made_laps import Recipe, read_recipe
from tests.day import Day
from tests.web.coach import Coach


@pytest.fixture
def desk(taught: Coach) -> dict:
    return taught.get("/api/desk").json


def laid(taught: Coach, desk: dict, *more: str, reference: str | None = None) -> dict:
    laps = ",".join([*(lap["key"] for lap in desk["laps"]), *more])
    found = taught.get(f"/api/desk?laps={laps}&reference={reference or desk['reference']}")
    assert found.status_code == 200, found.json
    return found.json


def curves(taught: Coach, desk: dict, roles: str = "speed") -> pa.Table:
    names = {lap["key"]: lap["curves"] for lap in desk["laps"]}
    answer = taught.get(
        f"/api/curves?laps={','.join(names.values())}&reference={names[desk['reference']]}&roles={roles}"
    )
    assert answer.status_code == 200, answer.data
    return pa.ipc.open_stream(io.BytesIO(answer.data)).read_all()


def test_the_best_sectors_of_a_day_as_the_reference(taught: Coach, desk: dict, day: Day) -> None:
    event = desk["event"]["id"]
    found = laid(taught, desk, reference=f"sectors-e{event}")
    made = found["laps"][0]
    assert found["reference"] == made["key"] == f"sectors-e{event}"
    assert made["made"] == {"kind": "sectors", "laps": made["made"]["laps"], "day": desk["event"]["day"]}
    assert made["run"] is made["number"] is made["driver"] is None
    times = [lap.sector_times_s for run in day.runs for lap in run.counting]
    best = np.min(times, axis=0)
    assert made["sector_times_s"] == pytest.approx(list(best), abs=1e-4)
    assert made["time_s"] == pytest.approx(best.sum(), abs=1e-4)
    # Nobody drove it: the marks for the best are the others'.
    assert not made["best_of_all"]
    assert any(lap["best_of_all"] for lap in found["laps"][1:])
    for lap in found["laps"][1:]:
        assert lap["delta_s"] == pytest.approx(lap["time_s"] - best.sum(), abs=1e-4)
        assert lap["delta_u_s"] > 0
    table = curves(taught, found)
    for lap in found["laps"][1:]:
        rate = table[f"{lap['curves']}|loss_rate"].to_numpy()
        assert rate[:-1].sum() == pytest.approx(lap["delta_s"], abs=0.02)


def test_a_drivers_median_lap_beside_the_own_laps(taught: Coach, desk: dict, day: Day) -> None:
    ines = desk["laps"][1]
    event = desk["event"]["id"]
    median = f"median-d{ines['driver']['id']}e{event}"
    found = laid(taught, desk, median, reference=ines["key"])
    made = next(lap for lap in found["laps"] if lap["key"] == median)
    own = sorted(lap.time_s for lap in day.runs[1].counting)
    assert own[0] < made["time_s"] < own[-1]
    assert made["driver"]["name"] == "Ines"
    assert made["made"]["laps"] == len(own)
    # Of the own run: what all its laps share is not unsure between them.
    beside = next(lap for lap in found["laps"] if lap["key"] not in (median, ines["key"]))
    assert made["delta_u_s"] < beside["delta_u_s"]
    assert made["sector_times_s"] == pytest.approx(
        list(sector_times_of(taught, found, made, day)), abs=1e-3
    )  # fmt: skip


def sector_times_of(taught: Coach, desk: dict, lap: dict, day: Day) -> tuple[float, ...]:
    table = curves(taught, desk, "offset")
    trace = day.runs[1].traces[day.runs[1].best_lap.number]
    time = table[f"{lap['curves']}|time"].to_numpy()
    offset = table[f"{lap['curves']}|offset"].to_numpy()
    return sector_times(type(trace)(time, offset, trace.reach_s, time, trace.draws_s, trace.draws), day.layout)


def test_the_median_of_the_laps_on_the_desk_and_a_drivers_best_ever(taught: Coach, desk: dict) -> None:
    driver = desk["laps"][1]["driver"]["id"]
    found = laid(taught, {"laps": desk["laps"][:1], "reference": desk["reference"]}, f"best-d{driver}", "median-desk")
    assert [lap["key"] for lap in found["laps"]][:2] == [lap["key"] for lap in desk["laps"]]
    middle = found["laps"][2]
    assert middle["made"]["kind"] == "median"
    assert middle["made"]["day"] is None
    assert middle["made"]["laps"] == 1  # of those that lie there by their own address


def test_the_card_against_a_made_reference(taught: Coach, desk: dict, day: Day) -> None:
    event = desk["event"]["id"]
    found = laid(taught, desk, f"median-e{event}", reference=f"passages-e{event}")
    names = {lap["key"]: lap["curves"] for lap in found["laps"]}
    base = names[found["reference"]]
    lost, told, named = 0.0, 0, 0
    for passage in day.layout.passages:
        card = taught.get(f"/api/card?laps={','.join(names.values())}&reference={base}&passage={passage.name}")
        assert card.status_code == 200, card.json
        rows = {row["lap"]: row for row in card.json["figures"]}
        assert rows[base]["loss_s"] == 0
        assert len(card.json["habits"]) == 2  # the drivers', none of made laps
        for key, name in names.items():
            if key == found["reference"]:
                continue
            row = rows[name]
            assert row["loss_s"] > -0.05
            lost += row["loss_s"]
            said = "".join(part["text"] or "" for part in row["says"])
            named += "best passages" in said
            if key.startswith("median"):
                assert said.startswith("The median lap of all")
            if row["causes"]:
                told += 1
                total = sum(one["cost_s"] for one in row["causes"]) + row["brought_in_s"] + row["unexplained_s"]
                assert total == pytest.approx(row["loss_s"], abs=1e-6)
                cause = row["causes"][0]["cause"]
                answer = taught.get(
                    f"/api/card/without?laps={name}&reference={base}&passage={passage.name}&cause={cause}"
                )
                assert answer.status_code == 200, answer.json
    assert told
    assert named > len(day.layout.passages)
    assert lost > 0.5
    doubt = taught.get(f"/api/doubt?laps={','.join(names.values())}&reference={base}").json
    assert [lap["lap"] for lap in doubt["laps"]] == list(names.values())


def test_what_leads_to_no_lap_takes_away_only_itself(taught: Coach, desk: dict) -> None:
    keys = [lap["key"] for lap in desk["laps"]]
    run = desk["laps"][0]["run"]
    found = laid(taught, desk, f"{run}-9", "999999-12", "median-d999999", "sectors-r999999")
    assert [lap["key"] for lap in found["laps"]] == keys
    assert found["missing"] == [f"{run}-9", "999999-12", "median-d999999", "sectors-r999999"]
    # A reference that is gone: the first lap that is left stands in.
    found = laid(taught, desk, reference="999999-12")
    assert found["reference"] == keys[0]
    assert found["missing"] == ["999999-12"]
    assert taught.get("/api/desk?laps=999999-12,median-d999999").status_code == 404


@pytest.mark.parametrize("text", ["sectors", "sectors-", "median-x3", "best-d", "median-d1e", "median-desk-2"])
def test_an_address_that_is_none_is_told(taught: Coach, text: str) -> None:
    assert taught.get(f"/api/desk?laps={text}").status_code == 422


def test_recipes_are_read_as_they_are_written_and_nothing_else() -> None:
    for recipe in (
        Recipe("median", ((97, 2), (97, 3), (97, 4), (97, 8), (98, 3))),
        Recipe("sectors", ((97, 8), (98, 1), (97, 9))),
        Recipe("passages", ((5, 1), (5, 1), (5, 2))),
    ):
        assert read_recipe(recipe.text) == recipe
    assert Recipe("median", ((97, 2), (97, 3), (97, 4), (97, 8), (98, 3))).text == "median:97.2-4.8_98.3"
    for text in ("median:97", "best:97.2", "median:97.2-99999", "median:97.5-2", "sectors:97.2,98.3", "median:", "m"):
        assert read_recipe(text) is None


def test_curves_of_a_made_lap_that_is_none_are_not_found(taught: Coach, desk: dict) -> None:
    base = desk["laps"][0]["curves"]
    analysis = base.split(".")[0]
    for name in (f"sectors:{base}", f"median:{analysis}.900", "median:99999999.1"):
        assert taught.get(f"/api/curves?laps={name}&reference={base}").status_code == 404
