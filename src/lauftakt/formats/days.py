"""Dates with points or slashes: whether their day or their month stands first."""

from collections.abc import Iterable

from lauftakt.core.log.model import Warning


def day_order(dates: Iterable[str]) -> tuple[bool, Warning | None]:
    """Whether dates with points or slashes, all of one column, write the month first; and a warning where they do not
    tell.

    One date decides for all: a second figure above 12 is a day. Where the figures leave it open, the one that changes
    from row to row is the day; points are written day first; slashes are taken so, and it is said.
    """
    written = [text for text in dates if "-" not in text]
    parts = [tuple(int(p) for p in text.replace("/", ".").split(".")) for text in written]
    if not parts:
        return False, None
    first, second = max(p[0] for p in parts), max(p[1] for p in parts)
    if first > 12 or second > 12:
        return second > 12 >= first, None
    if all(p[0] == p[1] for p in parts):
        return False, None
    months = {p[0] for p in parts}, {p[1] for p in parts}
    if len(parts) > 1 and len(months[0]) == 1 and len(months[1]) > 1:
        return True, None  # the second figure changes from row to row: it is the day
    if len(parts) > 1 and len(months[1]) == 1 and len(months[0]) > 1:
        return False, None
    if not any("/" in text for text in written):
        return False, None
    day, month, year = parts[0]
    return False, Warning(
        "date-ambiguous",
        f"The date {day}/{month}/{year} could be read in two ways; it was taken as day {day} of month {month}. "
        "If that is wrong, change the run's beginning in the labels.",
    )
