"""Layout files."""

import json

import pytest

from lauftakt.core.circuit.layout import Line
from lauftakt.core.log.model import Unusable
from lauftakt.formats.geojson import read_layout, write_start

START = Line((53.1, 10.2), (53.1001, 10.2001))


def test_round_trip() -> None:
    found = read_layout(write_start("Ring of Ää", START), "file")
    assert found.start == START
    assert found.name == "Ring of Ää"


def test_other_roles_are_named_and_the_file_gives_the_name() -> None:
    data = json.loads(write_start("x", START))
    del data["name"]
    data["features"].append({"type": "Feature", "properties": {"role": "lamp post"}, "geometry": None})
    found = read_layout(json.dumps(data).encode(), "file")
    assert found.name == "file"
    assert found.left_out == ("lamp post",)


@pytest.mark.parametrize(
    "data",
    [
        b"",
        b"[]",
        b"{}",
        b'{"features": 3}',
        b'{"features": [null, 4]}',
        b'{"features": [{"properties": {"role": "start"}}]}',
        b'{"features": [{"properties": {"role": "start"}, "geometry": {"coordinates": [[1,2],[3]]}}]}',
        b'{"features": [{"properties": {"role": "start"}, "geometry": {"coordinates": [[1,200],[3,4]]}}]}',
        b"[" * 100_000,
        b"\xff\xfe\x00",
    ],
)
def test_bad_files_get_a_sentence(data: bytes) -> None:
    with pytest.raises(Unusable) as told:
        read_layout(data, "file")
    assert told.value.code == "layout-file"
