"""Colours of drivers: unique as long as there are enough."""

from hypothesis import given
from hypothesis import strategies as st

from lauftakt.core.colours import PALETTE, colour_for

COLOURS = st.lists(st.integers(0, 40), max_size=30)


@given(COLOURS, COLOURS, COLOURS)
def test_nobody_shares_one_as_long_as_one_is_free(taken: list[int], removed: list[int], beside: list[int]) -> None:
    own = {colour % PALETTE for colour in taken}
    found = colour_for(taken, removed, beside)
    if len(own) < PALETTE:
        assert found not in own
    elif len({colour % PALETTE for colour in beside}) < PALETTE:
        assert found not in {colour % PALETTE for colour in beside}


def test_twelve_drivers_have_twelve_colours() -> None:
    given_out: list[int] = []
    for _ in range(PALETTE):
        given_out.append(colour_for(given_out))
    assert sorted(given_out) == list(range(PALETTE))


def test_who_was_removed_keeps_a_colour_while_others_are_free() -> None:
    assert colour_for([0, 1], removed=[2]) == 3
    assert colour_for([0, *range(2, PALETTE)], removed=[1]) == 1
