"""Whatever hangs on when: dates ahead, two at one machine in one moment, streams after a session, names from files."""

from __future__ import annotations

import io
import json
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime, timedelta

import pytest
from tests.web.conftest import Shop

from support.cases import demo
from support.page import seen
from support.people import by
from zygometra.store import builds, moves


def moment(**ahead):
    return (datetime.now(UTC) + timedelta(**ahead)).strftime("%Y-%m-%dT%H:%M:%SZ")


def take_in(shop, document):
    file = (io.BytesIO(json.dumps(document).encode()), "x.json")
    return shop.post("/builds/import", {"file": file}, content_type="multipart/form-data")


READING = {"id": "r1", "figure": "deck_clearance", "cylinder": 1, "value": "0.3 mm"}


@pytest.mark.parametrize(
    ("ahead", "status"), [({"days": 400}, 422), ({"hours": 1}, 422), ({"minutes": 2}, 302)]
)
def test_a_file_s_reading_of_tomorrow_is_not_taken(shop, ahead, status):
    document = dict(demo("ferry-tender")) | {"readings": [READING | {"at": moment(**ahead)}]}
    answer = take_in(shop, document)
    assert answer.status_code == status
    assert status == 302 or "is the clock right that wrote it" in seen(answer).text


def test_a_table_s_reading_of_tomorrow_is_not_taken(shop, bring):
    build = bring("ferry-tender")
    rows = f"id,figure,cylinder,value,at\nr1,deck_clearance,1,0.3 mm,{moment(days=2)}\n"
    at = f"/builds/{build}/measure/logbook.csv"
    answer = shop.post(at, {"file": (io.BytesIO(rows.encode()), "x.csv")}, content_type="multipart/form-data")
    assert answer.status_code == 422
    assert "a moment that has been" in seen(answer).text


def test_twenty_passes_at_once_do_not_go_past_the_limit_together(app, barge, kept):
    """0.18 of 0.50 mm is off; each of the twenty would be within the limit, two together would not."""
    people = [Shop(app, f"Hand {i}") for i in range(8)]

    def log(number):
        sent = {"depth": "0.17 mm", "number": str(4 + number), "key": f"p-{number}"}
        return people[number % 8].post(f"/builds/{barge}/cut-log/deck_cut/A/pass", sent).status_code

    before = len(kept(barge, "pass"))
    with ThreadPoolExecutor(6) as pool:
        statuses = list(pool.map(log, range(20)))
    assert set(statuses) <= {302, 422}
    assert statuses.count(302) == len(kept(barge, "pass")) - before == 1


def test_a_photograph_waits_for_a_build_that_is_signed_off(shop, barge, session):
    from PIL import Image

    def send(key):
        out = io.BytesIO()
        Image.new("RGB", (40, 30)).save(out, "PNG")
        data = {"fact": "f-1", "key": key, "file": (io.BytesIO(out.getvalue()), "x.png")}
        at = f"/builds/{barge}/measure/photo"
        return shop.post(at, data, content_type="multipart/form-data").status_code

    shop.post(f"/builds/{barge}/measure/found", {"what": "a crack", "place": "e", "key": "f-1"})
    assert send("first") == 302
    stage = builds.load(session, barge).stage
    moves.set_stage(session, barge, "signed off", seen=stage, expected_version=1, entry=by("Ada"))
    session.commit()
    # The one that the shop has is answered as at first; another is not taken.
    assert send("first") == 302
    assert send("second") == 409


def test_a_stream_ends_with_its_session(app, barge, monkeypatch):
    monkeypatch.setattr("zygometra.web.newer.LOOKS_EVERY", 0.01)
    ada = Shop(app)
    stream = ada.client.get(f"/streams/builds/{barge}?version=1", buffered=False)
    words = stream.iter_encoded()
    assert next(words)
    assert next(words)
    # The same browser leaves on another page.
    other = app.test_client()
    with ada.client.session_transaction() as mine, other.session_transaction() as cookie:
        cookie.update(dict(mine))
    page = seen(other.get("/settings"))
    assert other.post("/leave", data={"csrf_token": page.carries("csrf_token")}).status_code == 302
    assert len(list(words)) <= 1
    stream.close()


def test_names_that_came_with_a_file_say_so(shop):
    document = dict(demo("ferry-tender"))
    document["agreements"] = [
        {
            "id": "a1",
            "party": "buyer",
            "name": "Ina Quayle",
            "covers": {},
            "by": "Ada",
            "at": "2026-11-01T10:00:00Z",
        }
    ]
    document["acceptances"] = [
        {
            "id": "c1",
            "about": "finished engine",
            "reason": "it is right so",
            "by": "Tove",
            "at": "2026-11-01T10:00:00Z",
        }
    ]
    answer = take_in(shop, document)
    assert answer.status_code == 302, seen(answer).text[:400]
    build = answer.location.split("/")[2]
    out = json.loads(shop.get(f"/builds/{build}/build.json").get_data())
    assert [one["by"] for one in (*out["agreements"], *out["acceptances"])] == [
        "Ada, came with a file",
        "Tove, came with a file",
    ]
    assert "Ada, came with a file" in shop.text(f"/builds/{build}/record")
    # Taken in once more, it says so once.
    again = take_in(shop, out).location.split("/")[2]
    assert json.loads(shop.get(f"/builds/{again}/build.json").get_data())["agreements"] == out["agreements"]
