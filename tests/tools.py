"""Programs that some tests need and not every machine has."""

import os
import shutil

import pytest


def needed(program: str) -> str:
    """The path of a program; without it the test is skipped, and fails where everything has to be proved (CI)."""
    found = shutil.which(program) or shutil.which(program, path="/usr/sbin:/usr/local/sbin")
    if found is None:
        missing(f"{program} is not installed")
    return found


def missing(why: str) -> None:
    """Leave the test out for want of something, unless everything has to be proved."""
    if os.environ.get("CI"):
        pytest.fail(f"{why}, and nothing may be left out here", pytrace=False)
    pytest.skip(why)
