"""Server and database killed while people save: nothing acknowledged is lost, and both come back by themselves."""

from __future__ import annotations

import http.client
import os
import random
import signal
import socket
import subprocess
import threading
import time
from pathlib import Path
from urllib.parse import quote

import psycopg
import pytest

from support.user import User

ROOT = Path(__file__).parents[2]
WHOLE = bool(os.environ.get("ZYGOMETRA_ABUSE"))
KILLS, WRITERS = (30, 4) if WHOLE else (2, 2)
# A shared machine may take its time; what is waited for comes in a few seconds.
PATIENCE = 150


@pytest.fixture
def shop(tmp_path):
    """./start with a shop of its own; gives the folder and the port."""
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    # PostgreSQL runs as another user: it must be able to enter.
    tmp_path.chmod(0o755)
    plain = {k: v for k, v in os.environ.items() if k not in ("DATABASE_URL", "DATABASE_OWNER_URL")}
    started = subprocess.Popen(
        [str(ROOT / "start"), "--port", str(port)],
        env=plain | {"ZYGOMETRA_VAR": str(tmp_path)},
        stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL,
    )
    try:
        well(port)
        yield tmp_path, port
    finally:
        started.send_signal(signal.SIGTERM)
        started.wait(60)


def well(port):
    """Wait until the program says that it is well."""
    ends = time.monotonic() + PATIENCE
    while time.monotonic() < ends:
        try:
            if User(port, "").ask("GET", "/healthz")[0] == 200:
                return
        except (OSError, http.client.HTTPException):
            pass
        time.sleep(0.2)
    pytest.fail("it did not come back by itself")


class Writer(threading.Thread):
    """Saves one figure after another, and notes which saves were acknowledged."""

    def __init__(self, port, build):
        super().__init__(daemon=True)
        self.port, self.build, self.stop = port, build, threading.Event()
        self.acknowledged, self.refused, self.faults = [], 0, []
        self.read: list[str] = []

    def take(self, user, number):
        """Send a reading, as the page for a hand at the engine does, until it is acknowledged or refused."""
        key = f"{self.build}-{number}"
        form = {
            "key": key,
            "figure": "chamber_volume",
            "place": "h1",
            "value": f"{52 + number / 10000:.4f} cc",
            "sure": "1",
        }
        at, form = [
            ("measure/read", form),
            ("measure/zero", {"key": key, "do": "new"}),
            ("measure/found", {"key": key, "what": "a pore", "place": "e"}),
            ("measure/steps", {"key": key, "step": "crank|balanced", "place": "e"}),
            ("agreement/ask", {"key": key, "text": "Which gasket is it to be?"}),
        ][number % 5]
        queued = {"HX_Request": "true", "X_Queue": key, "X_Typed_By": quote(user.name)}
        status, _, _ = user.ask("POST", f"/builds/{self.build}/{at}", form, **queued)
        if status == 200 and user.kept == key:
            self.read.append(key)
        elif status not in (200, 409, 503) and not (status == 422 and "steps" in at):
            self.faults.append((at, status))

    def run(self):
        user, number = User(self.port, f"Writer {self.build}", timeout=40), 0
        while not self.stop.is_set():
            try:
                if not user.token:
                    user.sign_in()
                version = self.version(user)
                number += 1
                value = f"{92 + number / 10000:.4f} mm"
                form = {"at": "parts.block.bore", "value": value, "version": version}
                status = user.ask("POST", f"/builds/{self.build}/figure", form)[0]
                if status == 302:
                    self.acknowledged.append(value)
                elif status == 409:
                    self.refused += 1
                elif status != 503:
                    self.faults.append(status)
                self.take(user, number)
            except (OSError, http.client.HTTPException, AssertionError, StopIteration):
                # Killed under us: what was not acknowledged may be there or not.
                time.sleep(0.1)

    def version(self, user):
        status, page, _ = user.ask("GET", f"/builds/{self.build}/figures")
        if status != 200:
            raise StopIteration
        return page.split('name="version" value="')[1].split('"')[0]


def server_of(port):
    """The process that serves a port."""
    for process in Path("/proc").glob("[0-9]*"):
        try:
            words = (process / "cmdline").read_bytes().split(b"\0")
        except OSError:
            continue
        if b"zygometra.serve" in words and str(port).encode() in words:
            return int(process.name)
    return pytest.fail("no server is there to be killed")


def database_of(folder):
    """The process of the database, and where it listens."""
    lines = (folder / "postgres/data/postmaster.pid").read_text().splitlines()
    return int(lines[0]), int(lines[3])


# long: one story: people save, servers die, what was acknowledged is looked for
def test_nothing_that_was_acknowledged_is_lost(shop):
    folder, port = shop
    rng = random.Random(7)
    writers = [Writer(port, build) for build in range(1, WRITERS + 1)]
    for writer in writers:
        writer.start()
    for number in range(KILLS):
        time.sleep(rng.uniform(0.5, 1.5))
        os.kill(database_of(folder)[0] if number % 2 else server_of(port), signal.SIGKILL)
        well(port)
    # A slow machine is down most of the time: what is saved after the last kill counts too.
    ends = time.monotonic() + 60
    while time.monotonic() < ends and not all(
        sum(len(getattr(writer, kept)) for writer in writers) > KILLS for kept in ("read", "acknowledged")
    ):
        time.sleep(0.2)
    time.sleep(1)
    for writer in writers:
        writer.stop.set()
        writer.join(30)
    with psycopg.connect(
        host="127.0.0.1",
        port=database_of(folder)[1],
        user="zygometra",
        dbname="postgres",
        password=(folder / "postgres/password").read_text(),
    ) as connection:
        count = read = 0
        for writer in writers:
            rows = connection.execute("SELECT patch::text FROM change WHERE build_id = %s", [writer.build])
            record = "".join(row[0] for row in rows)
            assert [value for value in writer.acknowledged if value not in record] == []
            rows = connection.execute(
                "SELECT key, seq FROM fact WHERE build_id = %s ORDER BY seq", [writer.build]
            )
            facts = rows.fetchall()
            assert set(writer.read) <= {row[0] for row in facts}
            # One order without a gap, however often it was broken off.
            assert [row[1] for row in facts] == list(range(1, len(facts) + 1))
            count += len(writer.acknowledged)
            read += len(writer.read)
            assert writer.faults == []
            # The first is signed off, and answers so all the while.
            assert bool(writer.acknowledged) == (writer.build != 1)
            assert writer.refused or writer.build != 1
    print(f"\n{KILLS} kills, {count} acknowledged saves and {read} readings, none lost")
    assert read > KILLS
    assert count > KILLS
