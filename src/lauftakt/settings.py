"""Settings from the environment, with defaults for one machine."""

import os
import secrets
from dataclasses import dataclass
from pathlib import Path


def default_var() -> Path:
    return Path(os.environ.get("LAUFTAKT_VAR", Path(__file__).resolve().parents[2] / "var"))


@dataclass(frozen=True)
class Settings:
    """Where things are.

    ``LAUFTAKT_DATABASE_URL``, ``LAUFTAKT_BROKER_URL`` (default: the database), ``LAUFTAKT_VAR`` (folder for files),
    ``LAUFTAKT_SECRET`` (signs cookies; default: made once and kept in the folder), ``LAUFTAKT_HTTPS`` = 1 where the
    application is served over HTTPS, ``LAUFTAKT_UPLOAD_MB`` the largest file.
    """

    database_url: str
    broker_url: str
    var: Path
    secret: str
    https: bool
    upload_mb: int

    @property
    def inbox(self) -> Path:
        """Files handed in that wait for their import."""
        return self.var / "inbox"


def load() -> Settings:
    """Read the settings.

    Raises
    ------
    RuntimeError
        where no database is named.
    """
    url = os.environ.get("LAUFTAKT_DATABASE_URL")
    if not url:
        raise RuntimeError("LAUFTAKT_DATABASE_URL is not set; script/demo sets it for the private database.")
    var = default_var()
    var.mkdir(parents=True, exist_ok=True)
    return Settings(
        database_url=url,
        broker_url=os.environ.get("LAUFTAKT_BROKER_URL") or "sqla+" + url,
        var=var,
        secret=os.environ.get("LAUFTAKT_SECRET") or _kept_secret(var / "secret"),
        https=os.environ.get("LAUFTAKT_HTTPS") == "1",
        upload_mb=int(os.environ.get("LAUFTAKT_UPLOAD_MB", "400")),
    )


def _kept_secret(path: Path) -> str:
    try:
        with open(path, "x", opener=lambda name, flags: os.open(name, flags, 0o600)) as file:
            file.write(secrets.token_hex(32))
    except FileExistsError:
        pass
    return path.read_text().strip()
