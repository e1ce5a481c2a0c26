"""The whole process: it starts, answers, and ends when it is told to; and is refused in one sentence."""

from __future__ import annotations

import contextlib
import http.client
import os
import signal
import socket
import subprocess
import sys

import pytest


@pytest.fixture
def process(engine, database_url, tmp_path):
    """Start the process with some words; gives it and its port."""
    started = []

    def start(*words, **environment):
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            port = free.getsockname()[1]
        given = {"DATABASE_URL": database_url, "PYTHONPATH": "src"} | environment
        made = subprocess.Popen(
            [sys.executable, "-m", "zygometra.serve", "--port", str(port), "--var", str(tmp_path), *words],
            stdout=subprocess.PIPE,
            stderr=subprocess.PIPE,
            text=True,
            env={k: v for k, v in os.environ.items() if k != "DATABASE_OWNER_URL"} | given,
        )
        started.append(made)
        return made, port

    yield start
    for made in started:
        if made.poll() is None:
            made.kill()
        made.communicate()


def ask(port, address="/healthz"):
    connection = http.client.HTTPConnection("127.0.0.1", port, timeout=60)
    with contextlib.closing(connection):
        connection.request("GET", address)
        answer = connection.getresponse()
        return answer.status, answer.read().decode()


@pytest.mark.parametrize("told", [signal.SIGTERM, signal.SIGINT])
def test_it_starts_answers_and_ends_when_told(process, tmp_path, told):
    made, port = process()
    assert f"Zygometra is at http://127.0.0.1:{port}/" in made.stdout.readline()
    status, said = ask(port)
    assert status == 200
    assert "guarded by its role" in said
    assert (tmp_path / "server.log").stat().st_mode & 0o077 == 0
    # A connection that is open does not keep it alive.
    with socket.create_connection(("127.0.0.1", port)) as idle:
        idle.sendall(b"GET / HT")
        made.send_signal(told)
        assert made.wait(60) == 0
    log = (tmp_path / "server.log").read_text()
    assert "started port=" in log
    assert "stopped" in log


@pytest.mark.parametrize(
    ("words", "environment", "says"),
    [
        (["--listen", "0.0.0.0"], {}, "without encryption"),
        ([], {"SECRET_KEY": "short"}, "give at least 32"),
        ([], {"DATABASE_URL": "nonsense"}, "no address of a PostgreSQL database"),
        ([], {"DATABASE_URL": "postgresql://x@127.0.0.1:1/x"}, "The database does not answer"),
        (["--certificate", "README.md", "--key", "README.md"], {}, "wanted two PEM files"),
    ],
)
def test_what_cannot_be_is_one_sentence(process, words, environment, says):
    made, _ = process(*words, **environment)
    _, said = made.communicate(timeout=120)
    assert made.returncode == 1
    assert says in said
    assert len(said.strip().splitlines()) == 1
