"""The command ``lauftakt analyse``: its JSON after the contract, its exit codes, its sentences."""

import json
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import jsonschema
import numpy as np
import pytest

from lauftakt.cli import main
from lauftakt.core.log.model import Log
from lauftakt.formats.csv_out import write_csv
from lauftakt.offline.report import schema
from tests.day import Day


@pytest.fixture(scope="module")
def told(day: Day, tmp_path_factory: pytest.TempPathFactory) -> dict:
    out = tmp_path_factory.mktemp("analyse") / "out.json"
    files = [str(path) for path in day.files]
    assert main(["analyse", *files, "--layout", str(day.layout_file), "--json", str(out)]) == 0
    return json.loads(out.read_text())


def test_it_keeps_to_the_schema(told: dict) -> None:
    jsonschema.Draft202012Validator.check_schema(schema())
    jsonschema.validate(told, schema())


def test_runs_and_laps(told: dict, day: Day) -> None:
    assert [run["driver"] for run in told["runs"]] == [log.meta["driver"] for log in day.logs]
    assert told["reference"]["run"] == 0
    for run, truth in zip(told["runs"], day.truth, strict=True):
        timed = [lap for lap in run["laps"] if lap["time_s"] is not None]
        assert np.allclose([lap["time_s"] for lap in timed], truth["lap_times_s"], atol=0.06)
        for lap in timed:
            assert sum(lap["sector_times_s"]) == pytest.approx(lap["time_s"], abs=1e-4)
            assert len(lap["sector_times_s"]) == 3
            assert [c["corner"] for c in lap["corners"]] == [f"T{i}" for i in range(1, 14)]
        assert run["theoretical_best_s"] <= run["unbroken_best_s"] <= min(lap["time_s"] for lap in timed) + 1e-4
        assert run["speed_scale"] == pytest.approx(1 / truth["speed_scale"], abs=0.002)
        assert 0.9 < run["grip_level_g"] < 1.3
        brake = next(c for c in run["channels"] if c["role"] == "brake_pressure")
        assert (brake["unit"], brake["inferred"]) == ("bar", False)


def test_comparisons(told: dict) -> None:
    assert len(told["comparisons"]) == sum(1 for r in told["runs"] for lap in r["laps"] if lap["time_s"] is not None)
    times = {(i, lap["number"]): lap["time_s"] for i, run in enumerate(told["runs"]) for lap in run["laps"]}
    base = times[told["reference"]["run"], told["reference"]["lap"]]
    for found in told["comparisons"]:
        assert found["s_m"][:3] == [0, 10, 20]
        assert found["s_m"][-1] == pytest.approx(told["layout"]["length_m"], abs=1e-3)
        assert found["delta_s"][0] == pytest.approx(0, abs=1e-6)
        assert found["delta_s"][-1] == pytest.approx(times[found["run"], found["lap"]] - base, abs=1e-4)
        same = (found["run"], found["lap"]) == (told["reference"]["run"], told["reference"]["lap"])
        assert (max(map(abs, found["delta_s"])) == 0 == max(found["delta_u_s"])) == same


def test_findings_name_what_was_done(told: dict, day: Day) -> None:
    """Every mistake that costs 0.15 s or more is found in its passage, with the right cause first or second."""
    passage_of = {name: p["name"] for p in told["layout"]["passages"] for name in p["corners"]}
    wrong = []
    for i, truth in enumerate(day.truth):
        own = {f["passage"]: f for f in told["findings"] if f["run"] == i}
        for mistake in truth["mistakes"]:
            if mistake["cost_s"] < 0.15:
                continue
            finding = own.get(passage_of[mistake["corner"]])
            assert finding is not None, (truth["driver"], mistake)
            others = [m["kind"] for m in truth["mistakes"] if m["corner"] == mistake["corner"]]
            if finding["cause"] not in others and finding["second_cause"] not in others:
                wrong.append((truth["driver"], mistake["kind"], finding["cause"], finding["second_cause"]))
    assert len(wrong) <= 3, wrong


def test_findings_are_whole(told: dict) -> None:
    for finding in told["findings"]:
        assert sum(finding["parts"].values()) == pytest.approx(finding["loss_s"], abs=1e-3)
        assert finding["loss_s"] > 2 * finding["loss_u_s"] > 0
        assert (finding["run"] == told["reference"]["run"]) == (finding["against"] == "own best")
        assert len(finding["seen_in"]) <= finding["of"]
        assert finding["best_passage"]["loss_s"] <= finding["loss_s"]
        assert finding["corner"] in finding["text"]
    for run in range(len(told["runs"])):
        own = [f for f in told["findings"] if f["run"] == run]
        assert [f["loss_s"] for f in own] == sorted((f["loss_s"] for f in own), reverse=True)
        forward = [f for f in own if f["put_forward"]]
        assert bool(own) <= len(forward) <= 3
        # The same habit is put forward once, where it costs most.
        named = [f["cause"] for f in forward if f["cause"] != "unclear"]
        assert len(set(named)) == len(named)
        for f in own:
            total = sum(one["cost_s"] for one in f["causes"]) + f["brought_in_s"] + f["unexplained_s"]
            assert f["passage"] is None or total == pytest.approx(f["loss_s"], abs=2e-3)
    assert all(f["loss_s"] < 0 and f["cause"] is None for f in told["strengths"])


def test_the_centre_line_is_where_the_circuit_is(told: dict) -> None:
    centre = np.array(told["layout"]["centre"])
    assert len(centre) == int(np.ceil(told["layout"]["length_m"] / 10)) + 1
    assert np.allclose(centre[0], centre[-1])
    assert np.allclose(centre[0], [told["layout"]["start"]["lon"], told["layout"]["start"]["lat"]], atol=6e-5)


def test_another_reference_and_no_layout(day: Day, capsys: pytest.CaptureFixture[str]) -> None:
    student = str(day.files[1])
    assert main(["analyse", str(day.files[0]), "--reference", student, "--json", "-"]) == 0
    found = json.loads(capsys.readouterr().out)
    jsonschema.validate(found, schema())
    assert [Path(run["file"]).name for run in found["runs"]] == [day.files[0].name, day.files[1].name]
    assert found["reference"]["run"] == 1
    assert {w["code"] for w in found["runs"][0]["warnings"]} == {"start-line-assumed"}
    assert all(f["run"] == 0 for f in found["findings"])
    assert main(["analyse", student]) == 0
    assert "Reference: Ines" in capsys.readouterr().out


def test_a_bad_file_beside_a_good_one(day: Day, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    bad = tmp_path / "bad.csv"
    bad.write_text("time [s],speed [km/h]\n" + "".join(f"{i / 10},100\n" for i in range(100)))
    arguments = ["analyse", str(bad), str(day.files[0]), str(tmp_path / "gone.csv"), "--json", "-"]
    assert main(arguments) == 0
    found = json.loads(capsys.readouterr().out)
    jsonschema.validate(found, schema())
    assert [run["error"] is None for run in found["runs"]] == [False, True, False]
    assert found["reference"]["run"] == 1
    assert found["findings"] == []


@pytest.mark.parametrize(
    ("text", "says"),
    [("", "empty"), ("a,b\n1,2\n", "time"), ("\x00\x01" * 100, "not text"), (None, "no such file")],
)
def test_nothing_to_analyse(
    text: str | None, says: str, tmp_path: Path, capsys: pytest.CaptureFixture[str], day: Day
) -> None:
    path = tmp_path / "log.csv"
    if text is not None:
        path.write_text(text)
    assert main(["analyse", str(path)]) == 2
    told = capsys.readouterr()
    assert says in told.err
    assert len(told.err.strip().splitlines()) == 1
    assert told.out == ""
    assert main(["analyse", str(day.files[0]), "--layout", str(path)]) == 2
    assert len(capsys.readouterr().err.strip().splitlines()) == 1


def changed(log: Log, role: str, values: Callable[[np.ndarray], np.ndarray]) -> Log:
    return replace(
        log, channels=tuple(replace(c, values=values(c.values)) if c.role == role else c for c in log.channels)
    )


REASONS: dict[str, tuple[Callable[[Log], Log], str]] = {
    "a car that stands": (
        lambda log: changed(changed(log, "latitude", lambda v: v * 0 + 53.8), "longitude", lambda v: v * 0 + 10.2),
        "never moved",
    ),
    "no positions": (
        lambda log: replace(
            log, channels=tuple(c for c in log.channels if c.role in ("speed", "throttle", "steering"))
        ),
        "the steering alone draws no map",
    ),
    "another circuit": (lambda log: changed(log, "latitude", lambda v: v + 0.5), "55.6 km away"),
}


@pytest.mark.parametrize("name", REASONS)
def test_the_reason_is_one_that_a_person_can_act_on(
    name: str, day: Day, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    make, says = REASONS[name]
    path = tmp_path / "log.csv"
    write_csv(make(day.logs[1]), path)
    assert main(["analyse", str(day.files[0]), str(path), "--layout", str(day.layout_file), "--json", "-"]) == 0
    told = json.loads(capsys.readouterr().out)["runs"][1]["error"]
    if name == "no positions":
        assert told is None  # it is placed by its corners
        assert main(["analyse", str(path)]) == 2
        told = capsys.readouterr().err
    assert says in told


def test_logs_without_any_position_are_studied_on_a_map_of_their_own(
    day: Day, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    paths = [tmp_path / "a.csv", tmp_path / "b.csv"]
    for path, log in zip(paths, day.logs[1:3], strict=True):
        kept = tuple(c for c in log.channels if c.role not in ("latitude", "longitude"))
        write_csv(replace(log, channels=kept), path)
    assert main(["analyse", *map(str, paths), "--json", "-"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert told["layout"]["length_m"] == pytest.approx(day.layout.length, rel=0.02)
    for run, own in zip(told["runs"], day.runs[1:3], strict=True):
        assert "layout-reckoned" in [warning["code"] for warning in run["warnings"]]
        best = min(lap["time_s"] for lap in run["laps"] if lap["time_s"] and not lap["set_aside"])
        assert best == pytest.approx(min(lap.time_s for lap in own.counting if lap.time_s), abs=0.8)


@pytest.mark.parametrize("factor", [-1.0, 0.0, 1e6])
def test_a_speed_that_is_none_loses_no_run(
    factor: float, day: Day, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    path = tmp_path / "log.csv"
    log = replace(day.logs[1], channels=tuple(c for c in day.logs[1].channels if c.role != "receiver_speed"))
    write_csv(changed(log, "speed", lambda v: v * factor), path)
    assert main(["analyse", str(path), "--layout", str(day.layout_file), "--json", "-"]) == 0
    run = json.loads(capsys.readouterr().out)["runs"][0]
    own = day.runs[1].laps[2].time_s
    assert next(lap["time_s"] for lap in run["laps"] if lap["number"] == 2) == pytest.approx(own, abs=0.08)


def test_no_failure_ends_in_a_traceback(
    day: Day, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    from lauftakt.offline import study

    def stumble(*_: object) -> None:
        raise ZeroDivisionError

    monkeypatch.setattr(study, "read_log", stumble)
    assert main(["analyse", str(day.files[0])]) == 2
    assert "ZeroDivisionError" in capsys.readouterr().err
    monkeypatch.undo()
    # Time that is over is over for all files, wherever it ends.
    monkeypatch.setattr(study, "read_log", lambda *_: time.sleep(30))
    monkeypatch.setenv("LAUFTAKT_ANALYSE_SECONDS", "1")
    assert main(["analyse", str(day.files[0])]) == 2
    assert "within 1 s" in capsys.readouterr().err
    monkeypatch.undo()
    monkeypatch.setattr(study, "find", stumble)
    assert main(["analyse", str(day.files[0])]) == 2
    assert "Traceback" not in capsys.readouterr().err
    monkeypatch.setattr(study, "find", lambda *_: time.sleep(30))
    monkeypatch.setenv("LAUFTAKT_ANALYSE_SECONDS", "3")
    assert main(["analyse", str(day.files[0])]) == 2
    assert "within 3 s" in capsys.readouterr().err
