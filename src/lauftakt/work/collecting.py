"""What goes on by itself beside the workers: the watched folder and the recorder of a simulator's stream."""

import hashlib
import logging
import socket
import threading
import time
from dataclasses import dataclass, field
from pathlib import Path

from lauftakt.formats.packets import Sample, decode
from lauftakt.settings import Settings
from lauftakt.store.accounts import team_for
from lauftakt.store.database import Database, mine, now
from lauftakt.store.models import LiveStream, WatchedFile
from lauftakt.work.intake import LOG_ENDINGS, Giver, take_in
from lauftakt.work.queue import send
from lauftakt.work.recording import Recorder, left_over

log = logging.getLogger(__name__)

LOOK_S = 2.0
MOST_FILES = 5000
MOST_DEEP = 3


@dataclass
class Watch:
    """A folder on this machine whose files are taken in; a folder in it names the driver of its files.

    A file is taken once it has not changed between two looks, and not again unless it changes. Links that lead out of
    the folder are not followed. Files stay where they are.
    """

    folder: Path
    team_id: int
    whose: str = ""
    _seen: dict[Path, tuple[int, int]] = field(default_factory=dict)

    def look(self, database: Database, inbox: Path) -> list[int]:
        """Take what is new and complete; returns the ids of its jobs."""
        with database.begin() as session:
            if team_for(session, self.whose) != self.team_id:
                return []  # the coach left, or the team was removed
        jobs: list[int] = []
        present: dict[Path, tuple[int, int]] = {}
        root = self.folder.resolve()
        for path in sorted(root.rglob("*"))[:MOST_FILES]:
            inside = path.relative_to(root)
            if (
                path.suffix.lower() not in LOG_ENDINGS
                or len(inside.parts) > MOST_DEEP
                or any(part.startswith(".") for part in inside.parts)
                or not path.is_file()
                or not path.resolve().is_relative_to(root)
            ):
                continue
            facts = path.stat()
            present[path] = (facts.st_size, facts.st_mtime_ns)
            if facts.st_size == 0 or self._seen.get(path) != present[path]:
                continue
            key = hashlib.sha256(f"{inside}\n{facts.st_size}\n{facts.st_mtime_ns}".encode()).hexdigest()
            with database.begin() as session:
                if session.scalar(mine(WatchedFile, self.team_id).where(WatchedFile.key == key)) is not None:
                    continue
            driver = inside.parts[0] if len(inside.parts) > 1 else None
            giver = Giver(self.team_id, "folder", driver_name=driver, origin=str(inside))
            _, job_id = take_in(database, inbox, giver, path.name, path, move=False)
            with database.begin() as session:
                session.add(WatchedFile(team_id=self.team_id, key=key, taken_at=now()))
            jobs.append(job_id)
        self._seen = present
        return jobs


def watch_of(database: Database, settings: Settings) -> Watch | None:
    """The watched folder as the administrator switched it on; None where they did not, or not so that it can work."""
    if settings.watch is None:
        return None
    if not settings.watch.is_dir():
        log.error("LAUFTAKT_WATCH: %s is no folder; nothing is watched.", settings.watch)
        return None
    with database.begin() as session:
        team_id = team_for(session, settings.watch_for)
    if team_id is None:
        log.error("LAUFTAKT_WATCH_FOR: no coach has the address “%s”; nothing is watched.", settings.watch_for)
        return None
    return Watch(settings.watch, team_id, settings.watch_for)


class StreamKeeper:
    """Listens while the team wants it that the stream belongs to, and tells the table what it hears."""

    def __init__(self, database: Database, settings: Settings) -> None:
        self.database, self.settings = database, settings
        self.folder = settings.var / "stream"
        self.team_id: int | None = None
        self.recorder: Recorder | None = None
        self.socket: socket.socket | None = None
        self._told: tuple[object, ...] = ()

    def step(self, wait_s: float) -> list[int]:
        """Follow the switch, listen for a while, hand in what ended; returns the ids of jobs."""
        with self.database.begin() as session:
            whose = team_for(session, self.settings.stream_for)
            query = mine(LiveStream, whose or 0).where(LiveStream.wanted.is_(True))
            wanted = session.scalar(query.order_by(LiveStream.id).limit(1))
        if wanted is None or wanted.team_id != self.team_id:
            self._close("off")
        if wanted is not None and self.socket is None:
            self._open(wanted)
        elif wanted is not None and self.recorder is not None:
            self.recorder.driver = wanted.driver_name
        self._listen(wait_s)
        jobs = self._hand_in()
        if self.team_id is not None and self.recorder is not None and self.socket is not None:
            self._tell(self.recorder.state, None)
        return jobs

    def _open(self, row: LiveStream) -> None:
        self.team_id = row.team_id
        self.folder = self.settings.var / "stream" / str(row.team_id)
        self.recorder = Recorder(self.folder, driver=row.driver_name)
        if self.folder.is_dir():
            self.recorder.finished += left_over(self.folder)
        own = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        try:
            own.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, 1 << 21)
            own.bind((self.settings.stream_host, self.settings.stream_port))
        except OSError as error:
            own.close()
            self._tell("trouble", f"Port {self.settings.stream_port} cannot be listened on: {error.strerror}.")
            return
        self.socket = own

    def _close(self, state: str) -> None:
        if self.socket is None:
            return
        self.socket.close()
        self.socket = None
        if self.recorder is not None:
            self.recorder.end()
            self._hand_in_and_send()
        self._tell(state, None)
        self.team_id, self.recorder, self._told = None, None, ()

    def close(self) -> None:
        """Stop listening; what was recorded is handed in."""
        self._close("off")

    def _listen(self, wait_s: float) -> None:
        until = time.monotonic() + wait_s
        if self.socket is None or self.recorder is None:
            time.sleep(wait_s)
            return
        while (left := until - time.monotonic()) > 0:
            self.socket.settimeout(left)
            try:
                found = decode(self.socket.recv(2048))
            except TimeoutError:
                break
            if isinstance(found, Sample):
                self.recorder.take(found, time.monotonic())
            elif found is not None:
                self.recorder.label(found[1])
        self.recorder.tick(time.monotonic())

    def _hand_in(self) -> list[int]:
        jobs: list[int] = []
        if self.recorder is None or self.team_id is None:
            return jobs
        while self.recorder.finished:
            path = self.recorder.finished[0]
            giver = Giver(self.team_id, "stream", origin="simulator")
            _, job_id = take_in(self.database, self.settings.inbox, giver, path.name, path, move=True)
            self.recorder.finished.pop(0)
            jobs.append(job_id)
        return jobs

    def _hand_in_and_send(self) -> None:
        send(self._hand_in())

    def _tell(self, state: str, message: str | None) -> None:
        recorder = self.recorder
        laps = [[number, time] for number, time in recorder.laps] if recorder else []
        packets, lost = (recorder.packets, recorder.lost) if recorder else (0, 0)
        told = (state, message, len(laps), packets // 50, lost)
        if self.team_id is None or told == self._told:
            return
        self._told = told
        with self.database.begin() as session:
            row = session.scalar(mine(LiveStream, self.team_id))
            if row is not None:
                row.state, row.message, row.laps, row.packets, row.lost = state, message, laps, packets, lost
                row.heard_at = now() if packets else row.heard_at


def collect(database: Database, settings: Settings, stopping: threading.Event) -> None:
    """Watch and record until asked to stop; a trouble is logged and tried again."""
    watch = watch_of(database, settings)
    keeper = StreamKeeper(database, settings) if settings.stream_port else None
    looked = 0.0
    while not stopping.is_set():
        try:
            jobs: list[int] = []
            if watch is not None and time.monotonic() - looked > LOOK_S:
                looked = time.monotonic()
                jobs += watch.look(database, settings.inbox)
            if keeper is not None:
                jobs += keeper.step(0.4)
            else:
                stopping.wait(0.5)
            send(jobs)
        except Exception:
            log.exception("Collecting failed and will be tried again.")
            stopping.wait(3.0)
    if keeper is not None:
        keeper.close()
