"""The application behind the server that ./start uses, in a thread of the test's own process."""

from __future__ import annotations

import threading
from contextlib import contextmanager
from functools import cache

from twisted.internet import reactor
from twisted.internet.threads import blockingCallFromThread

from zygometra.serve.http import Server


@cache
def _turning() -> threading.Thread:
    """The one reactor of the process, turning until the process ends."""
    thread = threading.Thread(target=reactor.run, args=(False,), daemon=True)
    ready = threading.Event()
    reactor.callWhenRunning(ready.set)
    thread.start()
    assert ready.wait(10)
    return thread


@contextmanager
def served(app, **options):
    """Serve an application on a port of its own; gives the server."""
    assert _turning().is_alive()
    server = blockingCallFromThread(reactor, lambda: Server(app, **options))
    try:
        yield server
    finally:
        blockingCallFromThread(reactor, server.close)
