"""Which commit of the program last ran on an installation's data: where to go back to when an update fails."""

import shutil
import subprocess
from pathlib import Path

_NAME = "commit"


def own_commit() -> str | None:
    """The commit of this program, where it is a git checkout."""
    root = Path(__file__).resolve().parents[3]
    git = shutil.which("git")
    if git is None or not (root / ".git").exists():
        return None
    found = subprocess.run([git, "-C", str(root), "rev-parse", "HEAD"], capture_output=True, text=True)
    return found.stdout.strip() or None if found.returncode == 0 else None


def note_commit(var: Path) -> None:
    """Keep that this program ran on these data."""
    commit = own_commit()
    if commit is not None:
        part = var / f"{_NAME}.part"
        part.write_text(commit + "\n")
        part.replace(var / _NAME)


def last_commit(var: Path) -> str | None:
    """The commit that ran last on these data; None where that is not known."""
    try:
        found = (var / _NAME).read_text().strip()
    except OSError:
        return None
    return found if found.isalnum() and len(found) == 40 else None
