"""A build with {MANY} readings against one with 50: opened as kept, and for the first time after a new reading."""

from __future__ import annotations

import copy

import pytest

from support.cases import demo
from support.people import by, someone
from support.timing import WHOLE, median
from zygometra.core.measuring.logbook import Reading
from zygometra.store import builds, facts
from zygometra.store.facts import New
from zygometra.web import jobs
from zygometra.web.app import create_app

pytestmark = pytest.mark.timing
MANY = 5000 if WHOLE else 100


def with_readings(count: int) -> dict:
    """The half measured engine with so many readings: its own, again and again."""
    document = copy.deepcopy(demo("harbour-tug"))
    standing = [one for one in document["readings"] if one.get("zero") != "z-dull"]
    document["readings"] = [{**standing[i % len(standing)], "id": f"r{i}"} for i in range(count)]
    document["voided"] = []
    return document


@pytest.fixture
def client(migrated, engine):
    app = create_app(engine=migrated, secret_key="only for tests")
    made = app.test_client()
    with made.session_transaction() as cookie:
        cookie["person"] = "Ada"
    yield made
    jobs.close(app)
    app.extensions["reading engine"].dispose()


def test_5000_readings_open_as_fast_as_50(client, session):
    builds_by_count = {
        count: builds.create(session, with_readings(count), entry=by("Ada")) for count in (50, MANY)
    }
    session.commit()
    kept, fresh = {}, {}
    for count, build in builds_by_count.items():
        for station in ("stack", "measure"):
            address = f"/builds/{build}/{station}"
            assert client.get(address).status_code == 200
            kept[count, station] = median(lambda a=address: client.get(a), 15)
            times = []
            for i in range(7):
                key = f"new-{station}-{i}"
                body = {"id": key, "figure": "chamber_volume", "cylinder": 3, "value": f"54.{i} cc"}
                facts.append(session, build, [New(key, Reading.read(body))], actor=someone("Ada"))
                session.commit()
                times.append(median(lambda a=address: client.get(a), 1))
            fresh[count, station] = sorted(times)[3]
    for station in ("stack", "measure"):
        for what, found, most in (("as kept", kept, 1.5), ("after a new reading", fresh, 4.0)):
            few, many = found[50, station], found[MANY, station]
            print(
                f"\n{station} with {MANY} readings, {what}: {many * 1e3:.1f} ms; with 50 {few * 1e3:.1f} ms;"
                f" ratio {many / few:.2f} (at most {most})"
            )
