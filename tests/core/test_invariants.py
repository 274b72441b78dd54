"""What must not change an answer: the reference itself, the clock, the compass, the mirror, units, other runs."""

import itertools
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lauftakt.core.circuit.layout import Line
from lauftakt.core.comparison.delta import delta_uncertainty, stretch_loss, time_delta
from lauftakt.core.log.model import Log
from lauftakt.core.pipeline import analyse_run, make_layout
from lauftakt.core.plane import Plane
from lauftakt.core.run import AnalysedRun
from tests.day import Day

laps = st.tuples(st.integers(0, 5), st.integers(1, 8))


@given(laps, laps, st.floats(0, 3000), st.floats(50, 1200))
@settings(deadline=None, max_examples=30)
def test_delta_is_antisymmetric_and_nothing_against_itself(
    day: Day, one: tuple[int, int], two: tuple[int, int], begin: float, length: float
) -> None:
    a, b = (day.runs[run].traces[number] for run, number in (one, two))
    same = one[0] == two[0]
    assert not time_delta(a, a).any()
    assert not delta_uncertainty(a, a, True, np.array([begin + length]), begin).any()
    there, back = stretch_loss(a, b, begin, begin + length, same), stretch_loss(b, a, begin, begin + length, same)
    assert there.loss_s == pytest.approx(-back.loss_s, abs=1e-12)
    assert there.loss_u_s == pytest.approx(back.loss_u_s, abs=1e-12)


@given(st.tuples(st.integers(0, 5), st.integers(1, 8)), st.lists(st.floats(20, 4200), min_size=1, max_size=6))
@settings(deadline=None, max_examples=30)
def test_stretches_add_up(day: Day, lap: tuple[int, int], cuts: list[float]) -> None:
    trace, base = day.runs[lap[0]].traces[lap[1]], day.runs[0].traces[2]
    edges = [0.0, *sorted(cuts), day.layout.length]
    total = sum(stretch_loss(trace, base, a, b, lap[0] == 0).loss_s for a, b in itertools.pairwise(edges) if b > a)
    assert total == pytest.approx(float(time_delta(trace, base)[-1]), abs=1e-9)


def test_sectors_add_up(day: Day) -> None:
    for run in day.runs:
        for lap in run.laps:
            if lap.time_s is not None:
                assert sum(lap.sector_times_s) == pytest.approx(lap.time_s, abs=1e-9)
        assert run.theoretical_best_s() <= run.unbroken_best_s() + 1e-9 <= run.best_lap.time_s + 2e-9


def moved(day: Day, log: Log, turn: float, mirror: bool) -> tuple[Log, Line]:
    """The log and its start line turned about the line's middle, and mirrored."""
    plane = day.layout.plane
    cos, sin = np.cos(turn), np.sin(turn)

    def place(latitude, longitude):
        x, y = plane.to_xy(latitude, longitude)
        if mirror:
            x = -x
        return plane.to_degrees(cos * x - sin * y, sin * x + cos * y)

    latitude, longitude = log.role("latitude"), log.role("longitude")
    lat, lon = place(latitude.values, longitude.values)
    new = {"latitude": lat, "longitude": lon}
    channels = tuple(replace(c, values=new.get(c.role, c.values)) for c in log.channels)
    ends = []
    for end in (day.layout.start.left, day.layout.start.right):
        a, b = place([end[0]], [end[1]])
        ends.append((float(a[0]), float(b[0])))
    return replace(log, channels=channels), Line(*(ends[::-1] if mirror else ends))


def times(run: AnalysedRun) -> np.ndarray:
    return np.array([lap.time_s for lap in run.laps if lap.time_s is not None])


@pytest.mark.parametrize(("turn", "mirror"), [(0.7, False), (2.9, False), (0.0, True)])
def test_the_compass_and_the_mirror_change_nothing(day: Day, turn: float, mirror: bool) -> None:
    log, start = moved(day, day.logs[0], turn, mirror)
    layout, _ = make_layout(log, "Turned", start)
    assert layout.length == pytest.approx(day.layout.length, abs=0.05)
    sides = {"left": "right", "right": "left"} if mirror else {"left": "left", "right": "right"}
    assert [c.direction for c in layout.corners] == [sides[c.direction] for c in day.layout.corners]
    assert np.abs(times(analyse_run(log, layout)) - times(day.runs[0])).max() < 0.001


def test_the_other_end_of_the_earth_changes_nothing(day: Day) -> None:
    log, there = day.logs[0], Plane(-41.2, 174.9)
    here = day.layout.plane
    latitude, longitude = log.role("latitude"), log.role("longitude")
    lat, lon = there.to_degrees(*here.to_xy(latitude.values, longitude.values))
    new = {"latitude": lat, "longitude": lon}
    far = replace(log, channels=tuple(replace(c, values=new.get(c.role, c.values)) for c in log.channels))
    ends = [
        there.to_degrees(*here.to_xy([end[0]], [end[1]])) for end in (day.layout.start.left, day.layout.start.right)
    ]
    start = Line(*((float(a[0]), float(b[0])) for a, b in ends))
    layout, _ = make_layout(far, "Far", start)
    assert np.abs(times(analyse_run(far, layout)) - times(day.runs[0])).max() < 0.001


def test_another_lap_of_the_run_or_another_rate_moves_a_time_by_less_than_its_uncertainty(day: Day) -> None:
    log = day.logs[2]
    end = day.truth[2]["crossings_s"][-2] + 5.0
    shorter = replace(
        log, channels=tuple(replace(c, time=c.time[c.time < end], values=c.values[c.time < end]) for c in log.channels)
    )
    slower = replace(
        log,
        channels=tuple(
            replace(c, time=c.time[::2], values=c.values[::2]) if c.rate_hz > 50 else c for c in log.channels
        ),
    )
    stated = np.array([lap.time_u_s for lap in day.runs[2].laps if lap.time_s is not None])
    for changed in (shorter, slower):
        found = times(analyse_run(changed, day.layout))
        gap = np.abs(found - times(day.runs[2])[: len(found)])
        assert (gap < stated[: len(found)]).all()


def test_dialects_of_one_run_agree_to_a_millisecond(day: Day, tmp_path) -> None:
    """Semicolons, decimal commas, other units, other names, another encoding, metadata, no units."""
    from lauftakt.formats.reading import read_log

    text = day.files[1].read_text().splitlines()
    head = next(i for i, line in enumerate(text) if line.startswith("time"))
    rows = [line.split(",") for line in text[head + 1 :]]
    names = text[head].split(",")
    renamed = {"time [s]": "Elapsed time", "latitude [deg]": "GPS Lat", "longitude [deg]": "GPS Long",
               "speed [km/h]": "Vehicle speed (m/s)", "throttle [%]": "Throttle pedal (1)"}  # fmt: skip
    factor = {"speed [km/h]": 1 / 3.6, "throttle [%]": 0.01}
    table = [";".join(renamed.get(name, name) for name in names)]
    for row in rows:
        cells = [
            repr(float(cell) * factor[name]) if cell and name in factor else cell
            for name, cell in zip(names, row, strict=True)
        ]
        table.append(";".join(cells).replace(".", ","))
    other = tmp_path / "other.csv"
    other.write_bytes("\r\n".join(["# Fahrer: Inés", *table]).encode("cp1252"))
    run = analyse_run(read_log(other), day.layout)
    assert np.abs(times(run) - times(day.runs[1])).max() < 0.001
    for own, known in zip(run.technique[3], day.runs[1].technique[3], strict=True):
        assert own.min_speed == pytest.approx(known.min_speed, abs=0.01)
