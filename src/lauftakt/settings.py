"""Settings from the environment, with defaults for one machine."""

import os
import secrets
from dataclasses import dataclass
from pathlib import Path
from typing import Literal

# In the folder of an installation, until its first team is made.
FIRST_CODE = "first-code"


def default_var() -> Path:
    return Path(os.environ.get("LAUFTAKT_VAR", Path(__file__).resolve().parents[2] / "var"))


@dataclass(frozen=True)
class NamedLogger:
    """A logger on the network, where it is, and the address of the coach whose team it belongs to (``""``: the only
    team there is)."""

    name: str
    address: str
    whose: str = ""


@dataclass(frozen=True)
class Settings:
    """Where things are.

    ``LAUFTAKT_DATABASE_URL``, ``LAUFTAKT_BROKER_URL`` (default: the database), ``LAUFTAKT_VAR`` (folder for files),
    ``LAUFTAKT_SECRET`` (signs cookies and links; default: made once and kept in the folder), ``LAUFTAKT_HTTPS`` = 1
    where the application is served over HTTPS, ``LAUFTAKT_UPLOAD_MB`` the largest file, ``LAUFTAKT_PUBLIC_URL`` the
    address that phones reach, ``LAUFTAKT_LOGGERS`` loggers on the network as ``name=http://host:port for ADDRESS`` by
    commas, ``LAUFTAKT_STREAM_PORT`` the UDP port for a simulator's stream (0: none), ``LAUFTAKT_STREAM_HOST`` the
    address it is listened on (default: this machine only) and ``LAUFTAKT_STREAM_FOR`` whose it is, ``LAUFTAKT_WATCH``
    a folder to watch and ``LAUFTAKT_WATCH_FOR`` whose. A logger, the stream and the folder belong to the team of the
    coach who signs in with the address; where none is named, to the only team there is, with several to none.
    ``LAUFTAKT_BACKUPS`` = 1 where backups are made every night;
    ``LAUFTAKT_PROXIES`` how many proxies stand before the server, whose word on where a request comes from is taken.
    """

    database_url: str
    broker_url: str
    var: Path
    secret: str
    https: bool
    upload_mb: int
    public_url: str = ""
    loggers: tuple[NamedLogger, ...] = ()
    stream_port: int = 0
    stream_host: str = "127.0.0.1"
    stream_for: str = ""
    watch: Path | None = None
    watch_for: str = ""
    backups: bool = False
    proxies: int = 0

    @property
    def inbox(self) -> Path:
        """Files handed in that wait for their import."""
        return self.var / "inbox"

    @property
    def first_code(self) -> Path:
        """The one-time code that opens the first page of an installation; there until its first team is made."""
        return self.var / FIRST_CODE

    @property
    def backup_folder(self) -> Path:
        """Where the backups of every night are."""
        return self.var / "backup"

    @property
    def exports(self) -> Path:
        """Archives that were asked for and wait to be taken."""
        return self.var / "exports"


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
        public_url=os.environ.get("LAUFTAKT_PUBLIC_URL", "").rstrip("/"),
        loggers=_loggers(os.environ.get("LAUFTAKT_LOGGERS", "")),
        stream_port=int(os.environ.get("LAUFTAKT_STREAM_PORT", "0")),
        stream_host=os.environ.get("LAUFTAKT_STREAM_HOST", "127.0.0.1"),
        stream_for=os.environ.get("LAUFTAKT_STREAM_FOR", ""),
        watch=Path(os.environ["LAUFTAKT_WATCH"]) if os.environ.get("LAUFTAKT_WATCH") else None,
        watch_for=os.environ.get("LAUFTAKT_WATCH_FOR", ""),
        backups=os.environ.get("LAUFTAKT_BACKUPS") == "1",
        proxies=int(os.environ.get("LAUFTAKT_PROXIES", "0")),
    )


def _loggers(text: str) -> tuple[NamedLogger, ...]:
    found = []
    for item in text.split(","):
        name, _, rest = item.strip().partition("=")
        address, _, whose = rest.partition(" for ")
        if address.startswith(("http://", "https://")):
            found.append(NamedLogger(name.strip(), address.strip().rstrip("/"), whose.strip()))
        elif item.strip():
            raise RuntimeError(f"LAUFTAKT_LOGGERS: “{item.strip()}” is not name=http://host:port for ADDRESS.")
    return tuple(found)


def import_seconds() -> float:
    """The longest that one import may take, ``LAUFTAKT_IMPORT_SECONDS``."""
    return float(os.environ.get("LAUFTAKT_IMPORT_SECONDS", "600"))


def analyse_seconds() -> float:
    """The longest that ``lauftakt analyse`` may take, ``LAUFTAKT_ANALYSE_SECONDS``."""
    return float(os.environ.get("LAUFTAKT_ANALYSE_SECONDS", "1200"))


def import_megabytes() -> int:
    """Address space of a worker process, ``LAUFTAKT_IMPORT_MB``; 0 for no limit."""
    return int(os.environ.get("LAUFTAKT_IMPORT_MB", "8000"))


def worker_megabytes() -> int:
    """After a job that needed more, a worker's process is replaced by a fresh one, ``LAUFTAKT_WORKER_MB``."""
    return int(os.environ.get("LAUFTAKT_WORKER_MB", "700"))


def database_seconds() -> float:
    """How long a request waits for a database that stands still, ``LAUFTAKT_DATABASE_S``; longer than one row is waited
    for that somebody else has locked."""
    return float(os.environ.get("LAUFTAKT_DATABASE_S", "60"))


def archive_megabytes() -> int:
    """To how much one archive may unpack, ``LAUFTAKT_ARCHIVE_MB``."""
    return int(os.environ.get("LAUFTAKT_ARCHIVE_MB", "4000"))


def open_uploads(whose: Literal["giver", "team"]) -> tuple[int, int]:
    """How many files, and how many megabytes, may be on their way at once: of one giver, ``LAUFTAKT_OPEN_FILES`` and
    ``LAUFTAKT_OPEN_MB``, and of a team, five times as many."""
    times = 1 if whose == "giver" else 5
    files, megabytes = os.environ.get("LAUFTAKT_OPEN_FILES", "60"), os.environ.get("LAUFTAKT_OPEN_MB", "4000")
    return times * int(files), times * int(megabytes)


# Hours after which goes for good what nobody needs any more: what was removed, analyses that were replaced, archives.
KEPT_HOURS = {"removed": 720.0, "replaced": 12.0, "exports": 24.0}


def kept_hours(what: Literal["removed", "replaced", "exports"]) -> float:
    """How long something is kept, ``LAUFTAKT_KEEP_REMOVED_HOURS`` and so on."""
    return float(os.environ.get(f"LAUFTAKT_KEEP_{what.upper()}_HOURS", KEPT_HOURS[what]))


def reserve_megabytes() -> int:
    """What uploads, imports and other work leave free on the disks of the data, ``LAUFTAKT_RESERVE_MB``: the database
    must be able to go on writing."""
    return int(os.environ.get("LAUFTAKT_RESERVE_MB", "500"))


def _kept_secret(path: Path) -> str:
    try:
        with open(path, "x", opener=lambda name, flags: os.open(name, flags, 0o600)) as file:
            file.write(secrets.token_hex(32))
    except FileExistsError:
        pass
    return path.read_text().strip()
