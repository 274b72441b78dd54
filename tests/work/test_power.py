"""What is on the disk before it is said to be there: looked at from outside, by the calls to the system."""

import re
import subprocess
import sys
from pathlib import Path

import pytest

from lauftakt.store.database import mine
from lauftakt.store.models import HandIn
from tests.hostile import table, zipped
from tests.tools import missing, needed
from tests.work.conftest import Team

TAKES = """
import sys
from pathlib import Path
from lauftakt import settings
from lauftakt.store.database import Database
from lauftakt.work.doing import work_on
from lauftakt.work.intake import Giver, take_in
found = settings.load()
database = Database(found.database_url)
giver = Giver(int(sys.argv[1]), "shell")
_, job = take_in(database, found.inbox, giver, sys.argv[2], Path(sys.argv[2]), move=sys.argv[3] == "move")
if sys.argv[2].endswith(".zip"):
    work_on(database, found.inbox, job)
"""


def calls(team: Team, path: Path, how: str, out: Path) -> list[str]:
    """What the process asked of the system, in its order."""
    wanted = "trace=fsync,fdatasync,link,linkat,rename,renameat2,sendto"
    found = subprocess.run(
        [
            needed("strace"), "-f", "-y", "-s", "60", "-e", wanted, "-o", out,
            sys.executable, "-c", TAKES, str(team.id), path, how,
        ],
        capture_output=True, text=True,
    )  # fmt: skip
    if "ptrace" in found.stderr:
        missing("this user may not trace")
    assert found.returncode == 0, found.stderr
    return out.read_text().splitlines()


def places(lines: list[str], pattern: str) -> list[int]:
    return [number for number, line in enumerate(lines) if re.search(pattern, line)]


@pytest.mark.parametrize("how", ["move", "copy"])
def test_bytes_and_their_name_are_on_the_disk_before_the_row_is_committed(team: Team, tmp_path: Path, how: str) -> None:
    path = tmp_path / "log.csv"
    path.write_bytes(table())
    lines = calls(team, path, how, tmp_path / "calls")
    insert = places(lines, r"sendto\(.*INSERT INTO hand_in")[0]
    commit = next(number for number in places(lines, r"sendto\(.*COMMIT") if number > insert)
    inbox = re.escape(str(team.settings.inbox))
    named = [n for n in places(lines, rf"(link|linkat|rename|renameat2)\(.*{inbox}/\d+\.file") if n < commit]
    assert named, "the file was not named before the commit"
    bytes_synced = places(lines, r"fsync\(\d+<" + (re.escape(str(path)) if how == "move" else rf"{inbox}/\d+\.part"))
    folder_synced = places(lines, rf"fsync\(\d+<{inbox}>\)")
    assert min(bytes_synced) < named[0] < min(folder_synced) < commit


def test_files_of_an_archive_are_on_the_disk_before_it_goes(team: Team, tmp_path: Path) -> None:
    path = tmp_path / "day.zip"
    path.write_bytes(zipped({"a.csv": table(), "b.csv": table(rows=70)}))
    lines = calls(team, path, "copy", tmp_path / "calls")
    inserts = places(lines, r"sendto\(.*INSERT INTO hand_in")
    assert len(inserts) == 3
    commit = next(number for number in places(lines, r"sendto\(.*COMMIT") if number > inserts[-1])
    inbox = re.escape(str(team.settings.inbox))
    named = [n for n in places(lines, rf"(link|linkat)\(.*{inbox}/\d+\.file") if n < commit]
    assert len(named) == 2
    for at in named:
        assert any(n < at for n in places(lines, rf"fsync\(\d+<{inbox}/tmp[^>]*>\)"))
        assert any(at < n < commit for n in places(lines, rf"fsync\(\d+<{inbox}>\)"))
    with team.database.begin() as session:
        assert len(session.scalars(mine(HandIn, team.id)).all()) == 3
