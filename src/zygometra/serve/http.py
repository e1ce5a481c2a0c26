"""The server: requests are taken in whole before a thread sees them; streams have threads of their own.

A connection that sends half a request and waits costs a socket for a while and nothing
else; one that sends more than any form of ours is cut.
"""

from __future__ import annotations

import logging
import resource
from io import BytesIO
from pathlib import Path
from typing import Any

from cryptography.hazmat.primitives.serialization import load_pem_private_key
from cryptography.x509 import load_pem_x509_certificates
from twisted.internet import reactor as _reactor
from twisted.internet.error import CannotListenError
from twisted.internet.ssl import CertificateOptions, TLSVersion
from twisted.internet.threads import deferToThread
from twisted.logger import globalLogPublisher
from twisted.python.threadpool import ThreadPool
from twisted.web.http import HTTPChannel
from twisted.web.resource import Resource
from twisted.web.server import NOT_DONE_YET, Request, Site
from twisted.web.wsgi import WSGIResource

from .log import came_through

reactor: Any = _reactor

THREADS = 6
"""That answer pages, in one process."""

STREAMS = 8
"""Event streams that one process holds open at most; the next page that asks is told to poll."""

STREAMED = b"/streams/"
"""Under which addresses streams lie."""

# A request must be there whole within so many seconds; an idle connection may wait for so long.
_WHOLE_WITHIN, _IDLE = 30.0, 60.0
_MOST_CONNECTIONS = 2000
# More than the application takes of a form (a table of parts is the largest): beyond this nothing is kept,
# and it says so itself. What is larger than 100 kB lies in a file meanwhile.
_MOST_KEPT, _MOST_SENT = 24_500_000, 64_000_000


# What the head of a request may be, in bytes.
_MOST_HEAD = 16_000
_TOO_LARGE = (
    b"The head of that request is larger than 16 kB: shorten the address, or clear this site's cookies.\n"
)
# What ships with the program, answered while pages wait for a database.
_ASSETS, _ASSET_THREADS = b"/static/", 2


class _Channel(HTTPChannel):
    """A connection whose requests must arrive whole in time."""

    _deadline: Any = None
    _head = 0
    # What comes after is counted by us, and answered.
    totalHeadersSize = 1 << 20

    def lineReceived(self, line: bytes) -> None:
        """Take a line of a request's head; the clock runs from the first."""
        if self._deadline is None:
            self._deadline = reactor.callLater(_WHOLE_WITHIN, self._cut)
            self._head = 0
        self._head += len(line)
        if self._head > _MOST_HEAD:
            self.lineLengthExceeded(line)
            return
        super().lineReceived(line)

    def lineLengthExceeded(self, line: bytes) -> None:  # noqa: ARG002 - its name and shape are Twisted's
        """Refuse a head that is larger than any of ours, in words, and close."""
        self.transport.write(
            b"HTTP/1.1 431 Request Header Fields Too Large\r\nConnection: close\r\n"
            b"Content-Type: text/plain; charset=utf-8\r\nContent-Length: %d\r\n\r\n%s"
            % (len(_TOO_LARGE), _TOO_LARGE)
        )
        self.loseConnection()

    def allContentReceived(self) -> None:
        """Take note that the request is there."""
        self._at_ease()
        super().allContentReceived()

    def connectionLost(self, reason: Any) -> None:
        """Forget the clock with the connection."""
        self._at_ease()
        self.site.open.pop(self, None)
        super().connectionLost(reason)

    @property
    def is_waiting(self) -> bool:
        """True while there is no whole request on it to be answered."""
        return self._deadline is not None or not self.requests

    def _at_ease(self) -> None:
        if self._deadline is not None and self._deadline.active():
            self._deadline.cancel()
        self._deadline = None

    def _cut(self) -> None:
        self._deadline = None
        self.forceAbortClient()


class _Request(Request):
    """A request of which no more is kept than a form of ours can be."""

    _sent, _left = 0, _MOST_KEPT

    def gotLength(self, length: int | None) -> None:
        """Make room for what is announced; for too much none: the application refuses it by its length."""
        if length is not None and length > _MOST_KEPT:
            self.content = BytesIO()
            self._left = 0
        else:
            super().gotLength(length)

    def handleContentChunk(self, data: bytes) -> None:
        """Take a piece of the body."""
        self._sent += len(data)
        if self._sent <= self._left:
            super().handleContentChunk(data)
        elif self._sent > _MOST_SENT:
            self.channel.forceAbortClient()

    def process(self) -> None:
        """Answer, and do not say by what program."""
        super().process()
        self.responseHeaders.removeHeader(b"server")


class _Front(Resource):
    """Pages on the threads of pages, streams on those of streams while there are any free."""

    isLeaf = True

    def __init__(self, app: Any, pages: ThreadPool, streams: ThreadPool, assets: ThreadPool) -> None:
        super().__init__()
        self._assets = WSGIResource(reactor, assets, app)
        self._pages = WSGIResource(reactor, pages, app)
        self._streams = WSGIResource(reactor, streams, app)
        self._open: set[Any] = set()

    def render(self, request: Request) -> Any:
        """Hand a request to the application."""
        if request.path.startswith(_ASSETS):
            return self._assets.render(request)
        if not request.path.startswith(STREAMED):
            return self._pages.render(request)
        if len(self._open) >= STREAMS:
            request.setResponseCode(503)
            request.setHeader(b"Retry-After", b"15")
            request.setHeader(b"Content-Type", b"text/plain; charset=utf-8")
            return b"Every stream of this process is taken: ask now and then instead.\n"
        self._open.add(request)
        request.notifyFinish().addBoth(lambda _: self._open.discard(request))
        self._streams.render(request)
        return NOT_DONE_YET

    def end_streams(self) -> None:
        """Cut the streams: each ends at its next word."""
        for request in tuple(self._open):
            request.channel.forceAbortClient()


class _Site(Site):
    """The door: so many connections at most, each of which must send whole requests in time."""

    protocol = _Channel
    noisy = False

    def __init__(self, front: _Front) -> None:
        super().__init__(front, requestFactory=_Request, timeout=_IDLE)
        # In the order in which they came.
        self.open: dict[Any, None] = {}

    def buildProtocol(self, address: Any) -> Any:
        """Take a connection; where there are too many, the one that has waited longest makes room."""
        if len(self.open) >= _MOST_CONNECTIONS and not self._make_room():
            return None
        channel = super().buildProtocol(address)
        self.open[channel] = None
        return channel

    def _make_room(self) -> bool:
        """Close the oldest connection on which nothing is being answered; False where all are busy."""
        oldest = next((channel for channel in self.open if channel.is_waiting), None)
        if oldest is None:
            return False
        del self.open[oldest]
        oldest.forceAbortClient()
        return True

    def log(self, request: Any) -> None:
        """Keep no log of requests: the application keeps its own."""


def _tell(event: Any) -> None:
    """Log what the server could not answer: by its kind and place, without its words."""
    if (failure := event.get("log_failure")) is not None:
        logging.getLogger("zygometra").error("server: %s", came_through(failure.value))


globalLogPublisher.addObserver(_tell)


class Server:
    """The application behind a listening port, on the process's one reactor.

    Parameters
    ----------
    app : callable
        A WSGI application.
    listen : str
        An address of this machine.
    port : int
        0 takes one that is free.
    certificate, key : Path, optional
        For TLS.

    Raises
    ------
    OSError
        If the port is taken.
    ValueError
        If certificate or key cannot be read as such.
    """

    def __init__(
        self,
        app: Any,
        *,
        listen: str = "127.0.0.1",
        port: int = 0,
        certificate: Path | None = None,
        key: Path | None = None,
    ) -> None:
        _allow_files()
        self._pools = (
            ThreadPool(THREADS, THREADS, "pages"),
            ThreadPool(0, STREAMS, "streams"),
            ThreadPool(1, _ASSET_THREADS, "assets"),
        )
        self._front = _Front(app, *self._pools)
        site = _Site(self._front)
        try:
            if certificate is None or key is None:
                self._port = reactor.listenTCP(port, site, interface=listen, backlog=511)
            else:
                self._port = reactor.listenSSL(
                    port, site, tls_of(certificate, key), interface=listen, backlog=511
                )
        except CannotListenError as error:
            raise OSError(str(error)) from None
        for pool in self._pools:
            pool.start()

    @property
    def port(self) -> int:
        """Where it listens."""
        number: int = self._port.getHost().port
        return number

    def run(self) -> None:
        """Serve until the process is told to stop; requests under way are finished."""
        reactor.addSystemEventTrigger("before", "shutdown", self.close)
        reactor.run()

    def close(self) -> Any:
        """Listen no more, finish what is under way, and give the threads back; a Deferred says when."""
        self._port.stopListening()
        self._front.end_streams()
        # Not on the reactor's own thread: what is under way still writes through it.
        return deferToThread(self._end_threads)

    def _end_threads(self) -> None:
        for pool in self._pools:
            pool.stop()


def tls_of(certificate: Path, key: Path) -> CertificateOptions:
    """Return how connections are encrypted: TLS 1.2 or newer, with a certificate and its chain.

    Parameters
    ----------
    certificate, key : Path
        PEM files.

    Raises
    ------
    ValueError
        With a sentence, if they cannot be read or do not belong together.
    """
    try:
        first, *chain = load_pem_x509_certificates(certificate.read_bytes())
        own = load_pem_private_key(key.read_bytes(), password=None)
        made = CertificateOptions(own, first, extraCertChain=chain, raiseMinimumTo=TLSVersion.TLSv1_2)
        made.getContext().check_privatekey()
    except Exception:
        raise ValueError(
            f"Found no certificate in {certificate} with its key in {key}; wanted two PEM files that belong"
            " together, the key without a password."
        ) from None
    return made


def _allow_files() -> None:
    """Let the process hold as many sockets as it may take connections."""
    soft, hard = resource.getrlimit(resource.RLIMIT_NOFILE)
    wanted = 2 * _MOST_CONNECTIONS + 200
    if soft < wanted:
        resource.setrlimit(resource.RLIMIT_NOFILE, (wanted if hard < 0 else min(wanted, hard), hard))
