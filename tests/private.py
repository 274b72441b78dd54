"""What people type and machines hand out is looked for in everything that an installation writes about itself."""

from dataclasses import dataclass, field
from pathlib import Path
from urllib.parse import quote


@dataclass
class Used:
    """What must not be found."""

    private: dict[str, str] = field(default_factory=dict)

    def keep(self, **more: str) -> None:
        for what, value in more.items():
            assert len(value) > 4, what
            self.private[what] = value

    def found_in(self, data: bytes) -> list[str]:
        """What stands in a log, whichever way it is written there."""
        lower = data.decode(errors="backslashreplace").lower()
        return [what for what, value in self.private.items() if any(form.lower() in lower for form in _forms(value))]


def _forms(value: str) -> set[str]:
    return {value, quote(value), value.encode("unicode_escape").decode(), ascii(value)[1:-1]}


def logs(var: Path) -> dict[Path, bytes]:
    """Every file that is written while the installation works, but for what is data and says so."""
    data = (
        "database/data",
        "database/password",
        "secret",
        "inbox",
        "backup/lauftakt-",
        "exports",
        "certificate",
        "media",
        "stream",
    )
    return {
        path: path.read_bytes()
        for path in var.rglob("*")
        if path.is_file() and not str(path.relative_to(var)).startswith(data)
    }
