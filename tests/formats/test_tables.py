"""Tables that leave: numbers stay numbers, and nothing that a person named runs as a formula, in heads or cells."""

import csv
import io
from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from lauftakt.formats.tables import FORMULA, number, write_table


def read(data: bytes) -> list[list[str]]:
    return list(csv.reader(io.StringIO(data.decode("utf-8-sig"), newline="")))


def test_a_negative_number_is_a_number() -> None:
    assert number(-0.01234, 4) == Decimal("-0.0123")
    assert number(None, 3) is None
    assert read(write_table(["fall-off [s a lap]"], [[number(-0.01234, 4), None, 3]])) == [
        ["fall-off [s a lap]"], ["-0.0123", "", "3"],
    ]  # fmt: skip


def test_a_sector_that_is_called_like_a_formula_does_not_run() -> None:
    assert read(write_table(["=1+1 [s]"], [["-2+3", "@x"]])) == [["'=1+1 [s]"], ["'-2+3", "'@x"]]


@given(st.lists(st.text(), min_size=1, max_size=4), st.lists(st.text(), min_size=1, max_size=4))
def test_nothing_that_was_named_begins_a_formula_or_a_row(head: list[str], cells: list[str]) -> None:
    rows = read(write_table(head, [cells, ["end"]]))
    assert len(rows) == 3
    assert [len(row) for row in rows[:2]] == [len(head), len(cells)]
    assert not any(cell.startswith(FORMULA) for row in rows for cell in row)
    assert rows[2] == ["end"]


@given(st.lists(st.text(alphabet="=+-@ab;,\t\"' ", max_size=8), min_size=1, max_size=4))
def test_no_cell_runs_whichever_sign_parts_them(cells: list[str]) -> None:
    data = write_table(["head"], [cells]).decode("utf-8-sig")
    for sign in ",;\t":
        found = [cell.lstrip() for row in csv.reader(io.StringIO(data, newline=""), delimiter=sign) for cell in row]
        assert not any(cell.startswith(FORMULA) for cell in found), (sign, found)


@pytest.mark.parametrize("value", [0.0005, -1e-9, 12345.6789])
def test_decimals_are_kept_as_asked(value: float) -> None:
    assert str(number(value, 3)) == f"{value:.3f}"
