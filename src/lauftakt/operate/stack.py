"""The whole application on one machine: database, worker, server; started together, kept running, stopped in order."""

import contextlib
import fcntl
import json
import os
import signal
import socket
import ssl
import subprocess
import sys
import time
import urllib.request
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import IO

from lauftakt.operate.certificate import lan_address, make_certificate
from lauftakt.operate.dumps import bring_up_to_date
from lauftakt.operate.mariadb import CannotStart, PrivateMariaDB, free_port
from lauftakt.operate.version import note_commit
from lauftakt.operate.watch import Watch
from lauftakt.store.database import Database
from lauftakt.work.children import die_with_parent
from lauftakt.work.open_jobs import begin_anew
from lauftakt.work.renewing import want_all

Say = Callable[[str], None]
LOG_BYTES = 5_000_000
LOOK_S = 0.5
# Whether the certificate for phones still holds is looked at so often: a server may run for longer than it does.
CERTIFICATE_S = 3600.0
# Within this long a server that was started answers.
ANSWERS_WITHIN_S = 90.0
# Ports that may be taken under our hands before we give up, and how many callers wait until they are answered.
PORTS_TRIED, BACKLOG = 5, 2048
# How work is done, and how requests are served, here and wherever else: see lauftakt.web.serving.
WORKED_BY = (
    "--app", "lauftakt.work.queue", "worker", "--loglevel", "WARNING", "--without-gossip", "--without-mingle",
)  # fmt: skip
SERVED_BY = (
    "--worker-class", "lauftakt.web.serving.PatientWorker", "--threads", "32",
    "--worker-connections", "8000", "--timeout", "60",
    "--graceful-timeout", "5", "--log-level", "warning", "--no-control-socket",
)  # fmt: skip


@dataclass(frozen=True)
class How:
    """How an installation runs.

    ``port``: of the server, None for that of the last start; ``lan``: reachable for phones in the local network, over
    HTTPS; ``workers``: how many files are imported at once, 0 where other machines do it; ``servers``: how many
    processes answer requests.
    """

    port: int | None = None
    lan: bool = False
    workers: int = 2
    servers: int = 1


# How long a part may take to end what it is doing.
PATIENCE_S = 20.0


@dataclass
class Part:
    """A program of the stack, in a session of its own, with whatever it starts itself."""

    name: str
    command: list[str]
    environment: dict[str, str]
    var: Path
    inherits: tuple[int, ...] = ()
    process: "subprocess.Popen[bytes]" = field(init=False)

    def __post_init__(self) -> None:
        self._start()

    @property
    def log(self) -> Path:
        """Its own account."""
        return self.var / f"{self.name}.log"

    def _start(self) -> None:
        rotate(self.log)
        with self.log.open("ab") as log:
            self.process = subprocess.Popen(
                [str(Path(sys.executable).parent / self.command[0]), *self.command[1:]],
                env=self.environment,
                stdout=log,
                stderr=log,
                stdin=subprocess.DEVNULL,
                start_new_session=True,
                preexec_fn=die_with_parent,
                pass_fds=self.inherits,
                cwd=self.var,
            )

    @property
    def has_ended(self) -> bool:
        """Whether it is not there any more."""
        return self.process.poll() is not None

    @property
    def main_process(self) -> int:
        """The number of its main process."""
        return self.process.pid

    def start_again(self) -> None:
        """Start it anew, after what it left running was ended."""
        kill_session(self.process)
        self._start()

    def stop(self) -> None:
        """Ask it to end, wait, and end what is left of it."""
        if not self.has_ended:
            self.process.terminate()
            with contextlib.suppress(subprocess.TimeoutExpired):
                self.process.wait(PATIENCE_S)
        kill_session(self.process)


class Stack:
    """Started once, stopped once; every part runs in a session of its own, so that Ctrl-C reaches only us."""

    def __init__(self, var: Path, how: How | None = None, *, more: dict[str, str] | None = None) -> None:
        """``more``: settings for all parts."""
        self.var, self.how = var.resolve(), how or How()
        self.lan = self.how.lan
        self.more = more or {}
        self.wanted_port = self.how.port
        self.port = 0
        self.mariadb = PrivateMariaDB(self.var / "database")
        self._parts: list[Part] = []
        self._watches: list[Watch] = []
        self.environment: dict[str, str] = {}
        self._lock: IO[str] | None = None
        self._socket: socket.socket | None = None
        self._next_certificate = 0.0

    @property
    def address(self) -> str:
        """Where the application is reached from this machine."""
        return f"{'https' if self.lan else 'http'}://127.0.0.1:{self.port}"

    @property
    def public_address(self) -> str:
        """Where phones reach it; only this machine's own address without ``lan``."""
        return f"https://{lan_address()}:{self.port}" if self.lan else self.address

    def _take(self) -> None:
        """Hold the folder: two stacks on one database would stop each other's."""
        os.umask(0o077)
        self.var.mkdir(parents=True, exist_ok=True)
        # What an older version left open to the machine's other users is closed.
        self.var.chmod(0o700)
        self._lock = (self.var / "lock").open("a+")
        try:
            fcntl.flock(self._lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            self._lock.close()
            self._lock = None
            port = _kept_port(self.var / "port")
            raise CannotStart(
                f"Lauftakt already runs with the data in {self.var}, at http://127.0.0.1:{port}. "
                "Stop it first, or choose another folder with --var."
            ) from None

    def _choose_port(self) -> None:
        """The wanted port, else that of the last start, else any that is free."""
        self.port = self.wanted_port or _kept_port(self.var / "port")
        if not _is_free(self.port, self.lan):
            if self.wanted_port:
                raise CannotStart(
                    f"Port {self.port} is in use. Stop what uses it, or start with another: script/demo --port 0"
                )
            self.port = free_port()

    def _listen(self) -> int:
        """Take the port ourselves and say by which number the server inherits it: a server needs seconds to come up, in
        which somebody else could take a port that was only looked at."""
        for _ in range(PORTS_TRIED):
            self._choose_port()
            taken = socket.socket()
            taken.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                taken.bind((_interface(self.lan), self.port))
                taken.listen(BACKLOG)
            except OSError:
                taken.close()
                continue
            self._socket = taken
            return taken.fileno()
        raise CannotStart("No free port was found to serve at.")

    def start_database(self, say: Say) -> Database:
        """Start MariaDB and bring its tables up to date.

        Raises
        ------
        CannotStart
        """
        self._take()
        self._choose_port()  # a port in use is better told before everything is started
        say("Starting the database …")
        self.mariadb.start()
        self.environment = {
            **os.environ,
            "LAUFTAKT_DATABASE_URL": self.mariadb.url,
            "LAUFTAKT_VAR": str(self.var),
            "PYTHONUNBUFFERED": "1",
            "OPENBLAS_NUM_THREADS": "1",  # both cores are kept busy by two workers
            **self.more,
        }
        os.environ.update({k: self.environment[k] for k in ("LAUFTAKT_DATABASE_URL", "LAUFTAKT_VAR")})
        database = Database(self.mariadb.url)
        bring_up_to_date(database, self.mariadb, self.var / "backup", say)
        note_commit(self.var)
        # Workers find these in the table when they are up; until then the old numbers are shown.
        want_all(database, say)
        # What an earlier start's workers had taken, and what they were in the middle of, begins anew.
        begin_anew(database)
        self._watches = [Watch(self.mariadb)]
        return database

    def start_application(self, say: Say) -> None:
        """Start worker and server and wait until the server answers.

        Raises
        ------
        CannotStart
        """
        say("Starting worker and server …")
        if self.how.workers:
            self._run("worker", ["celery", *WORKED_BY, "--concurrency", str(self.how.workers)])
        listening = self._listen()
        (self.var / "port").write_text(str(self.port))
        secured: list[str] = []
        self.environment["LAUFTAKT_PUBLIC_URL"] = self.public_address
        if self.lan:
            certificate, key = self._certificate()
            secured = ["--certfile", str(certificate), "--keyfile", str(key)]
            self.environment["LAUFTAKT_HTTPS"] = "1"
        self._run("collector", ["lauftakt", "collect"])
        self._run(
            "server",
            [
                "gunicorn", "--bind", f"fd://{listening}",
                "--workers", str(self.how.servers), *secured, *SERVED_BY, "lauftakt.web.serve:app",
            ],
            (listening,),
        )  # fmt: skip
        patience = time.monotonic() + ANSWERS_WITHIN_S
        while time.monotonic() < patience:
            self.check()
            try:
                # Our own certificate, asked over loopback: only whether the server answers matters here.
                trust = ssl._create_unverified_context() if self.lan else None  # noqa: S323
                with urllib.request.urlopen(self.address + "/api/session", timeout=2, context=trust) as answer:
                    json.load(answer)
                    return
            except OSError:
                time.sleep(0.1)
        raise CannotStart(f"The server does not answer; its own account is in {self.var / 'server.log'}.")

    def _run(self, name: str, command: list[str], inherits: tuple[int, ...] = ()) -> None:
        part = Part(name, command, self.environment, self.var, inherits)
        self._parts.append(part)
        self._watches.append(Watch(part))

    def check(self) -> None:
        """Raise CannotStart where a part has ended by itself."""
        for part in self._parts:
            if part.has_ended:
                raise CannotStart(f"The {part.name} stopped by itself; its own account is in {part.log}.")

    def _certificate(self) -> tuple[Path, Path]:
        self._next_certificate = time.monotonic() + CERTIFICATE_S
        return make_certificate(self.var / "certificate", [lan_address(), "127.0.0.1"])

    def _renew_certificate(self, say: Say) -> None:
        """Make another one where the present one ends soon; the server takes it over by itself."""
        before = self.var / "certificate" / "certificate.pem"
        made = before.stat().st_mtime_ns if before.exists() else 0
        try:
            self._certificate()
        except OSError as error:
            say(f"The certificate for phones could not be made, and is tried again in an hour: {error}")
            return
        if before.stat().st_mtime_ns != made:
            say("The certificate for phones was made anew: each phone has to accept it once.")

    def watch(self, say: Say) -> None:
        """Start again what ended by itself or stands still, the database first."""
        if self.lan and self._next_certificate and time.monotonic() > self._next_certificate:
            self._renew_certificate(say)
        for watch in self._watches:
            if not watch.look(say) and watch.part is self.mariadb:
                return  # nothing else can run well without it

    def keep(self, say: Say) -> None:
        """Keep everything running until interrupted."""
        while True:
            time.sleep(LOOK_S)
            self.watch(say)

    def stop(self, say: Say = lambda _: None) -> None:
        """Stop the server, then what collects, then the workers, then the database: each is gone before the next is
        asked, so that nobody hands in what nobody takes."""
        if self._socket is not None:
            self._socket.close()
            self._socket = None
        while self._parts:
            part = self._parts[-1]
            if not part.has_ended:
                say(f"Stopping the {part.name} …")
            part.stop()
            self._parts.pop()
        self._watches.clear()
        if self._lock is not None:
            say("Stopping the database …")
            self.mariadb.stop()
            self._lock.close()
            self._lock = None


def rotate(path: Path, most: int = LOG_BYTES) -> None:
    """Set a log aside that has grown too long; two older ones stay."""
    try:
        if path.stat().st_size < most:
            return
    except OSError:
        return
    for older, newer in ((path.with_suffix(".log.2"), path.with_suffix(".log.1")), (path.with_suffix(".log.1"), path)):
        if newer.exists():
            # Copied and emptied, since a running part goes on writing to the file that it opened.
            older.write_bytes(newer.read_bytes())
            os.truncate(newer, 0)


def kill_session(process: "subprocess.Popen[bytes]") -> None:
    """End a program and whatever it started, also where it is gone itself, so that nothing of it holds on to a port."""
    with contextlib.suppress(ProcessLookupError):
        os.killpg(process.pid, signal.SIGKILL)
    process.wait()


def _is_free(port: int, everywhere: bool = False) -> bool:
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind((_interface(everywhere), port))
        except OSError:
            return False
    return True


def _interface(everywhere: bool) -> str:
    return "0.0.0.0" if everywhere else "127.0.0.1"  # noqa: S104 (only with --lan)


def _kept_port(path: Path) -> int:
    """The port of the last start, so that addresses that were sent to somebody still work; 8180 at first."""
    try:
        return int(path.read_text())
    except (OSError, ValueError):
        return 8180
