"""A busy shop: three processes on one database, a hundred people, none of whom waits long or loses a save."""

from __future__ import annotations

import os
import random
import socket
import statistics
import subprocess
import sys
import threading
import time

import pytest
from sqlalchemy.orm import Session

from support.cases import demo
from support.people import by
from support.timing import WHOLE
from support.user import User
from zygometra.store import builds

pytestmark = pytest.mark.timing
PROCESSES, USERS, PAUSE, SECONDS = (3, 100, 3.0, 60.0) if WHOLE else (2, 8, 0.2, 4.0)


@pytest.fixture
def ports(engine, database_url, tmp_path):
    """Three processes of the program on one database; gives where they listen."""
    started, found = [], []
    for _ in range(PROCESSES):
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            found.append(free.getsockname()[1])
        words = ["-m", "zygometra.serve", "--port", str(found[-1]), "--var", str(tmp_path)]
        environment = {**os.environ, "DATABASE_URL": database_url, "PYTHONPATH": "src"}
        started.append(subprocess.Popen([sys.executable, *words], stdout=subprocess.PIPE, env=environment))
    for one in started:
        assert one.stdout.readline()
    yield found
    for one in started:
        one.terminate()
        assert one.wait(20) == 0
        one.stdout.close()


class Person(threading.Thread):
    """One of the hundred: tries things, looks at pages, saves figures in a build of her own, and pauses."""

    def __init__(self, number, port, build, ends):
        super().__init__(daemon=True)
        self.rng, self.build, self.ends = random.Random(number), build, ends
        self.user = User(port, f"Person {number}")
        self.took = {"what-if": [], "page": [], "save": []}
        self.saved, self.faults = 0, []

    def run(self):
        try:
            time.sleep(self.rng.uniform(0, PAUSE))
            self.user.sign_in()
            while time.monotonic() < self.ends:
                self.once()
                time.sleep(PAUSE * self.rng.uniform(0.7, 1.3))
        except Exception as error:
            self.faults.append(repr(error))

    def once(self):
        kind = self.rng.choices(("what-if", "page", "save"), (6, 3, 2))[0]
        began = time.perf_counter()
        status = getattr(self, kind.replace("-", "_"))()
        self.took[kind].append(time.perf_counter() - began)
        if status not in (200, 302):
            self.faults.append((kind, status))

    def what_if(self):
        cut = f"{self.rng.uniform(0, 0.4):.3f}"
        address = f"/builds/{self.build}/stack/what-if?hole=1&deck_cut={cut}+mm"
        return self.user.ask("GET", address, HX_Request="true", Accept_Encoding="gzip")[0]

    def page(self):
        station = self.rng.choice(("stack", "figures", "sheet", "record", "aim"))
        return self.user.ask("GET", f"/builds/{self.build}/{station}")[0]

    def save(self):
        form = {
            "at": "parts.block.bore",
            "value": f"{92 + self.saved / 1000:.3f} mm",
            "version": self.saved + 1,
        }
        form["value"] = f"{92 + (self.saved + 1) / 1000:.3f} mm"
        status = self.user.ask("POST", f"/builds/{self.build}/figure", form)[0]
        self.saved += status == 302
        return status


def test_a_hundred_people_at_three_processes(ports, engine):
    with Session(engine) as session:
        numbers = [
            builds.create(session, demo("pilot-launch"), entry=by("Ada", "for the bench"))
            for _ in range(USERS)
        ]
        session.commit()
    ends = time.monotonic() + SECONDS + PAUSE
    people = [Person(i, ports[i % PROCESSES], numbers[i], ends) for i in range(USERS)]
    for person in people:
        person.start()
    for person in people:
        person.join(SECONDS + 60)
    print()
    for kind in ("what-if", "page", "save"):
        took = sorted(t for person in people for t in person.took[kind])
        p99 = took[int(len(took) * 0.99)]
        print(
            f"{kind}: {len(took)} in {SECONDS:.0f} s by {USERS} people at {PROCESSES} processes;"
            f" p50 {statistics.median(took) * 1e3:.0f} ms, p99 {p99 * 1e3:.0f} ms, longest {took[-1] * 1e3:.0f} ms"
        )
        assert took[-1] < 10
    assert [fault for person in people for fault in person.faults] == []
    with Session(engine) as session:
        kept = [builds.load(session, number).version - 1 for number in numbers]
    assert kept == [person.saved for person in people]
