"""Stand-in for a logger on the network: lists recorded runs and serves them, as slow and unreliable as a real one."""

import hashlib
import json
import random
import re
import time
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from urllib.parse import unquote

BLOCK = 32_768


def serve_logger(
    folder: Path,
    host: str,
    port: int,
    *,
    clock_off_s: float = 0.0,
    delay_s: float = 0.0,
    breaks: float = 0.0,
    knows_ranges: bool = True,
    seed: int = 1,
) -> ThreadingHTTPServer:
    """A device that holds the files of a folder; the caller runs ``serve_forever`` and closes it.

    Parameters
    ----------
    folder : whose files are the recorded runs
    host, port : where to listen; port 0 takes any
    clock_off_s : by how much its clock is ahead
    delay_s : before each answer
    breaks : chance that a transfer breaks off after some of it
    knows_ranges : whether it can go on where a transfer broke off
    seed : of the breaks
    """
    chance = random.Random(seed)

    class Device(BaseHTTPRequestHandler):
        protocol_version = "HTTP/1.1"

        def do_GET(self) -> None:
            time.sleep(delay_s)
            if self.path == "/runs":
                self._json(_listing(folder, clock_off_s))
                return
            match = re.fullmatch(r"/runs/([^/]+)", self.path)
            path = _file_of(folder, unquote(match[1])) if match else None
            if path is None:
                self.send_error(404)
                return
            self._file(path)

        def _json(self, found: object) -> None:
            data = json.dumps(found).encode()
            self.send_response(200)
            self.send_header("Content-Type", "application/json")
            self.send_header("Content-Length", str(len(data)))
            self.end_headers()
            self.wfile.write(data)

        def _file(self, path: Path) -> None:
            size, begin = path.stat().st_size, 0
            wanted = re.fullmatch(r"bytes=(\d+)-", self.headers.get("Range", ""))
            if wanted and knows_ranges:
                begin = min(int(wanted[1]), size)
                self.send_response(206)
                self.send_header("Content-Range", f"bytes {begin}-{size - 1}/{size}")
            else:
                self.send_response(200)
            self.send_header("Content-Type", "application/octet-stream")
            self.send_header("Content-Length", str(size - begin))
            self.end_headers()
            until = begin + int((size - begin) * chance.random()) if chance.random() < breaks else size
            with path.open("rb") as file:
                file.seek(begin)
                while begin < until and (block := file.read(min(BLOCK, until - begin))):
                    self.wfile.write(block)
                    begin += len(block)
            if until < size:
                self.close_connection = True  # the radio link is gone

        def log_message(self, *_: object) -> None:
            """A device writes no log to our console."""

    return ThreadingHTTPServer((host, port), Device)


def _files(folder: Path) -> list[Path]:
    return sorted(path for path in folder.iterdir() if path.is_file())


def _file_of(folder: Path, key: str) -> Path | None:
    return next((path for path in _files(folder) if _key(path) == key), None)


def _key(path: Path) -> str:
    return hashlib.sha256(path.name.encode()).hexdigest()[:12]


def _listing(folder: Path, clock_off_s: float) -> dict[str, object]:
    shift = timedelta(seconds=clock_off_s)
    runs = []
    for path in _files(folder):
        with path.open("rb") as file:
            digest = hashlib.file_digest(file, "sha256").hexdigest()
        recorded = datetime.fromtimestamp(path.stat().st_mtime, UTC) + shift
        runs.append(
            {
                "id": _key(path),
                "name": path.name,
                "size": path.stat().st_size,
                "sha256": digest,
                "recorded_at": recorded.isoformat(timespec="seconds"),
            }
        )
    return {"clock": (datetime.now(UTC) + shift).isoformat(), "runs": runs}


def run_logger(
    folder: Path,
    host: str,
    port: int,
    say: Callable[[str], None],
    clock_off_s: float,
    delay_s: float,
    breaks: float,
) -> None:
    """Serve until interrupted."""
    with serve_logger(folder, host, port, clock_off_s=clock_off_s, delay_s=delay_s, breaks=breaks) as server:
        say(f"The stand-in logger holds {len(_files(folder))} runs at http://{host}:{server.server_address[1]}")
        server.serve_forever()
