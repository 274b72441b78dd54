"""What is the same for every test is made once a run, under a lock, and shared by all workers.

A day's logs are driven, read, placed and handed in many times over; each of it takes seconds and says the same. What
was made lies in a folder of the run, which goes when the run ends.
"""

import functools
import hashlib
import os
import pickle
import shutil
import sys
import tempfile
from collections.abc import Callable
from dataclasses import fields, is_dataclass
from pathlib import Path
from typing import Any, TypeVar

import numpy as np
from filelock import FileLock

T = TypeVar("T")
SHARED = "LAUFTAKT_TESTS_SHARED"


def begin_sharing() -> None:
    """A folder for this run; workers that are started from here find it."""
    os.environ[SHARED] = tempfile.mkdtemp(prefix="lauftakt-tests-")


def end_sharing() -> None:
    """Nothing of it stays."""
    shutil.rmtree(os.environ.pop(SHARED, ""), ignore_errors=True)


def shared_folder() -> Path:
    """The folder of this run."""
    return Path(os.environ[SHARED])


def once(name: str, make: Callable[[], T]) -> T:
    """What ``make`` gives; made by whoever asks first and read by everybody else."""
    kept = shared_folder() / f"{name}.pickle"
    with FileLock(f"{kept}.lock"):
        if not kept.exists():
            part = kept.with_suffix(".part")
            part.write_bytes(pickle.dumps(make(), protocol=5))
            part.rename(kept)
    return pickle.loads(kept.read_bytes())


def made_once(name: str, make: Callable[[Path], T]) -> T:
    """The same of what leaves files in a folder of its own, which it is given."""

    def filled() -> T:
        folder = shared_folder() / name
        shutil.rmtree(folder, ignore_errors=True)  # of one that broke off
        folder.mkdir()
        return make(folder)

    return once(name, filled)


def _plain(value: Any) -> Any:
    """Only what an object was made of: what it remembers of itself says nothing new."""
    if is_dataclass(value) and not isinstance(value, type):
        return (type(value).__name__, *(_plain(getattr(value, field.name)) for field in fields(value)))
    if isinstance(value, np.ndarray):
        return value.dtype.str, value.shape, value.tobytes()
    if isinstance(value, list | tuple):
        return tuple(_plain(item) for item in value)
    if isinstance(value, dict):
        return tuple((key, _plain(item)) for key, item in sorted(value.items()))
    return value


def remembering(compute: Callable[..., T]) -> Callable[..., T]:
    """A pure function that computes each answer once a run; what it raises is raised anew.

    Whoever asks in the same process gets the same object again; ``__wrapped__`` is the function itself.
    """
    known: dict[str, T] = {}

    @functools.wraps(compute)
    def asked(*args: Any, **kwargs: Any) -> T:
        key = hashlib.sha256(pickle.dumps(_plain((args, kwargs)))).hexdigest()
        if key not in known:
            known[key] = once(f"{compute.__name__}-{key[:32]}", lambda: compute(*args, **kwargs))
        return known[key]

    return asked


def remember_everywhere(compute: Callable[..., Any]) -> None:
    """Let every module of ours that was imported, and every one that will be, find the remembering function."""
    if hasattr(compute, "__wrapped__"):
        return  # it remembers already
    made = remembering(compute)
    for name, module in list(sys.modules.items()):
        if name.startswith(("lauftakt", "tests")) and getattr(module, compute.__name__, None) is compute:
            setattr(module, compute.__name__, made)
