"""Channels that follow from what was logged."""

from dataclasses import replace

import numpy as np
import pytest

from lauftakt.core.log.model import Log
from lauftakt.core.pipeline import analyse_run, make_layout
from lauftakt.core.registry import DERIVED, DIFFERENCES
from lauftakt.core.run import AnalysedRun
from lauftakt.core.technique.along import derived_channel, has_derived
from lauftakt.demo.scenario import random_scenario


@pytest.fixture(scope="module")
def runs() -> tuple[AnalysedRun, AnalysedRun]:
    """A run with pedals, and the same one without any."""
    scenario = random_scenario(42, laps=4, students=1, kind="ellerholm", steady=True)
    log = scenario.drives[0].log
    pedals = ("brake_pressure", "brake_pedal", "throttle")
    bare: Log = replace(log, channels=tuple(each for each in log.channels if each.role not in pedals))
    layout, _ = make_layout([log], scenario.sketch)
    return analyse_run(log, layout), analyse_run(bare, layout)


def test_every_derived_channel_is_there_or_says_nothing(runs: tuple[AnalysedRun, AnalysedRun]) -> None:
    for run, logged in zip(runs, (True, False), strict=True):
        assert run.signals is not None
        for role in set(DERIVED) - set(DIFFERENCES):
            found = derived_channel(run.signals, run.scale, role)
            assert has_derived(run.scale, logged, role) == (found is not None), role
            if found is not None:
                assert found.shape == run.signals.time.shape
                assert np.isfinite(found[np.isfinite(run.signals.time)]).mean() > 0.99, role
    with pytest.raises(KeyError):
        derived_channel(runs[0].signals, runs[0].scale, "speed")


def test_they_are_what_they_say(runs: tuple[AnalysedRun, AnalysedRun]) -> None:
    run = runs[0]
    signals = run.signals
    assert signals is not None
    driven = np.isfinite(signals.time)
    bend = derived_channel(signals, run.scale, "curvature")
    assert np.allclose((bend * signals.speed**2)[driven], signals.aside[driven], atol=1e-6)
    rolling = derived_channel(signals, run.scale, "rolling")
    assert set(np.unique(rolling[driven])) == {0.0, 1.0}
    assert not (rolling[driven & (signals.throttle > 0.9)] == 1.0).any()
    assert not (rolling[driven & (signals.brake > 2 * signals.brake_on)] == 1.0).any()
    rise = derived_channel(signals, run.scale, "brake_rise")
    assert (rise[driven] >= 0.0).all()
    # From nothing to the hardest within a second or so, and nothing at full throttle.
    assert 1.0 < np.nanmax(rise) < 30.0
    assert rise[driven & (signals.throttle > 0.95)].mean() < 0.02 * np.nanmax(rise)
    grip = derived_channel(signals, run.scale, "grip_used")
    assert 0.9 < np.nanpercentile(grip, 99) < 1.5
