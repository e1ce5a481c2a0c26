"""Large files: sent once, read behind the page, taken in when the person says so."""

from __future__ import annotations

import io
import json

import pytest
from tests.web.conftest import Shop

from support.cases import demo
from support.page import seen
from zygometra.demo.shelf import demo_shelf
from zygometra.exchange.shelf_csv import write_table
from zygometra.store import builds, facts, shelf
from zygometra.web.behind import AT_ONCE


def send(shop, address, name, content, **fields):
    """Send a file and wait at its page until it is read."""
    answer = shop.post(
        address, {**fields, "file": (io.BytesIO(content), name)}, content_type="multipart/form-data"
    )
    assert answer.status_code == 303
    return answer.location


def read(shop, at):
    page = shop.page(at)
    form = next(form for form in page.all("form") if "token" in form.sent())
    return page, {k: v for k, v in form.sent().items() if k != "csrf_token"}


@pytest.fixture
def rods():
    """A table of rods too large to be read at once."""
    parts = [part for part in demo_shelf(9000, 3) if part.kind == "rod" and part.state != "ordered"]
    table = write_table(parts, "rod").encode()
    assert len(table) > AT_ONCE
    return parts, table


def test_a_large_table_of_parts_is_looked_at_and_then_taken_in(shop, session, rods):
    parts, table = rods
    page, form = read(shop, send(shop, "/shelf/take-in", "rods.csv", table, kind="rod", version="0"))
    assert f"All {len(parts)} rows of rods.csv are good. Nothing was taken in yet" in page.text
    assert shelf.counts(session).get("rod", 0) == 0
    assert shop.post("/shelf/take-in", form).status_code == 302
    session.rollback()
    assert shelf.counts(session)["rod"] == len(parts)


def test_of_a_large_table_with_a_fault_the_good_rows_are_taken_without_sending_it_again(shop, session, rods):
    parts, table = rods
    # The first rod once more.
    table += table.split(b"\n")[1] + b"\n"
    page, form = read(shop, send(shop, "/shelf/take-in", "rods.csv", table, kind="rod", version="0"))
    assert f"Take in the {len(parts)} good rows" in page.text
    assert "text" not in form
    assert shop.post("/shelf/take-in", form).status_code == 302
    session.rollback()
    assert shelf.counts(session)["rod"] == len(parts)


def test_what_one_person_sent_is_nobody_else_s(app, shop, rods):
    at = send(shop, "/shelf/take-in", "rods.csv", rods[1], kind="rod", version="0")
    other = Shop(app, "Bo")
    assert other.get(at).status_code == 404
    gone = other.post("/shelf/take-in", {"kind": "rod", "token": at.rsplit("/", 1)[1]})
    assert gone.status_code == 302
    assert "not here any more: choose its file again" in other.text(gone.location)
    assert "rows of rods.csv are good" in shop.text(at)


def many(document, count=3000):
    document = dict(document)
    document["readings"] = [
        {
            "id": f"r{i}",
            "figure": "deck_clearance",
            "cylinder": 1 + i % 4,
            "value": f"{0.30 + i % 7 / 100:.2f} mm",
        }
        for i in range(count)
    ]
    return document


def test_a_large_build_file_is_read_and_then_taken_in_and_judged_behind(shop, session):
    document = many(demo("ferry-tender"))
    page, form = read(shop, send(shop, "/builds/import", "ferry.json", json.dumps(document).encode()))
    assert "with 3000 readings is read" in page.text
    assert builds.listed(session) == ()
    taken = shop.post("/builds/import", form)
    assert taken.status_code == 302
    assert shop.text(taken.location)
    # Its line on the floor follows by itself, and is as it would be at once.
    shop.text("/")
    session.rollback()
    (behind,) = builds.listed(session)
    assert len([f for f in facts.since(session, behind.id) if f.kind == "reading"]) == 3000
    (row,) = (f for f in facts.since(session, behind.id) if f.key == "r8")
    assert row.record.typed["value"] == "0.31 mm"
    assert behind.is_settled
    assert behind.summary["now"]["deck_clearance"] == pytest.approx([0.33, 0.33], abs=2e-3)


def test_the_faults_of_a_large_build_file_are_told(shop, session):
    document = many(demo("ferry-tender"))
    document["readings"][7]["value"] = "thin"
    at = send(shop, "/builds/import", "ferry.json", json.dumps(document).encode())
    while "looks again" in (answer := shop.get(at)).get_data(as_text=True):
        pass
    assert answer.status_code == 422
    assert "readings[7].value" in seen(answer).text


def test_a_large_table_of_readings_is_looked_at_and_then_taken_in(shop, session, bring):
    build = bring("ferry-tender")
    rows = ["id,figure,cylinder,value,says"]
    rows += [f"r{i},deck_clearance,{1 + i % 4},0.31 mm,a note of some length to it" for i in range(2500)]
    at = send(shop, f"/builds/{build}/measure/logbook.csv", "log.csv", "\n".join(rows).encode())
    page, form = read(shop, at)
    assert "every one is good" in page.text
    other = bring("ferry-tender")
    assert shop.get(at.replace(f"/{build}/", f"/{other}/")).status_code == 404
    assert shop.post(f"/builds/{build}/measure/logbook.csv", form).status_code == 302
    session.rollback()
    assert len(facts.since(session, build)) == 2500
    # Sent again it is known.
    assert shop.post(f"/builds/{build}/measure/logbook.csv", form).status_code == 302
    assert len(facts.since(session, build)) == 2500
