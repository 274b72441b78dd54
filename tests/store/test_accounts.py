"""Passwords are dear to guess; tests alone hash them cheaply."""

import subprocess
import sys

from argon2 import PasswordHasher
from argon2.low_level import Type

from tests.cheaply import CHEAP, REAL


def test_the_programs_own_hash_is_argon2id_at_the_librarys_cost() -> None:
    usual = PasswordHasher()
    assert (REAL.time_cost, REAL.memory_cost, REAL.parallelism) == (
        usual.time_cost, usual.memory_cost, usual.parallelism,
    )  # fmt: skip
    assert REAL.memory_cost >= 64 * 1024
    assert REAL.type is Type.ID
    assert CHEAP.memory_cost < 100


def test_outside_of_tests_nothing_is_cheap() -> None:
    told = "from lauftakt.store import accounts; print(accounts._hasher.hash('x'))"
    found = subprocess.run([sys.executable, "-c", told], capture_output=True, text=True, check=True).stdout
    assert found.startswith("$argon2id$v=19$m=65536,")
