"""Many people at once on one process: nobody waits long, and a running search for plans is noticed by none of them."""

from __future__ import annotations

import http.client
import os
import random
import threading
import time
from statistics import quantiles

import pytest
from tests.abuse.test_kills import shop, well  # noqa: F401 - the shop behind ./start

from support.user import User

WHOLE = bool(os.environ.get("ZYGOMETRA_ABUSE"))
PEOPLE, SECONDS = (100, 60.0) if WHOLE else (8, 2.0)
# What takes a hundred people's what-ifs at most, as a multiple of what they usually take.
MOST = 10
# Each asks at least so often, however slow the machine is: what is told of a crowd is told of all of them.
LEAST = 3


class Person(threading.Thread):
    """Moves a lever now and then, and notes how long each answer took."""

    def __init__(self, port, number, ends):
        super().__init__(daemon=True)
        self.user, self.rng, self.ends = (
            User(port, f"Person {number}", timeout=20),
            random.Random(number),
            ends,
        )
        self.took, self.faults = [], []

    def run(self):
        try:
            self.user.sign_in()
            while time.monotonic() < self.ends or len(self.took) < LEAST:
                time.sleep(self.rng.uniform(0.3, 1.7))
                build, cut = self.rng.choice((1, 7, 8)), self.rng.randrange(1, 30) / 100
                began = time.monotonic()
                status = self.user.ask("GET", f"/builds/{build}/stack/what-if?hole=1&deck_cut={cut}+mm")[0]
                self.took.append(time.monotonic() - began)
                if status >= 500:
                    self.faults.append(status)
        except (OSError, http.client.HTTPException) as error:
            self.faults.append(repr(error))


class Planner(threading.Thread):
    """Drags a window about on the target bench, and drops every question for the next."""

    def __init__(self, port, ends):
        super().__init__(daemon=True)
        self.user, self.ends, self.asked, self.faults = User(port, "Planner", timeout=20), ends, 0, []

    def run(self):
        self.user.sign_in()
        while time.monotonic() < self.ends or self.asked < LEAST:
            low = 9.0 + self.asked % 40 / 100
            status = self.user.ask("GET", f"/builds/1/plans/answer?compression_ratio.min={low:.2f}")[0]
            self.asked += 1
            if status >= 500:
                self.faults.append(status)


@pytest.mark.parametrize("beside", ["alone", "beside a search"] if WHOLE else ["beside a search"])
def test_a_crowd_is_answered(shop, beside):  # noqa: F811
    _, port = shop
    ends = time.monotonic() + SECONDS + 3
    crowd = [Person(port, number, ends) for number in range(PEOPLE)]
    planners = [Planner(port, ends) for _ in range(3 if beside != "alone" else 0)]
    for one in (*crowd, *planners):
        one.start()
    for one in (*crowd, *planners):
        one.join(SECONDS + 60)
    took = sorted(t for one in crowd for t in one.took)
    half, most = quantiles(took, n=100)[49], quantiles(took, n=100)[98]
    told = f"half within {half * 1000:.0f} ms, 99 % within {most * 1000:.0f} ms"
    print(f"\n{beside}: {PEOPLE} people, {len(took)} what-ifs, {told}")
    assert [fault for one in (*crowd, *planners) for fault in one.faults] == []
    assert all(len(one.took) >= LEAST for one in crowd)
    assert all(one.asked >= LEAST for one in planners)
    # A slice runs beside other tests, on machines that may stand still: there the time is only told.
    assert not WHOLE or most <= MOST * max(half, 0.01)
