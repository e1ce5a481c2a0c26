"""A database that swallows what it is sent is given up, whoever asks it."""

from __future__ import annotations

import select
import socket
import threading
import time

import pytest
from sqlalchemy import text
from sqlalchemy.exc import OperationalError

from zygometra.store import database, heads
from zygometra.store.database import open_engine, reading_engine


class Swallowing:
    """A way to the database that passes everything on until it is told to swallow it."""

    def __init__(self, host, port):
        self.there = (host, port)
        self.door = socket.create_server(("127.0.0.1", 0))
        self.port = self.door.getsockname()[1]
        self.swallows = threading.Event()
        threading.Thread(target=self.serve, daemon=True).start()

    def serve(self):
        while True:
            try:
                one, _ = self.door.accept()
            except OSError:
                return
            threading.Thread(target=self.pass_on, args=(one,), daemon=True).start()

    def pass_on(self, one):
        with one, socket.create_connection(self.there) as other:
            while True:
                for ready in select.select([one, other], [], [], 0.2)[0]:
                    data = ready.recv(65536)
                    if not data:
                        return
                    if not self.swallows.is_set():
                        (other if ready is one else one).sendall(data)


@pytest.fixture
def way(engine, monkeypatch):
    """An engine for reading over such a way, with little patience."""
    monkeypatch.setattr(database, "READS_WITHIN", 0.6)
    monkeypatch.setattr(heads, "READS_WITHIN", 0.6)
    swallowing = Swallowing(engine.url.host, engine.url.port)
    used = open_engine(engine.url.set(port=swallowing.port).render_as_string(hide_password=False))
    reads = reading_engine(used)
    yield swallowing, reads
    for one in (used, reads):
        one.dispose()
    swallowing.door.close()


def test_a_statement_that_gets_no_answer_is_given_up(way):
    swallowing, reads = way
    with reads.connect() as connection:
        assert connection.execute(text("SELECT 1")).scalar() == 1
    swallowing.swallows.set()
    began = time.monotonic()
    with pytest.raises(OperationalError, match="did not answer"), reads.connect() as connection:
        connection.execute(text("SELECT 1"))
    assert time.monotonic() - began < 20
    swallowing.swallows.clear()
    with reads.connect() as connection:
        assert connection.execute(text("SELECT 1")).scalar() == 1


def test_so_is_the_question_for_a_head(way):
    swallowing, reads = way
    with pytest.raises(Exception, match="1"):
        heads.head(reads, 1)
    swallowing.swallows.set()
    began = time.monotonic()
    with pytest.raises(OperationalError):
        heads.head(reads, 1)
    assert time.monotonic() - began < 20
