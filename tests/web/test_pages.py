"""Pages as the server writes them: what they say, what they refuse, how they guard themselves."""

from __future__ import annotations

import gzip
import io
import json
import re

import pytest
from pypdf import PdfReader

from support.cases import demo, vector
from support.page import read, seen
from zygometra.core.fields import FIELDS
from zygometra.core.house_rules import RULES
from zygometra.store import builds
from zygometra.web.floor.routes import _range

STATIONS = ("stack", "figures", "aim", "sheet", "record")


def test_without_a_name_every_page_asks_for_it_and_comes_back(app, bring):
    build = bring("pilot-launch")
    client = app.test_client()
    response = client.get(f"/builds/{build}/stack?hole=2")
    assert response.status_code == 302
    assert response.location.startswith("/who?next=/builds/")
    form = seen(client.get(response.location)).one("form").sent()
    named = client.post("/who", data={**form, "person": "  Ada  B "})
    assert named.location == f"/builds/{build}/stack?hole=2"
    assert "Ada B" in seen(client.get("/")).text


@pytest.mark.parametrize("name", ["", "   ", "x" * 61, "a\x07b"])
def test_a_name_that_is_none_is_refused_in_words(shop, name):
    assert "wanted" in seen(shop.post("/who", {"person": name})).text


@pytest.mark.parametrize(
    "outside", ["https://example.org/", "//example.org", "/\\example.org", "javascript:x"]
)
def test_nobody_is_sent_outside_after_naming_themselves(shop, outside):
    assert shop.post("/who", {"person": "Ada", "next": outside}).location == "/"


def test_every_page_answers_and_guards_itself(shop, bring):
    build = bring("mountain-rescue")
    pages = [
        "/",
        "/builds/new",
        "/settings",
        "/house-rules",
        "/keys",
        "/patterns",
        "/who",
        f"/builds/{build}/working",
        f"/builds/{build}/figure?at=parts.block.bore",
        *(f"/builds/{build}/{s}" for s in STATIONS),
    ]
    for address in pages:
        response = shop.get(address)
        assert response.status_code == 200, address
        policy = response.headers["Content-Security-Policy"]
        assert "unsafe" not in policy
        assert "script-src 'self'" in policy
        assert response.headers["X-Content-Type-Options"] == "nosniff"
        for element in seen(response):
            assert element.tag != "script" or "src" in element.attrs, address
            assert not [a for a in element.attrs if a == "style" or a.startswith("on")], address
            for name in ("src", "href", "action"):
                assert not re.match(r"(https?:)?//", element.attrs.get(name, "")), address


def test_cookies_are_closed_to_scripts_and_other_sites(app):
    client = app.test_client()
    form = seen(client.get("/who")).one("form").sent()
    cookie = client.post("/who", data={**form, "person": "Ada"}).headers["Set-Cookie"]
    assert "HttpOnly" in cookie
    assert "SameSite=Lax" in cookie


def test_a_form_without_its_token_changes_nothing(shop, bring, stored):
    build = bring("pilot-launch")
    response = shop.client.post(f"/builds/{build}/plan", data={"plan": "[]", "version": 1})
    assert response.status_code == 400
    assert "token" in seen(response).text
    assert stored(build).version == 1


def test_a_changed_cookie_is_nobody(app):
    client = app.test_client()
    client.set_cookie("zygometra", "eyJwZXJzb24iOiJNYWxsb3J5In0.forged.forged")
    assert client.get("/").status_code == 302


def test_what_is_not_there_says_so(shop):
    for address in (
        "/builds/99/stack",
        "/nowhere",
        "/builds/99/sheet.pdf",
        "/builds/abc",
        "/static/x/../../app.py",
    ):
        response = shop.get(address)
        assert response.status_code == 404, address
        assert "There is nothing here" in seen(response).text


def test_a_fault_of_ours_is_said_without_a_trace_of_code(shop, bring, monkeypatch):
    build = bring("pilot-launch")

    def broken(_bench):
        raise RuntimeError("a secret detail")

    monkeypatch.setattr("zygometra.web.bench.reckon", broken)
    response = shop.get(f"/builds/{build}/stack")
    assert response.status_code == 500
    assert "The program has a fault" in seen(response).text
    assert "secret detail" not in seen(response).text
    partial = shop.get(f"/builds/{build}/stack/what-if", HX_Request="true")
    assert partial.headers["HX-Retarget"] == "#notice"


def test_only_a_form_may_change_things(shop, bring):
    assert shop.get(f"/builds/{bring('pilot-launch')}/undo").status_code == 405


def test_the_shop_floor_tells_the_fine_from_the_stopped(shop, bring):
    for name in ("ferry-tender", "hill-climb", "sawmill-six"):
        bring(name)
    page = shop.text("/")
    assert "Ferry tender 2.3 Tarnbeck inline 4 · 2288 cc" in page
    assert "Fine" in page
    assert "Stop Hole 1: quench 0.44 mm is under the house floor of 0.90 mm for steel rods." in page
    assert "3.378 mm down" in page


def test_searching_answers_with_the_list_alone(shop, bring):
    for name in ("ferry-tender", "hill-climb"):
        bring(name)
    part = shop.page("/?q=hill", HX_Request="true", HX_Target="builds")
    assert "Hill-climb single" in part.text
    assert "Ferry" not in part.text
    assert not part.all(tag="html")
    assert "No build has “<b>none”" in shop.text("/?q=%3Cb%3Enone")


def test_ranges_are_said_once():
    assert _range([1.2, 1.4], lambda v: f"{v} mm down") == "1.2 to 1.4 mm down"
    assert _range([1.2, 1.2], lambda v: f"{v} mm") == "1.2 mm"
    assert (
        _range([-0.1, 0.2], lambda v: f"{abs(v)} mm {'down' if v > 0 else 'proud'}")
        == "0.1 mm proud to 0.2 mm down"
    )
    assert _range(None, str) == "—"


def upload(shop, content, name="build.json"):
    return shop.post(
        "/builds/import", {"file": (io.BytesIO(content), name)}, content_type="multipart/form-data"
    )


def test_a_file_is_taken_in_whole_and_handed_out_again_to_the_letter(shop, stored):
    document = demo("fire-tender") | {"x-own": {"k": [1, 2.50]}}
    response = upload(shop, json.dumps(document).encode())
    build = int(response.location.split("/")[2])
    handed = shop.get(f"/builds/{build}/build.json")
    assert handed.headers["Content-Disposition"] == 'attachment; filename="fire-tender-stroker.json"'
    assert json.loads(handed.data) == document == stored(build).document


@pytest.mark.parametrize(
    ("content", "says"),
    [
        (b"", "an empty file"),
        (b"{", "breaks off"),
        (b"\xff\xfe", "not text"),
        (b"[]", "a list"),
        (json.dumps({**demo("fire-tender"), "version": 9}).encode(), "1, the version this reader knows"),
        (json.dumps({**demo("fire-tender"), "zzz": 1}).encode(), "unknown key 'zzz'"),
        (json.dumps({**demo("fire-tender"), "name": ""}).encode(), "not empty"),
    ],
)
def test_a_faulty_file_is_reported_by_place_and_nothing_is_kept(shop, session, content, says):
    response = upload(shop, content)
    assert response.status_code == 422
    assert says in seen(response).text
    assert builds.listed(session) == ()


def test_no_file_and_a_file_that_is_too_large(shop):
    assert upload(shop, b"", "").status_code == 422
    # Refused by its stated length, before a byte of it is kept.
    response = shop.post(
        "/builds/import",
        {"file": (io.BytesIO(b"{}"), "huge.json")},
        content_type="multipart/form-data",
        environ_overrides={"CONTENT_LENGTH": "50000000"},
    )
    assert response.status_code == 413
    assert "at most 2 MB" in seen(response).text


def test_markup_in_a_name_stays_text_everywhere(shop, bring):
    build = bring(
        {**demo("pilot-launch"), "name": "<img src=x onerror=alert(1)>", "customer": "</script><b>"}
    )
    for address in ("/", *(f"/builds/{build}/{s}" for s in STATIONS), f"/builds/{build}/working"):
        html = shop.html(address)
        assert "<img" not in html
        assert "</script><b>" not in html
        assert "&lt;img src=x" in html


BLANK = {
    "name": "New four",
    "layout": "inline",
    "holes": "4",
    "basis": "catalogue",
    "parts.block.deck_height": "225.40 mm",
    "parts.block.bore": "92",
    "parts.crank.stroke": "86 mm",
    "parts.rod.length": "5.8268 in",
    "parts.piston.compression_height": "34,2 mm",
    "parts.piston.crown_volume": "4.5",
    "parts.gasket.thickness": "47 thou",
    "parts.gasket.bore": "93.5",
    "parts.head.chamber_volume": "52 cc",
}


def test_a_build_from_blank_keeps_what_was_typed(shop, stored):
    response = shop.post("/builds/new", BLANK)
    assert response.status_code == 302, seen(response).text
    document = stored(int(response.location.split("/")[2])).document
    assert document["parts"]["rod"]["length"] == {"value": 5.8268, "unit": "in", "basis": "catalogue"}
    assert document["parts"]["piston"]["compression_height"]["value"] == 34.2
    assert document["engine"]["banks"] == [{"name": "A", "cylinders": [1, 2, 3, 4]}]


def test_a_vee_from_blank_has_two_banks(shop, stored):
    response = shop.post("/builds/new", BLANK | {"layout": "vee", "holes": "8", "angle": "90", "basis": ""})
    document = stored(int(response.location.split("/")[2])).document
    assert [b["cylinders"] for b in document["engine"]["banks"]] == [[1, 3, 5, 7], [2, 4, 6, 8]]
    assert document["parts"]["block"]["bore"] == "92 mm"


@pytest.mark.parametrize(
    ("field", "typed", "says"),
    [
        ("name", "", "wanted a name"),
        ("holes", "many", "1 to 32"),
        ("holes", "99", "1 to 32"),
        ("parts.block.bore", "wide", "such as 0.76 mm"),
        ("parts.block.bore", "-92 mm", "5 to 1500 mm"),
        ("parts.block.bore", "1e9 mm", "5 to 1500 mm"),
        ("parts.block.bore", "9.2.0", "two decimal marks"),
        ("parts.block.bore", "", "Found nothing; wanted the finished bore"),
        ("parts.rod.length", "40 mm", "longer than half the stroke"),
    ],
)
def test_a_faulty_new_build_says_why_beside_the_field_and_keeps_what_was_typed(
    shop, session, field, typed, says
):
    response = shop.post("/builds/new", BLANK | {field: typed, "family": "Tarnbeck <b>"})
    page = seen(response)
    assert response.status_code == 422
    assert says in page.text
    sent = page.all("form")[-1].sent()
    assert sent["family"] == "Tarnbeck <b>"
    assert {**BLANK, field: typed}.items() <= sent.items()
    assert builds.listed(session) == ()


def test_an_odd_vee_is_refused(shop):
    response = shop.post("/builds/new", BLANK | {"layout": "vee", "holes": "7", "angle": "90"})
    assert "an even number" in seen(response).text


def test_a_copy_is_a_build_of_its_own(shop, bring, stored):
    build = bring("pilot-launch")
    response = shop.post("/builds/new", {"copy_of": str(build), "copy_name": "Pilot spare"})
    copy = int(response.location.split("/")[2])
    assert stored(copy).document == {**stored(build).document, "name": "Pilot spare"}
    assert "copied from Pilot launch 2.3" in shop.text(f"/builds/{copy}/record")
    assert shop.post("/builds/new", {"copy_of": str(build), "copy_name": " "}).status_code == 422
    assert shop.post("/builds/new", {"copy_of": "77", "copy_name": "x"}).status_code == 404


def test_the_figures_page_has_every_dimension(shop, bring):
    page = shop.text(f"/builds/{bring('mountain-rescue')}/figures")
    for field in FIELDS:
        assert field.label in page
    assert "bank left 239.61 mm" in page


def test_the_working_shows_derivation_doubt_and_steps(shop, bring):
    build = bring("pilot-launch")
    page = shop.text(f"/builds/{build}/working?hole=4&result=quench")
    assert "Working of hole 4, as planned" in page
    assert "c = mock-up reading − deck cut = 0.317 mm − 0.180 mm = 0.137 mm down" in page
    assert "compressed gasket thickness" in page
    assert "What one step does" in page
    assert "as it stands" in shop.text(f"/builds/{build}/working?hole=4&state=now")


def test_the_sheet_is_one_page_with_from_and_to(shop, bring):
    build = bring("mountain-rescue")
    response = shop.get(f"/builds/{build}/sheet.pdf?reference=rail")
    assert response.content_type == "application/pdf"
    reader = PdfReader(io.BytesIO(response.data))
    assert len(reader.pages) == 1
    text = re.sub(r"\s+", " ", reader.pages[0].extract_text())
    for words in (
        "Cut sheet: Mountain rescue truck V8",
        "0.432 mm",
        "239.610 mm",
        "239.178 mm",
        "pan rail",
        "Cautions",
        "engine number",
        "Machinist",
        "made out by Ada",
    ):
        assert words in text, words


def test_a_sheet_with_a_stop_is_not_released(shop, bring):
    build = bring("hill-climb")
    text = re.sub(
        r"\s+",
        " ",
        PdfReader(io.BytesIO(shop.get(f"/builds/{build}/sheet.pdf").data)).pages[0].extract_text(),
    )
    assert "not released: 1 stop" in text.lower()
    assert "Not released: 1 stop" in shop.text(f"/builds/{build}/sheet")


def test_a_clearance_is_never_a_bare_sign(shop, bring):
    page = shop.text(f"/builds/{bring('hill-climb')}/stack")
    assert "0.36 proud" in page
    assert "−0.36" not in page
    assert "0.10 proud to 0.20 down" in shop.text(f"/builds/{bring('pilot-launch')}/stack")


def test_settings_change_units_and_words_but_no_figure(shop, bring, stored):
    build = bring("pilot-launch")
    shop.prefer(system="inch", quench="squish", deck="face", theme="dark")
    page = shop.page(f"/builds/{build}/stack")
    assert page.one(tag="html").attrs["data-theme"] == "dark"
    assert "Squish" in page.text
    assert "48.8 thou" in page.text
    assert "Face clearance" in page.text
    shop.prefer(system="furlong")
    assert "48.8 thou" in shop.text(f"/builds/{build}/stack")
    assert stored(build).version == 1


def rules_form(**changed):
    return {rule.key: changed.get(rule.key, "") for rule in RULES}


def test_house_rules_are_the_shops_to_change(shop, bring):
    bring("hill-climb")
    form = rules_form() | {"quench_floor.steel": "15 thou"}
    assert shop.post("/house-rules", form).status_code == 302
    assert shop.page("/house-rules").field("Quench floor, steel rods").value == "0.381 mm"
    assert "Stop" not in shop.text("/")
    shop.post("/house-rules", rules_form())
    assert "changed here" not in shop.text("/house-rules")


def test_a_faulty_house_rule_is_refused_with_the_rest_kept_as_typed(shop):
    response = shop.post("/house-rules", rules_form() | {"quench_floor.steel": "thin", "ratio_spread": "0.2"})
    page = seen(response)
    assert response.status_code == 422
    assert "Found 'thin'" in page.text
    assert page.field("Largest difference of ratio between holes").value == "0.2"
    assert "changed here" not in shop.text("/house-rules")
    assert shop.post("/house-rules", rules_form() | {"ratio_spread": "x"}).status_code == 422


def test_an_engine_that_cannot_be_evaluated_still_has_its_pages(shop, bring):
    document = vector("tarnbeck-plain")["build"]
    document["parts"]["head"]["step_fills"] = [{"depth": 0, "below": 52}, {"depth": 1, "below": 48}]
    document["planned"] = [{"op": "head_cut", "amount": "2 mm"}]
    build = bring(document)
    for station in STATIONS:
        assert "Fill a further step" in shop.text(f"/builds/{build}/{station}")
    assert shop.get(f"/builds/{build}/sheet.pdf").status_code == 404
    assert shop.get(f"/builds/{build}/evaluation.json").status_code == 404
    assert "Fill a further step" in shop.text("/")


def test_an_impossible_hole_shows_a_dash_and_a_stop(shop, bring):
    document = vector("pellam-single-proud")["build"]
    document["parts"]["piston"]["crown_volume"] = "-80 cc"
    page = shop.text(f"/builds/{bring(document)}/stack")
    assert "Stop Hole 1: no room is left above the piston" in page


def test_the_first_view_of_a_build_is_light(shop, bring):
    page = shop.get(f"/builds/{bring('mountain-rescue')}/stack", Accept_Encoding="gzip")
    total = len(page.data)
    html = gzip.decompress(page.data).decode()
    addresses = {e.attrs.get("href", e.attrs.get("src", "")) for e in read(html)}
    for address in {a for a in addresses if a.startswith("/static/")}:
        asset = shop.get(address, Accept_Encoding="gzip")
        assert asset.status_code == 200
        assert "immutable" in asset.headers["Cache-Control"]
        total += len(asset.data)
    fonts = re.search(r"/static/(\w+)/", html).group(1)
    total += len(shop.get(f"/static/{fonts}/vendor/plex-600.woff2").data)
    assert total < 250_000


def test_the_evaluation_is_handed_out_unrounded(shop, bring):
    document = json.loads(shop.get(f"/builds/{bring('pilot-launch')}/evaluation.json").data)
    assert document["planned"]["cylinders"][0]["deck_clearance_mm"] == pytest.approx(0.04, abs=1e-12)
