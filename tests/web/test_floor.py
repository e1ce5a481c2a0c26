"""The shop floor: builds listed, brought in as files, made from blank and copied."""

from __future__ import annotations

import io
import json

import pytest

from support.cases import demo
from support.page import seen
from zygometra.store import builds
from zygometra.web.floor.view import in_range


def test_the_shop_floor_tells_the_fine_from_the_stopped(shop, bring):
    for name in ("ferry-tender", "hill-climb", "sawmill-six"):
        bring(name)
    page = shop.text("/")
    assert "Ferry tender 2.3 Tarnbeck inline 4 · 2288 cc" in page
    assert "Fine" in page
    assert "Stop Hole 1: quench 0.44 mm is under the house floor of 0.889 mm for steel rods." in page
    assert "3.378 mm down" in page
    shop.prefer(system="inch", quench="squish")
    page = shop.text("/")
    assert "Stop Hole 1: squish 17 thou is under the house floor of 35 thou for steel rods." in page


def test_searching_answers_with_the_list_alone(shop, bring):
    for name in ("ferry-tender", "hill-climb"):
        bring(name)
    part = shop.page("/?q=hill", HX_Request="true", HX_Target="builds")
    assert "Hill-climb single" in part.text
    assert "Ferry" not in part.text
    assert not part.all(tag="html")
    assert "No build has “<b>none”" in shop.text("/?q=%3Cb%3Enone")


def test_ranges_are_said_once():
    assert in_range([1.2, 1.4], lambda v: f"{v} mm down") == "1.2 to 1.4 mm down"
    assert in_range([1.2, 1.2], lambda v: f"{v} mm") == "1.2 mm"
    assert (
        in_range([-0.1, 0.2], lambda v: f"{abs(v)} mm {'down' if v > 0 else 'proud'}")
        == "0.1 mm proud to 0.2 mm down"
    )
    assert in_range(None, str) == "—"


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
    assert "a build file or a table of readings 16 MB" in seen(response).text


BARE = {
    "format": "zygometra.build",
    "version": 1,
    "name": "One reading",
    "engine": {"layout": "inline", "banks": [{"name": "A", "cylinders": [1, 2]}]},
}
BLANK = {"name": "New four", "layout": "inline", "holes": "4"}


def test_a_build_from_blank_asks_for_its_layout_alone(shop, stored):
    response = shop.post("/builds/new", {"layout": "inline", "holes": "4"})
    assert response.status_code == 302, seen(response).text
    document = stored(int(response.location.split("/")[2])).document
    assert document["name"] == "New inline 4"
    assert document["engine"]["banks"] == [{"name": "A", "cylinders": [1, 2, 3, 4]}]
    page = seen(shop.get(response.location))
    assert "Compression ratio, quench and deck clearance wait for" in page.text
    wanted = {e.attrs["data-figure"] for e in page.all() if "data-figure" in e.attrs}
    assert wanted >= {"parts.block.bore", "cylinders.1.deck_clearance", "parts.gasket.thickness"}


def test_every_page_of_a_build_without_figures_stands(shop, bring):
    build = bring({**BARE, "cylinders": {"1": {"deck_clearance": "12 thou"}}})
    for station in ("stack", "aim", "figures", "sheet", "record", "working", "evaluation.json", "sheet.pdf"):
        assert shop.get(f"/builds/{build}/{station}").status_code == 200, station
    # 12 thou = 0.3048 mm; its doubt is the house's for a clearance typed without a basis.
    assert "rim 0.30 mm down" in shop.text(f"/builds/{build}/stack")
    assert shop.text("/").count(BARE["name"])


def test_a_vee_from_blank_has_two_banks(shop, stored):
    response = shop.post("/builds/new", BLANK | {"layout": "vee", "holes": "8", "angle": "90"})
    document = stored(int(response.location.split("/")[2])).document
    assert [b["cylinders"] for b in document["engine"]["banks"]] == [[1, 3, 5, 7], [2, 4, 6, 8]]


@pytest.mark.parametrize(
    ("field", "typed", "says"),
    [
        ("layout", "heap", "wanted"),
        ("holes", "many", "1 to 32"),
        ("holes", "99", "1 to 32"),
        ("holes", "", "1 to 32"),
        ("name", "x" * 200, "120"),
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
    if field != "layout":
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
