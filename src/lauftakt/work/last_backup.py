"""How the last backup that was made by itself went, kept in a file, for the Paddock and for a monitor to tell."""

import json
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from pathlib import Path

OLD = timedelta(hours=26)
_NAME = "last.json"


@dataclass(frozen=True)
class LastBackup:
    """``good_at``: when the last one that worked was made; ``trouble``: why the last try did not work, else empty."""

    good_at: datetime | None
    trouble: str = ""

    def told(self) -> str | None:
        """A sentence for the coach, where there is something to worry about."""
        if self.trouble:
            return f"Tonight's backup failed: {self.trouble}"
        if self.good_at is not None and datetime.now(UTC) - self.good_at > OLD:
            days = max(1, round((datetime.now(UTC) - self.good_at) / timedelta(days=1)))
            return f"The last backup is {days} {'day' if days == 1 else 'days'} old. Is Lauftakt running at night?"
        return None


def read_last(folder: Path) -> LastBackup:
    """What is known; nothing where none was made yet."""
    try:
        found = json.loads((folder / _NAME).read_text())
        good_at = found["good_at"]
        return LastBackup(datetime.fromisoformat(good_at) if good_at else None, str(found["trouble"]))
    except (OSError, ValueError, KeyError, TypeError):
        return LastBackup(None)


def write_last(folder: Path, state: LastBackup) -> None:
    """Keep how it went."""
    part = folder / (_NAME + ".part")
    good_at = state.good_at.isoformat() if state.good_at else None
    part.write_text(json.dumps({"good_at": good_at, "trouble": state.trouble}))
    part.replace(folder / _NAME)
