"""Several things looked at together: how much doubt each may keep."""

from collections.abc import Sequence


def holm(likely: Sequence[float | None], level: float) -> list[float | None]:
    """Which of several looked at together are beyond doubt (Holm, "A simple sequentially rejective multiple test
    procedure", Scandinavian Journal of Statistics 6, 1979).

    Parameters
    ----------
    likely : how likely each would be by chance, None where that is not known
    level : so often any of them may be said wrongly

    Returns
    -------
    For each how much of the level was left for it where it is beyond doubt, else None.
    """
    known = sorted((value, index) for index, value in enumerate(likely) if value is not None)
    found: list[float | None] = [None] * len(likely)
    for order, (value, index) in enumerate(known):
        left = level / (len(known) - order)
        if value > left:
            break
        found[index] = left
    return found
