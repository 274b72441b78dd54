"""Runs a benchmark with what the simulator drives made once a run of the tests: ``python -m tests.benched FILE …``."""

import os
import runpy
import sys
from pathlib import Path

from lauftakt.demo.drive import drive_run
from lauftakt.demo.line import racing_line
from lauftakt.demo.scenario import random_scenario
from tests import once


def main() -> None:
    if once.SHARED in os.environ:
        for compute in (racing_line, drive_run, random_scenario):
            once.remember_everywhere(compute)
    file = Path(sys.argv[1]).resolve()
    sys.argv = [str(file), *sys.argv[2:]]
    # As if the file itself had been started: what it imports lies beside it.
    sys.path.insert(0, str(file.parent))
    runpy.run_path(str(file), run_name="__main__")


if __name__ == "__main__":
    main()
