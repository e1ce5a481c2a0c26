"""What once brought a page down, each a case: a sentence or a short refusal, and nothing saved."""

from __future__ import annotations

import io
import json
import time
from urllib.parse import quote

import pytest
from sqlalchemy import text

from support.cases import demo
from support.page import seen
from zygometra.exchange.shelf_csv import read_table

HUGE = "9" * 400
MANY = ["1e309", "-1e309", HUGE, HUGE + " mm", "nan", "inf", "-Infinity mm", "1e309 mm", "9" * 5000]


def refused(response):
    """A sentence, or a short refusal; and what the page says."""
    assert 400 <= response.status_code < 500, response.status_code
    said = seen(response).text
    assert "Traceback" not in said
    return said


@pytest.mark.parametrize("number", MANY)
@pytest.mark.parametrize("field", ["quench.min", "compression_ratio.aim", "ratio_spread", "limit.deck_cut"])
def test_an_aim_that_is_no_number(shop, pilot, stored, number, field):
    said = refused(shop.post(f"/builds/{pilot}/aim", shop.aim_form(pilot, **{field: number})))
    assert "wanted" in said
    assert stored(pilot).version == 1


@pytest.mark.parametrize("number", [*MANY, "=nan", "=1e309", "+" + HUGE, "=" + HUGE, "", "=", "٣"])
def test_a_lever_moved_by_no_number_stays(shop, pilot, number):
    address = f"/builds/{pilot}/stack/what-if?hole=1&nudge=deck_cut:{quote(number)}"
    assert "rim 0.040 mm down" in shop.text(address, HX_Request="true")


@pytest.mark.parametrize("number", MANY)
@pytest.mark.parametrize("at", ["value", "u", "plus_minus", "readings"])
def test_a_figure_whose_number_or_doubt_is_not_finite_is_never_saved(shop, pilot, stored, number, at):
    form = {"value": "92 mm", "basis": "measured"} | {at: number}
    if at == "readings":
        form["value"] = ""
    said = refused(shop.change(pilot, "parts.block.bore", "1", **form))
    assert "wanted" in said
    assert stored(pilot).version == 1


@pytest.mark.parametrize("raw", ["1" + "0" * 400, "NaN", "Infinity", "-Infinity", "1e999", "9" * 5000])
@pytest.mark.parametrize(
    "inside", ["{}", '{{"value": {}}}', '{{"value": "92 mm", "u": {}}}', '{{"readings": [{}]}}']
)
def test_a_file_whose_number_is_none(shop, session, raw, inside):
    document = demo("pilot-launch")
    document["parts"]["block"]["bore"] = "@@"
    content = json.dumps(document).replace('"@@"', inside.format(raw)).encode()
    sent = {"file": (io.BytesIO(content), "x.json")}
    said = refused(shop.post("/builds/import", sent, content_type="multipart/form-data"))
    assert "ound" in said
    assert session.execute(text("SELECT count(*) FROM build")).scalar() == 0


@pytest.mark.parametrize(
    "cell", [*MANY, HUGE + "," + HUGE, "1/" + HUGE, "x" * 131_072, "9" * 131_072, " " * 131_072 + "1"]
)
@pytest.mark.parametrize(
    "column", ["length", "length [mm]", "length ±", "length u", "length readings", "price", "on shelf"]
)
def test_a_table_whose_cell_is_no_number(cell, column):
    content = (
        f'code,name,length,{column}\nR,x,,"{cell}"\n' if column != "length" else f'code,length\nR,"{cell}"\n'
    )
    began = time.process_time()
    read = read_table(content.encode(), "rod")
    assert time.process_time() - began < 1
    assert read.parts == () or cell.strip() == "1"


BLANKS = [" " * 650, "\t" * 650, "\u00a0" * 650, " " * 130_000, "( " * 60_000, ", " * 300, "[" * 100_000]


@pytest.mark.parametrize("blanks", BLANKS)
@pytest.mark.parametrize(
    "header", ["length{}", "{}length", "length{}(mm)", "length,{}mm", "length ({}", "x{}y{}z"]
)
def test_a_header_however_wide_is_read_in_a_moment(blanks, header):
    wide = '"' + header.replace("{}", blanks) + '"'
    began = time.process_time()
    read = read_table(f"code;name;{wide}\nR;x;1\n".encode(), "rod")
    assert time.process_time() - began < 1
    if read.faults:
        assert read.faults[0].wanted


def test_blanks_in_a_header_are_one():
    read = read_table(b'code,name,"length        (mm)"\nR,x,148\n', "rod")
    assert read.faults == ()
    assert read.parts[0].figures["length"] == "148 mm"


NUL = "a\x00b"


@pytest.mark.parametrize(
    ("address", "form"),
    [
        ("/who", {"person": NUL}),
        ("/builds/new", {"name": NUL, "layout": "inline", "holes": "4"}),
        ("/builds/new", {"copy_of": "1", "copy_name": NUL}),
        ("/builds/1/figure", {"at": "parts.block.bore", "value": NUL, "version": "1"}),
        ("/builds/1/figure", {"at": NUL, "value": "1 mm", "version": "1"}),
        ("/builds/1/aim", {"name": NUL, "version": "1"}),
        ("/builds/1/plan", {"plan": NUL, "version": "1"}),
        ("/builds/1/choose", {"leaves": '[[["customer"],"a\\u0000b"]]', "version": "1", "says": "x"}),
        ("/builds/1/stage", {"stage": NUL, "version": "1"}),
        ("/shelf/rod/new", {"code": NUL, "name": "x"}),
        ("/shelf/rod/new", {"code": "R1", "name": NUL}),
        ("/shelf/take-in", {"kind": "rod", "text": f"code,name\nR,{NUL}\n", "name": "t"}),
        ("/shelf/rules", {"rules": NUL}),
        ("/mix/order", {"block": "B1", "at": "x", "reason": NUL, "sign": "1"}),
        ("/house-rules", {"ratio_spread": NUL}),
    ],
)
def test_a_nought_byte_in_any_text_of_a_form(shop, pilot, stocked, stored, address, form):
    response = shop.post(address, form)
    assert response.status_code in (302, 400, 404, 422), response.status_code
    assert stored(pilot).version == 1


@pytest.mark.parametrize(
    "address",
    [
        "/?q={}",
        "/shelf?q={}",
        "/shelf?kind={}",
        "/mix?block={}",
        "/builds/1/figure?at={}",
        "/shelf/rod/{}",
        "/{}",
        "/builds/1/stack?plan={}",
        "/who?next={}",
        "/builds/1/record?{}=1",
    ],
)
@pytest.mark.parametrize("nasty", ["a%00b", "%ED%A0%80", "%1B%5B31m", "%FF%FE"])
def test_what_no_address_of_ours_holds(shop, pilot, address, nasty):
    assert shop.get(address.format(nasty)).status_code in (200, 400, 404)


def test_a_nought_byte_in_the_name_of_a_file(shop, session):
    content = json.dumps(demo("pilot-launch")).encode()
    sent = {"file": (io.BytesIO(content), "a\x00b.json")}
    response = shop.post("/builds/import", sent, content_type="multipart/form-data")
    assert response.status_code == 302
    says = session.execute(text("SELECT says FROM change")).scalar()
    assert "\x00" not in says
    sent = {"kind": "rod", "file": (io.BytesIO(b"code,name\nR9,x\n"), "r\x00.csv")}
    assert shop.post("/shelf/take-in", sent, content_type="multipart/form-data").status_code == 302


@pytest.mark.parametrize(
    "leaves",
    [
        [[["parts"] * 5000, 1]],
        [[["parts", "block", "bore", "value", "value", "value"], "1 mm"]],
        [[["x" * 100_000], 1]],
        [[["engine", "banks", "0", "name"], "x"]],
        [[[""], 1]],
        [[["planned", "0", "op"], "deck_cut"]],
        [[["__proto__", "x"], 1]],
        [[["parts", "block", "bore"], {"value": "92 mm", "u": "1e309 mm"}]],
        [["parts", 1]],
        {"parts": 1},
        [[[1, 2], 3]],
        [],
    ],
)
def test_paths_of_any_depth_in_a_choice(shop, pilot, stored, leaves):
    form = {"leaves": json.dumps(leaves), "version": "1", "says": "x"}
    response = shop.post(f"/builds/{pilot}/choose", form)
    assert response.status_code in (302, 400, 422)
    assert stored(pilot).version == 1


@pytest.mark.parametrize("nested", ["[" * 100_000, '{"a":' * 50_000, "[" * 900 + "]" * 900])
@pytest.mark.parametrize("address", ["/builds/{}/choose", "/builds/{}/plan", "/shelf/rules"])
def test_what_is_nested_without_end(shop, pilot, nested, address):
    form = {"leaves": nested, "plan": nested, "rules": nested, "version": "1", "says": "x"}
    assert shop.post(address.format(pilot), form).status_code in (200, 400, 422)


BEYOND = [2**31, 2**31 - 1, 2**63 - 1, 2**63, 2**64, 10**30, 10**400]


@pytest.mark.parametrize("number", BEYOND)
def test_numbers_beyond_what_the_database_holds(shop, pilot, stocked, stored, number):
    for address in ("/builds/{}/stack", "/builds/{}/record", "/streams/builds/{}", "/builds/new?copy_of={}"):
        assert shop.get(address.format(number)).status_code in (200, 404), address
    assert shop.change(pilot, "parts.block.bore", str(number), value="93 mm").status_code == 409
    for address, form in (
        (f"/builds/{pilot}/undo", {"version": number}),
        ("/shelf/rod/rod-0/back", {"change": number, "version": number}),
        ("/shelf/rod/rod-0/remove", {"version": number}),
        ("/builds/new", {"copy_of": number, "copy_name": "x"}),
        ("/mix/take", {"block": "B1", "at": "x", "into": f"{number}@{number}"}),
    ):
        assert shop.post(address, form).status_code in (302, 404, 409, 422), address
    assert shop.get(f"/shelf?from={number}").status_code == 200
    assert stored(pilot).version == 1


@pytest.mark.parametrize(
    "name", ["%00", "css/%00.css", "..%2f..%2fapp.py", "%ff", "a" * 3000, "css/", "CON", "~root", "."]
)
def test_odd_names_of_static_files(shop, name):
    assert shop.get(f"/static/x/{name}").status_code in (308, 400, 404)


@pytest.mark.parametrize(
    "host",
    ["a" * 300, "x" * 8000, "[::1", "host:port", "a..b", "\x7f", "локалхост".encode().decode("latin-1")],
)
def test_odd_hosts(app, host):
    assert app.test_client().get("/keys", headers={"Host": host}).status_code == 400
