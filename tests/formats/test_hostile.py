# ruff: noqa: PT017 (a refusal and a reading are both right, for different files)
"""Every hostile file is refused with a sentence or read with a note; nothing else may happen."""

from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lauftakt.core.log.model import Unusable
from lauftakt.formats.columnar import write_columnar
from lauftakt.formats.gpx import write_gpx
from lauftakt.formats.mdf import write_mdf
from lauftakt.formats.reading import read_log
from lauftakt.work.limits import TookTooLong, time_limit
from tests.day import Day
from tests.hostile import FILES, LOGS, Hostile


def test_there_are_enough_of_them() -> None:
    assert len(FILES) >= 40
    assert len({item.name for item in FILES}) == len(FILES)


@pytest.mark.parametrize("item", LOGS, ids=lambda item: item.name)
def test_a_hostile_file_gets_its_sentence(item: Hostile, tmp_path: Path) -> None:
    path = tmp_path / item.name
    path.write_bytes(item.data())
    try:
        log = read_log(path)
    except Unusable as told:
        assert told.code in item.refused, (told.code, str(told))
        assert str(told)[0].isupper()
        assert len(str(told)) < 400
        return
    assert not item.refused, "It should have been refused."
    assert set(item.taken) <= {warning.code for warning in log.warnings}
    for channel in log.channels:
        assert np.isfinite(channel.values).all()
        assert (np.diff(channel.time) > 0).all()
        assert len(channel.name) <= 130
        assert channel.name.isprintable()


@pytest.fixture(scope="module")
def sound(day: Day, tmp_path_factory: pytest.TempPathFactory) -> dict[str, bytes]:
    """A short sound file of each format."""
    from dataclasses import replace

    folder = tmp_path_factory.mktemp("sound")
    channels = tuple(replace(c, time=c.time[:300], values=c.values[:300]) for c in day.logs[0].channels[:4])
    log = replace(day.logs[0], channels=channels)
    write_mdf(log, folder / "a.mf4")
    write_columnar(log, folder / "a.parquet")
    write_columnar(log, folder / "a.arrow", "arrow")
    write_gpx(log, folder / "a.gpx")
    return {path.suffix: path.read_bytes() for path in folder.iterdir()}


@pytest.mark.filterwarnings("ignore::pytest.PytestUnraisableExceptionWarning")
@given(data=st.data())
@settings(max_examples=100, deadline=None)
def test_damaged_bytes_never_do_worse_than_a_refusal(
    sound: dict[str, bytes], tmp_path_factory: pytest.TempPathFactory, data: st.DataObject
) -> None:
    """Flipped, cut and repeated bytes anywhere in a file of any format."""
    ending = data.draw(st.sampled_from(sorted(sound)))
    whole = bytearray(sound[ending])
    for _ in range(data.draw(st.integers(1, 6))):
        at = data.draw(st.integers(0, len(whole) - 1))
        whole[at] = data.draw(st.integers(0, 255))
    cut = data.draw(st.integers(0, len(whole)))
    kept = bytes(whole[: cut or None]) if data.draw(st.booleans()) else bytes(whole)
    path = tmp_path_factory.mktemp("damaged") / f"x{ending}"
    path.write_bytes(kept)
    try:
        with time_limit(20):  # as in a worker, where a reader that does not come back is stopped
            log = read_log(path)
    except TookTooLong:
        return
    except Unusable as told:
        assert str(told)
        return
    for channel in log.channels:
        assert np.isfinite(channel.values).all()
