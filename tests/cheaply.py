"""Passwords that cost tests nothing.

Guessing a password has to be dear, knowing one hundreds of times has not. What a hash costs stands in the hash, so
servers that tests start need not know of it; `tests/store/test_accounts.py` looks at the real one.
"""

from argon2 import PasswordHasher

from lauftakt.store import accounts

CHEAP = PasswordHasher(time_cost=1, memory_cost=8, parallelism=1)
REAL = accounts._hasher


def use() -> None:
    """Hash cheaply in this process."""
    accounts._hasher, accounts._NOBODY = CHEAP, CHEAP.hash("nobody")
