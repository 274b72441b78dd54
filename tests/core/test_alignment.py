"""Lap times, deltas and their stated uncertainty against the simulator's truth."""

import numpy as np
import pytest
from scipy.interpolate import CubicSpline

from lauftakt.core.circuit.layout import Layout
from lauftakt.core.circuit.passages import passage_range
from lauftakt.core.comparison.delta import delta_uncertainty, stretch_loss, time_delta
from lauftakt.core.laps.lap import LapTrace
from lauftakt.core.laps.times import passage_times, time_at
from lauftakt.core.plane import Plane
from lauftakt.demo.circuits import ellerholm_park
from tests.day import Day


def plain_places(day: Day, run: int) -> tuple[np.ndarray, np.ndarray]:
    """Times and unwrapped places of the projected fixes, the yardstick that alignment has to beat."""
    log, layout = day.logs[run], day.layout
    latitude, longitude = log.role("latitude"), log.role("longitude")
    x, y = layout.plane.to_xy(latitude.values, longitude.values)
    s, _ = layout.centre.project(x, y)
    s = np.unwrap(s * 2 * np.pi / layout.length) / (2 * np.pi) * layout.length
    return latitude.time, np.maximum.accumulate(s)


def plain_times(day: Day, run: int) -> list[np.ndarray]:
    """Times of every timed lap on the grid by interpolating projected fixes."""
    time, s = plain_places(day, run)
    length = day.layout.length
    lines = np.arange(np.ceil(s[0] / length), np.floor(s[-1] / length)) * length
    return [np.interp(line + day.layout.grid(), s, time) - np.interp(line, s, time) for line in lines]


def lap_time_errors(day: Day) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    errors, stated, plain = [], [], []
    for i, run in enumerate(day.runs):
        timed = [lap for lap in run.laps if lap.time_s is not None]
        true = np.array(day.truth[i]["lap_times_s"])
        assert len(timed) == len(true)
        errors.append([lap.time_s for lap in timed] - true)
        stated.append([lap.time_u_s for lap in timed])
        plain.append([times[-1] for times in plain_times(day, i)] - true)
    return np.concatenate(errors), np.concatenate(stated), np.concatenate(plain)


def rms(values: np.ndarray) -> float:
    return float(np.sqrt(np.mean(np.square(values))))


def test_lap_times_beat_interpolated_fixes(day: Day) -> None:
    errors, _, plain = lap_time_errors(day)
    assert rms(errors) <= 0.35 * rms(plain)


def test_stated_uncertainty_covers_the_truth(day: Day) -> None:
    errors, stated, _ = lap_time_errors(day)
    covered = np.mean(np.abs(errors) < 1.96 * stated)
    # Fifty-odd laps: two standard errors about 95 %.
    assert 0.88 <= covered <= 1.0
    assert rms(stated) < 1.5 * rms(errors)


def test_speed_scale_is_found(day: Day) -> None:
    for run, truth in zip(day.runs, day.truth, strict=True):
        # Wheel speed is too high by this factor; what remains is the centre line's own length error.
        assert run.speed_scale * truth["speed_scale"] == pytest.approx(1.0, abs=0.001)


def true_times_at(truth: dict, crossing: int, layout: Layout) -> np.ndarray:
    """True times, from the crossing of the line, at the places of the layout's grid.

    The true path is projected onto the layout's own centre line: a place is what the layout says it is.
    """
    circuit = ellerholm_park()
    t, begin, end = np.array(truth["time_s"]), *truth["crossings_s"][crossing : crossing + 2]
    near = (t > begin - 2) & (t < end + 2)
    degrees = Plane(circuit.latitude, circuit.longitude).to_degrees(
        np.array(truth["x_m"])[near], np.array(truth["y_m"])[near]
    )
    x, y = layout.plane.to_xy(*degrees)
    s, _ = layout.centre.project(x, y, np.arctan2(np.gradient(y), np.gradient(x)))
    s = np.unwrap(s * 2 * np.pi / layout.length) / (2 * np.pi) * layout.length
    base = np.round(np.interp(begin, t[near], s) / layout.length) * layout.length
    when = CubicSpline(s - base, t[near])(layout.grid()) - begin
    when[0], when[-1] = 0.0, end - begin
    return when


@pytest.mark.parametrize("same_run", [False, True])
def test_delta_along_the_lap(day: Day, same_run: bool) -> None:
    """Against laps of another run and of the same one: small, and as uncertain as stated, also when restarted."""
    truth = {
        (i, n): true_times_at(day.truth[i], n - 1, day.layout) for i, run in enumerate(day.runs) for n in run.traces
    }
    plain = {(i, n): times for i in range(len(day.runs)) for n, times in enumerate(plain_times(day, i), 1)}
    grid, random = day.layout.grid(), np.random.default_rng(5)
    places = np.arange(200.0, 4300.0, 200.0)
    errors, plain_errors, from_line, restarted = [], [], [], []
    for one in truth:
        others = [key for key in truth if key != one and (key[0] == one[0]) == same_run]
        other = others[random.integers(len(others))]
        lap, base = day.runs[one[0]].traces[one[1]], day.runs[other[0]].traces[other[1]]
        error = time_delta(lap, base) - (truth[one] - truth[other])
        errors.append(error)
        plain_errors.append(plain[one] - plain[other] - (truth[one] - truth[other]))
        from_line.append(np.interp(places, grid, error) / delta_uncertainty(lap, base, same_run, places))
        for begin in random.uniform(0, 3000, 10):
            end = begin + random.uniform(200, 1200)
            gained = np.diff(np.interp([begin, end], grid, error))
            restarted.append(gained / delta_uncertainty(lap, base, same_run, np.array([end]), begin))
    assert rms(np.concatenate(errors)) <= 0.5 * rms(np.concatenate(plain_errors))
    assert 0.88 <= np.mean(np.abs(np.concatenate(from_line)) < 1.96) <= 1.0
    assert 0.88 <= np.mean(np.abs(np.concatenate(restarted)) < 1.96) <= 1.0


def test_a_lap_against_itself_is_level(day: Day) -> None:
    trace = next(iter(day.runs[1].traces.values()))
    assert not time_delta(trace, trace).any()
    assert not delta_uncertainty(trace, trace, True, np.array([100.0, 4000.0])).any()


def test_delta_is_antisymmetric(day: Day) -> None:
    one, other = day.runs[1].traces[2], day.runs[2].traces[3]
    assert np.allclose(time_delta(one, other), -time_delta(other, one))


def test_sectors_add_up_to_the_lap(day: Day) -> None:
    for run in day.runs:
        for lap in run.laps:
            if lap.time_s is not None:
                assert len(lap.sector_times_s) == 3
                assert sum(lap.sector_times_s) == pytest.approx(lap.time_s, abs=1e-9)
        assert run.theoretical_best_s() <= run.best_lap.time_s + 1e-9


def test_passages_of_a_lap_and_the_next_tile_the_circuit(day: Day) -> None:
    """Passages have no gaps: what one lap's passages take is a whole circuit, from where the first one begins."""
    layout, traces = day.layout, day.runs[1].traces
    low, _ = passage_range(layout, 0)
    started = [float(time_at(traces[number], np.array([low]))[0]) for number in (3, 4)]
    between = traces[3].time[-1] + started[1] - started[0]
    assert passage_times(traces[3], layout).sum() == pytest.approx(between, abs=1e-6)


def test_mistakes_show_in_their_passage(day: Day) -> None:
    reference = day.runs[day.of("Halvard")]
    for name in ("Ines", "Okan", "Freya", "Priya"):
        i = day.of(name)
        for mistake in day.truth[i]["mistakes"]:
            if mistake["cost_s"] < 0.15:
                continue
            passage = next(k for k, p in enumerate(day.layout.passages) if mistake["corner"] in p.corners)
            own, theirs = (
                np.nanmedian([times[passage] for times in run.passage_s.values()]) for run in (day.runs[i], reference)
            )
            assert own - theirs > 0.6 * mistake["cost_s"], (name, mistake)


def test_a_stretch_beyond_what_was_driven_is_cut_at_the_line(day: Day) -> None:
    lap, base = day.runs[1].traces[3], day.runs[0].traces[3]
    whole = stretch_loss(lap, base, 3900.0, day.layout.length + 200.0, False)
    assert whole.whole
    cut = stretch_loss(lap, base, 3900.0, day.layout.length + 3000.0, False)
    assert not cut.whole
    assert cut.loss_s == pytest.approx(stretch_loss(lap, base, 3900.0, day.layout.length, False).loss_s, abs=1e-9)


def test_every_other_run_leaves_a_time_as_it_is(day: Day) -> None:
    """On a fixed layout a run is analysed alone: there is nothing that another one could change."""
    from lauftakt.core.pipeline import analyse_run

    again = analyse_run(day.logs[3], day.layout)
    assert [lap.time_s for lap in again.laps] == [lap.time_s for lap in day.runs[3].laps]


def test_grid_is_common(day: Day) -> None:
    traces: list[LapTrace] = [trace for run in day.runs for trace in run.traces.values()]
    assert {len(trace.time) for trace in traces} == {len(day.layout.grid())}
    assert all((np.diff(trace.time) > 0).all() for trace in traces)
