"""What the shop gives out comes in again without a change; and a form takes what a table takes."""

from __future__ import annotations

import csv
import io
import json

import pytest
from sqlalchemy.orm import Session

from support.page import seen
from support.people import by
from zygometra.core.mix.parts import KIND, KINDS
from zygometra.core.typed import MOST_NAME, MOST_WORD
from zygometra.demo.shelf import demo_shelf
from zygometra.exchange.shelf_csv import read_table
from zygometra.store import shelf as store


@pytest.fixture
def full(engine):
    """A shelf with every kind of part."""
    with Session(engine) as session:
        store.take_in(session, demo_shelf(200, 11), entry=by("Ada", "for the test"))
        session.commit()


@pytest.mark.parametrize("kind", [kind.key for kind in KINDS])
def test_a_table_of_the_shelf_taken_in_again_changes_nothing(shop, full, kind):
    table = shop.html(f"/shelf/tables/{kind}.csv")
    assert table.count("\n") > 2
    sent = {"kind": kind, "version": "9999999", "file": (io.BytesIO(table.encode()), "x.csv")}
    response = shop.post("/shelf/take-in", sent, content_type="multipart/form-data")
    assert response.status_code == 302
    assert "0 new, 0 changed" in shop.text(response.location)


@pytest.mark.parametrize("name", ["pilot-launch", "mountain-rescue", "winch-flat-four", "hill-climb"])
def test_a_build_file_taken_in_again_is_the_same_build(shop, bring, stored, name):
    first = bring(name)
    given = shop.html(f"/builds/{first}/build.json")
    sent = {"file": (io.BytesIO(given.encode()), "x.json")}
    response = shop.post("/builds/import", sent, content_type="multipart/form-data")
    second = int(response.location.split("/")[2])
    assert stored(second).document == stored(first).document
    assert shop.html(f"/builds/{second}/build.json") == given
    assert json.loads(given)["name"]


def taken_by_table(**cells):
    out = io.StringIO()
    csv.writer(out).writerows([["code", *cells], ["R-9", *cells.values()]])
    return not read_table(out.getvalue(), "rod").faults


def taken_by_form(shop, **fields):
    form = {"code": "R-9", "version": "0", "state": "idea", "on_shelf": "0", "name": "x"} | fields
    response = shop.post("/shelf/rod/new", form)
    if response.status_code == 302:
        page = shop.page("/shelf/rod/R-9").one("form", action="/shelf/rod/R-9/remove").sent()
        shop.post("/shelf/rod/R-9/remove", page)
        return True
    assert response.status_code == 422
    assert "Found" in seen(response).text
    return False


WORD = KIND["rod"].texts[0].name
LENGTHS = (1, 79, 80, 81, 119, 120, 121, 500)


@pytest.mark.parametrize("length", LENGTHS)
def test_a_form_and_a_table_take_texts_of_the_same_length(shop, engine, length):
    for column, field, most in (
        ("name", "name", MOST_NAME),
        ("supplier", "supplier", MOST_NAME),
        (WORD, f"t-{WORD}", MOST_WORD),
    ):
        text = "a" * length
        assert taken_by_table(**{column: text}) == (length <= most), column
        assert taken_by_form(shop, **{field: text}) == (length <= most), column


@pytest.mark.parametrize("code", ["A" * 40, "A" * 41, "", "-A", "A B", "A/B", "ä"])
def test_a_form_and_a_table_take_the_same_codes(shop, engine, code):
    table = f"code,name\n{code},x\n"
    by_table = bool(code) and not read_table(table, "rod").faults
    response = shop.post("/shelf/rod/new", {"code": code, "name": "x", "version": "0", "state": "idea"})
    assert (response.status_code == 302) == by_table


@pytest.mark.parametrize(
    "price", ["0", "9.99", "99999999.99", "10000000", "10000000.01", "-1", "1e3", "1,5", "1.234"]
)
def test_a_form_and_a_table_take_the_same_prices(shop, engine, price):
    assert taken_by_form(shop, price=price) == taken_by_table(price=price)


def long_table(rows, length="148 mm"):
    return "code,name,length\n" + "".join(f"R{i},x,{length}\n" for i in range(rows))


def test_of_a_table_with_a_thousand_faults_the_rest_is_not_read_and_none_of_it_taken(shop, engine):
    table = long_table(10) + long_table(3000, "long").split("\n", 1)[1].replace("R", "Q")
    read = read_table(table, "rod")
    assert not read.whole
    assert read.faults[-1].found == "more than 1000 faults"
    assert read.rows < 1100
    for good_rows in ("", "1"):
        sent = {"kind": "rod", "text": table, "name": "x.csv", "version": "9", "good_rows": good_rows}
        response = shop.post("/shelf/take-in", sent)
        assert response.status_code == 422
        assert "more than 1000 faults" not in shop.text("/shelf?kind=rod")
        assert not [b for b in seen(response).all("button") if b.text.startswith("Take in")]
    assert "No rod" in shop.text("/shelf?kind=rod") or "R1" not in shop.text("/shelf?kind=rod")


def test_a_table_that_takes_too_long_is_left_alone(monkeypatch):
    clock = iter(range(10**6))
    monkeypatch.setattr("zygometra.exchange.shelf_csv.time.monotonic", lambda: next(clock))
    read = read_table(long_table(2000), "rod", seconds=5)
    assert not read.whole
    assert "rows took too long to read" in read.faults[-1].found
    assert read.rows < 1000
    assert read_table(long_table(2000), "rod").whole
