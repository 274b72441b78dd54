"""How requests are served: gunicorn's threads, kept from those who send slowly or never.

A thread is given to a request only when its head has arrived, and its body where it is small; a larger body has to come
at a least rate, and only so many may be on their way at once (:class:`lauftakt.web.limits.BodiesAtOnce`). So neither
connections that say nothing, nor bodies that never come, keep the threads from everybody else. Behind a proxy that
collects bodies itself this costs nothing and changes nothing.
"""

import errno
import os
import re
import resource
import selectors
import socket
import ssl
import struct
import time
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any

from gunicorn.http import get_parser
from gunicorn.sock import ssl_context
from gunicorn.workers.gthread import TConn, ThreadWorker
from werkzeug.exceptions import RequestTimeout

# A head has to come whole within this time.
HEAD_S = 10.0
# More than any browser sends as a head, and most forms with it; what is longer is not waited for in the kernel.
LONGEST_HEAD = 64 * 1024
_LENGTH = re.compile(rb"\r\ncontent-length:[ \t]*(\d{1,9})[ \t]*\r\n", re.IGNORECASE)
# How long somebody who was answered may still send.
LINGER_S = 2.0
# How long a thread waits for the rest of a body that nobody read.
UNWANTED_S = 0.05
ACCEPTED_AT_ONCE = 64
# Looks at heads that arrive in drops.
LOOK_S = 0.1
# Whether there is another certificate is looked at so often.
CERTIFICATE_S = 10.0
# A body may take this long, and so much longer for what arrived of it: a phone at the far end of a paddock is quicker.
BODY_S, BODY_BYTES_A_S = float(os.environ.get("LAUFTAKT_BODY_S", "20")), 8_000
# No single wait is longer, in either direction.
SILENCE_S = 20.0


def _is_done(sock: socket.socket) -> bool:
    """Whether the other side has closed a connection; what it still sent is thrown away."""
    try:
        return not sock.recv(LONGEST_HEAD)
    except (BlockingIOError, ssl.SSLWantReadError):
        return False
    except OSError:
        return True


class _Patience:
    """Reads a connection as long as it keeps to the rate; stands where gunicorn reads the socket."""

    def __init__(self, sock: socket.socket, read: Callable[..., bytes]) -> None:
        self._sock, self._read = sock, read
        self.begin()

    def begin(self) -> None:
        """A new request begins."""
        self._started, self._came = time.monotonic(), 0

    def chunk(self, size_hint: int | None = None) -> bytes:
        """What arrives next.

        Raises
        ------
        werkzeug.exceptions.RequestTimeout
        """
        left = self._started + BODY_S + self._came / BODY_BYTES_A_S - time.monotonic()
        if left <= 0:
            raise RequestTimeout
        before = self._sock.gettimeout()
        self._sock.settimeout(min(left, SILENCE_S, before if before is not None else SILENCE_S))
        try:
            data = self._read(size_hint)
        except TimeoutError as error:
            raise RequestTimeout from error
        finally:
            self._sock.settimeout(before)
        self._came += len(data)
        return data


def _is_whole(data: bytes) -> bool:
    """Whether what came is a request's head, with its body where that is small."""
    if len(data) >= LONGEST_HEAD:
        return True
    head, end, body = data.partition(b"\r\n\r\n")
    if not end:
        return False
    length = _LENGTH.search(head + b"\r\n")
    wanted = int(length[1]) if length and b"\r\nexpect:" not in head.lower() else 0
    return len(body) >= wanted or len(head) + len(end) + wanted > LONGEST_HEAD // 2


class PatientConnection(TConn):
    """A connection whose requests have to arrive at a least rate."""

    sock: socket.socket
    patience: _Patience | None = None
    linger: "Callable[[socket.socket], None] | None" = None
    context: ssl.SSLContext | None = None

    def init(self) -> None:
        """Begin to read it."""
        began = self.initialized
        super().init()
        if not began and not self.is_http2:
            self._be_patient()

    def _be_patient(self) -> None:
        unreader = self.parser.unreader
        self.patience = _Patience(self.sock, unreader.chunk)
        unreader.chunk = self.patience.chunk

    def close(self, graceful: bool = False) -> None:
        """Close it. The other side has to read the answer before what it still sends is refused, which nobody waits for
        here: gunicorn would, up to two seconds for each, while nobody else is let in."""
        if not graceful or self.linger is None:
            super().close()
            return
        try:
            self.sock.shutdown(socket.SHUT_WR)
            self.sock.setblocking(False)
        except OSError:
            super().close()
            return
        self.linger(self.sock)

    def is_there(self) -> bool | None:
        """Whether a request's head is there, with its body where that is small; None where the other side left."""
        if self.context is not None:
            return self._is_there_behind_tls(self.context)
        if self.initialized and self.parser.unreader.buf.getvalue():
            return True
        try:
            data = self.sock.recv(LONGEST_HEAD, socket.MSG_PEEK | socket.MSG_DONTWAIT)
        except BlockingIOError:
            return False
        except (OSError, ValueError):
            return None
        return _is_whole(data) if data else None

    def _is_there_behind_tls(self, context: ssl.SSLContext) -> bool | None:
        """The same of a connection that is encrypted: hands are shaken and what comes is collected without a thread."""
        left = False
        try:
            if not self.initialized:
                self._shake_hands(context)
            came = self.parser.unreader.buf
            came.seek(0, os.SEEK_END)
            while not left and came.tell() < LONGEST_HEAD:
                data = self.sock.recv(LONGEST_HEAD)
                came.write(data)
                left = not data
        except (ssl.SSLWantReadError, ssl.SSLWantWriteError, BlockingIOError):
            pass  # more is to come
        except (OSError, ValueError):
            return None
        whole = self.initialized and _is_whole(self.parser.unreader.buf.getvalue())
        return whole or (None if left else False)

    def _shake_hands(self, context: ssl.SSLContext) -> None:
        if not isinstance(self.sock, ssl.SSLSocket):
            self.sock = context.wrap_socket(self.sock, server_side=True, do_handshake_on_connect=False)
        self.sock.do_handshake()
        self.initialized = True
        self.parser = get_parser(self.cfg, self.sock, self.client)
        self._be_patient()


class PatientWorker(ThreadWorker):
    """Gunicorn's threads, with heads waited for outside of them."""

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        # Connections of which a part of a head came, with the moment until which the rest has to.
        self._dripping: dict[PatientConnection, float] = {}
        self._next_look = 0.0
        # Connections that were answered and are closed as soon as the other side is done, or at a moment.
        self._lingering: dict[socket.socket, float] = {}
        self._context = ssl_context(self.cfg) if self.cfg.is_ssl else None
        self._certificate, self._next_certificate = self._certificate_state(), 0.0

    def accept(self, listener: socket.socket) -> None:
        """Take the connections that are there and wait for what they say without a thread."""
        for _ in range(ACCEPTED_AT_ONCE):
            try:
                sock, client = listener.accept()
            except (BlockingIOError, ConnectionAbortedError):
                return
            except OSError as error:
                if error.errno not in (errno.EMFILE, errno.ENFILE) or not self.pending_conns:
                    raise
                # So many stand still that no more can be taken: who waits longest makes room.
                self._drop(self.pending_conns[0])
                return
            # A reader that stands still does not hold a thread for good.
            wait = struct.pack("ll", int(SILENCE_S), 0)
            sock.setsockopt(socket.SOL_SOCKET, socket.SO_SNDTIMEO, wait)
            sock.setsockopt(socket.SOL_SOCKET, socket.SO_RCVTIMEO, wait)
            self.nr_conns += 1
            conn = PatientConnection(self.cfg, sock, client, listener.getsockname())
            conn.linger, conn.context = self._linger, self._context
            self._wait_for_more(conn, time.monotonic() + HEAD_S)

    def init_process(self) -> None:
        """Begin to serve, with as many open connections as the system allows."""
        _, most = resource.getrlimit(resource.RLIMIT_NOFILE)
        resource.setrlimit(resource.RLIMIT_NOFILE, (most, most))
        super().init_process()

    def _certificate_state(self) -> tuple[int, ...]:
        if self._context is None:
            return ()
        try:
            return tuple(Path(path).stat().st_mtime_ns for path in (self.cfg.certfile, self.cfg.keyfile))
        except OSError:
            return ()  # being replaced just now

    def _look_for_certificate(self) -> None:
        """Take over a certificate that was renewed: who connects from now on is shown it."""
        if self._context is None or time.monotonic() < self._next_certificate:
            return
        self._next_certificate = time.monotonic() + CERTIFICATE_S
        state = self._certificate_state()
        if not state or state == self._certificate:
            return
        try:
            self._context.load_cert_chain(self.cfg.certfile, self.cfg.keyfile)
        except (OSError, ssl.SSLError) as error:
            self.log.warning("The certificate is taken over later: %s", error)  # only one of the two is new yet
            return
        self._certificate = state

    def _drop(self, conn: PatientConnection) -> None:
        self.poller.unregister(conn.sock)
        self.pending_conns.remove(conn)
        self.nr_conns -= 1
        conn.close()

    def _wait_for_more(self, conn: PatientConnection, until: float) -> None:
        conn.sock.setblocking(False)
        conn.timeout = until
        self.pending_conns.append(conn)
        self.poller.register(conn.sock, selectors.EVENT_READ, partial(self.on_pending_socket_readable, conn))

    def on_pending_socket_readable(self, conn: PatientConnection, client: socket.socket) -> None:
        """Something came on a connection that was waited for."""
        self.poller.unregister(client)
        self.pending_conns.remove(conn)
        self._look(conn, conn.timeout)

    def on_client_socket_readable(self, conn: PatientConnection, client: socket.socket) -> None:
        """A next request begins on a connection that was kept."""
        self.poller.unregister(client)
        self.keepalived_conns.remove(conn)
        self._look(conn, time.monotonic() + HEAD_S)

    def _look(self, conn: PatientConnection, until: float) -> None:
        """Give a connection a thread where its request is there; wait for the rest where it is not."""
        there = conn.is_there()
        if there is None or (not there and time.monotonic() > until):
            self.nr_conns -= 1
            conn.close()
        elif there:
            conn.data_ready = True
            if conn.patience is not None:
                conn.patience.begin()
            self.enqueue_req(conn)
        else:
            self._dripping[conn] = until

    def _linger(self, sock: socket.socket) -> None:
        self._lingering[sock] = time.monotonic() + LINGER_S

    def _keepalive_after(self, conn: PatientConnection, keepalive: bool) -> bool:
        """Whether a connection can go on: not where a body that nobody wanted is still on its way."""
        return bool(keepalive and conn.parser.finish_body(deadline=time.monotonic() + UNWANTED_S))

    def handle_error(self, req: Any, client: socket.socket, addr: Any, exc: BaseException) -> None:
        """Say what went wrong to the other side; whoever sent too slowly is not there to be told."""
        if not isinstance(exc, RequestTimeout):
            super().handle_error(req, client, addr, exc)

    def wait_for_and_dispatch_events(self, timeout: float) -> None:
        """Wait for what happens, and look after heads that come in drops and connections that end."""
        self._look_for_certificate()
        busy = self._dripping or self._lingering
        super().wait_for_and_dispatch_events(min(timeout, LOOK_S) if busy else timeout)
        if not busy or time.monotonic() < self._next_look:
            return
        self._next_look = time.monotonic() + LOOK_S
        for sock, end in list(self._lingering.items()):
            if _is_done(sock) or time.monotonic() > end:
                del self._lingering[sock]
                sock.close()
        dripping, self._dripping = self._dripping, {}
        for conn, until in dripping.items():
            self._look(conn, until)
