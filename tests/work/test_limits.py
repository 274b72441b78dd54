"""Work that does not come back by itself is stopped: for its own reasons, not for those of what lies around it."""

import threading
import time

import pytest

from lauftakt.work.limits import Interrupt, TookTooLong, time_limit


class Gone(Exception):
    """What another thread says."""


def busy(seconds: float) -> None:
    until = time.monotonic() + seconds
    while time.monotonic() < until:
        time.sleep(0.01)


def busy_until_told(interrupt: Interrupt) -> None:
    threading.Timer(0.1, lambda: interrupt(Gone())).start()
    busy(5)


def with_a_block_inside() -> None:
    with time_limit(5):
        busy(0.05)
    busy(5)


def test_it_ends_after_its_time() -> None:
    with pytest.raises(TookTooLong), time_limit(0.1):
        busy(5)


def test_another_thread_ends_it_with_its_own_reason() -> None:
    with pytest.raises(Gone), time_limit(5) as interrupt:
        busy_until_told(interrupt)


def test_what_ends_a_block_around_is_not_taken_for_the_end_of_ones_own_time() -> None:
    with pytest.raises(Gone), time_limit(5) as interrupt, time_limit(5):
        busy_until_told(interrupt)


def test_a_block_inside_does_not_switch_the_limit_around_it_off() -> None:
    with pytest.raises(TookTooLong), time_limit(0.3):
        with_a_block_inside()


def test_a_late_word_changes_nothing() -> None:
    with time_limit(5) as interrupt:
        pass
    interrupt(Gone())
    busy(0.05)
