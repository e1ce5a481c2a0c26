"""Every kind of fact in a file under the id of every other: taken or told, and no fault of ours."""

from __future__ import annotations

import copy
import io
import itertools
import json
import os

import pytest
from tests.web.conftest import Shop

from support.cases import demo
from zygometra.web import jobs
from zygometra.web.app import create_app

WHOLE = bool(os.environ.get("ZYGOMETRA_ABUSE"))
MORE = {
    "zeros": {"z1": {"before": 0}},
    "found": [{"id": "f1", "what": "a pore"}],
    "surveys": [
        {
            "id": "s1",
            "face": "deck",
            "bank": "A",
            "points": [{"x": 0, "y": 0, "z": 0}, {"x": 90, "y": 0, "z": 0}, {"x": 0, "y": 40, "z": 0}],
        }
    ],
    "decisions": [{"id": "d1", "text": "Which gasket is it to be?"}],
    "agreements": [{"id": "a1", "party": "buyer", "name": "Ina Quayle", "covers": {}}],
    "acceptances": [{"id": "c1", "about": "finished engine", "reason": "it is right so"}],
    "verified": [
        {"id": "v1", "op": "deck_cut", "bank": "A", "machine": "Mill 9", "asked": 0, "achieved": 0, "u": 0}
    ],
}
PAGES = ("stack", "measure", "build.json", "cut-log")
LISTED = (
    "readings",
    "found",
    "surveys",
    "steps",
    "set_ups",
    "passes",
    "decisions",
    "agreements",
    "acceptances",
    "verified",
)


@pytest.fixture
def shop(migrated, engine):
    app = create_app(engine=migrated, secret_key="only for tests")
    yield Shop(app)
    jobs.close(app)
    app.extensions["reading engine"].dispose()


def whole():
    document = dict(demo("canal-barge"))
    for key, value in MORE.items():
        document.setdefault(key, copy.deepcopy(value))
    return document


def files():
    """A file with two things of one id, for each pair of kinds; with each name a void, a zero or a gauge could have."""
    for one, other in itertools.combinations_with_replacement(LISTED, 2):
        document = copy.deepcopy(whole())
        if one == other:
            document[one] = [*document[one], copy.deepcopy(document[one][0])]
        else:
            document[one][0]["id"] = document[other][0]["id"]
        yield f"{one} as {other}", document
    for kind in LISTED:
        for name in ("void r1", "zero z1", "gauge depth-2"):
            document = copy.deepcopy(whole())
            before, document[kind][0]["id"] = document[kind][0]["id"], name
            document["voided"] = [
                {"reading": name, "why": "typed twice"},
                *(one for one in document.get("voided", ()) if one["reading"] != before),
            ]
            yield f"{kind} named {name}", document


def test_ids_that_meet_are_taken_or_told(shop):
    statuses, faults = {}, []
    for number, (what, document) in enumerate(files()):
        if not WHOLE and number % 5:
            continue
        file = (io.BytesIO(json.dumps(document).encode()), "x.json")
        answer = shop.post("/builds/import", {"file": file}, content_type="multipart/form-data")
        statuses[answer.status_code] = statuses.get(answer.status_code, 0) + 1
        pages = []
        if answer.status_code == 302:
            build = answer.location.split("/")[2]
            pages = [
                shop.get(f"/builds/{build}/{at}").status_code
                for at in ("stack", "measure", "build.json", "cut-log")
            ]
        if answer.status_code not in (302, 422) or any(page >= 500 for page in pages):
            faults.append((what, answer.status_code, pages))
    print(f"\n{statuses}")
    assert faults == []
    assert statuses.keys() == {302, 422}
