"""Which of twelve colours a driver gets: given once, and nobody else's as long as twelve are enough."""

from collections import Counter
from collections.abc import Collection, Sequence

PALETTE = 12


def colour_for(taken: Sequence[int], removed: Collection[int] = (), beside: Collection[int] = ()) -> int:
    """The number of a colour for one more driver.

    Parameters
    ----------
    taken : of the team's other drivers
    removed : of those who were removed and may come back
    beside : of those who drive on the same day, for teams with more drivers than colours

    Returns
    -------
    One that nobody has, best not even somebody who was removed; else one that nobody has on that day; else one that the
    fewest have.
    """
    used = Counter(colour % PALETTE for colour in taken)
    gone = {colour % PALETTE for colour in removed}
    today = {colour % PALETTE for colour in beside}
    return min(
        range(PALETTE), key=lambda colour: (used[colour] > 0, colour in today, used[colour], colour in gone, colour)
    )
