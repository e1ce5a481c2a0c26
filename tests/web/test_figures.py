"""The figures of a build: each kept as typed, refused in words."""

from __future__ import annotations

from urllib.parse import urlencode

import pytest

from support.cases import demo
from support.page import read, seen
from zygometra.core.fields import FIELDS
from zygometra.store import history


def figure_at(document, path):
    for step in path.split("."):
        document = document.get(step) if isinstance(document, dict) else None
    return document


@pytest.mark.parametrize(
    ("at", "form", "kept"),
    [
        ("parts.block.bore", {"value": "92,5"}, "92,5 mm"),
        (
            "parts.block.bore",
            {"value": "3-5/8 in", "basis": "catalogue"},
            {"value": 3.625, "x-typed": "3-5/8 in", "unit": "in", "basis": "catalogue"},
        ),
        (
            "cylinders.2.bore",
            {"value": "92.01 mm", "basis": "measured", "u": "0.004"},
            {"value": 92.01, "unit": "mm", "basis": "measured", "u": 0.004},
        ),
        (
            "parts.crank.stroke",
            {"readings": "86.00; 86.01\n85.99 mm", "basis": "measured", "resolution": "0.01"},
            {"unit": "mm", "basis": "measured", "resolution": 0.01, "readings": [86, 86.01, 85.99]},
        ),
        (
            "parts.block.deck_height",
            {"value": "225.3", "plus_minus": "±2 thou"},
            {"value": 225.3, "unit": "mm", "plus_minus": "2 thou"},
        ),
        ("parts.rod.length", {"value": "148 mm", "each": "yes"}, {"value": 148, "unit": "mm", "each": True}),
    ],
)
def test_a_figure_is_kept_as_typed(shop, pilot, stored, at, form, kept):
    response = shop.change(pilot, at, **form)
    assert response.status_code == 302, response.get_data(as_text=True)
    assert figure_at(stored(pilot).document, at) == kept
    assert shop.get(f"/builds/{pilot}/figure?at={at}").status_code == 200


@pytest.mark.parametrize(
    ("at", "form", "says"),
    [
        ("parts.block.bore", {"value": "wide"}, "such as 0.76 mm"),
        ("parts.block.bore", {"value": "-92 mm"}, "5 to 1500 mm"),
        ("parts.block.bore", {"value": "92", "plus_minus": "a bit"}, "such as"),
        ("parts.block.bore", {"value": "92", "basis": "guess"}, "basis 'guess'"),
        ("parts.block.bore", {"value": "", "u": "0.1"}, "a doubt without a value"),
        ("parts.rod.length", {"value": "20 mm"}, "longer than half the stroke"),
        ("parts.crank.stroke", {"readings": "86;x"}, "'x'"),
    ],
)
def test_a_faulty_figure_says_why_and_keeps_what_was_typed(shop, pilot, stored, at, form, says):
    response = shop.change(pilot, at, **form)
    page = seen(response)
    assert response.status_code == 422
    assert says in page.text
    assert page.field("Value").value == form.get("value", "")
    assert page.field("Readings").value == form.get("readings", "")
    assert stored(pilot).version == 1


def test_a_hole_gives_its_own_figure_back(shop, pilot, stored):
    shop.change(pilot, "cylinders.4.bore", remove="1")
    assert "bore" not in stored(pilot).document["cylinders"]["4"]


def test_a_figure_answers_htmx_with_a_refresh(shop, pilot):
    response = shop.change(pilot, "parts.block.bore", value="92.1 mm", htmx=True)
    assert response.status_code == 204
    assert response.headers["HX-Refresh"] == "true"


@pytest.mark.parametrize(
    "at", ["", "parts.block", "cylinders.9.bore", "banks.Z.deck_height", "x", "parts.piston.weight"]
)
def test_there_is_no_figure_at_a_place_that_is_none(shop, pilot, at):
    assert shop.get(f"/builds/{pilot}/figure?at={at}").status_code == 404
    assert shop.change(pilot, at, value="1").status_code == 404


def test_the_form_tells_what_stood_before_and_elsewhere(shop, pilot):
    shop.change(pilot, "parts.block.bore", value="92.5 mm")
    page = shop.text(f"/builds/{pilot}/figure?at=parts.block.bore")
    assert "92.0 mm (u 0.006), measured → 92.5 mm" in page
    assert "hole 4: 92.02 mm" in page


def test_the_figures_page_has_every_dimension(shop, bring):
    page = shop.text(f"/builds/{bring('mountain-rescue')}/figures")
    for field in FIELDS:
        assert field.label in page
    assert "239.61 mm" in page


PLACES = [
    "parts.block.bore",
    "parts.block.deck_height",
    "parts.crank.stroke",
    "parts.rod.length",
    "parts.piston.crown_volume",
    "parts.gasket.thickness",
    "parts.head.chamber_volume",
    "cylinders.3.bore",
    "cylinders.2.deck_clearance",
]


@pytest.mark.parametrize("at", PLACES)
def test_a_form_that_is_sent_as_it_came_changes_nothing(shop, pilot, stored, at):
    page = shop.page(f"/builds/{pilot}/figure?at={at}")
    form = page.one("form", action=f"/builds/{pilot}/figure").sent()
    assert form["version"] == "1"
    response = shop.post(f"/builds/{pilot}/figure", form)
    if figure_at(demo("pilot-launch"), at) is None and response.status_code == 422:
        assert "wanted" in seen(response).text
    else:
        assert response.status_code == 302
    assert stored(pilot).version == 1
    assert stored(pilot).document == demo("pilot-launch")


@pytest.mark.parametrize("system", ["mm", "inch"])
@pytest.mark.parametrize("at", PLACES)
def test_a_figure_reads_the_same_in_both_units(shop, pilot, at, system):
    shop.prefer(system=system)
    page = shop.page(f"/builds/{pilot}/figure?at={at}")
    raw = figure_at(demo("pilot-launch"), at)
    typed = raw.get("value") if isinstance(raw, dict) else raw
    if typed is not None:
        # What was typed stands in the form to the letter, whichever unit is read first.
        assert str(typed).split()[0] in page.field("Value").value
    assert page.field("Basis")


@pytest.mark.parametrize(
    ("at", "label"),
    [
        ("parts.block.bore", "finished bore"),
        ("cylinders.3.bore", "finished bore, hole 3"),
        ("cylinders.2.deck_clearance", "deck clearance read on a mock-up, hole 2"),
        ("parts.head.chamber_volume", "chamber volume"),
    ],
)
def test_the_record_names_the_figure_that_changed(shop, pilot, session, at, label):
    value = "52.5 cc" if "volume" in at else "0.2 mm" if "clearance" in at else "92.4 mm"
    assert shop.change(pilot, at, value=value).status_code == 302
    newest = history.history(session, pilot)[0]
    assert label in newest.says
    assert at not in newest.says
    assert label in shop.text(f"/builds/{pilot}/record")
    assert at not in shop.text(f"/builds/{pilot}/record")
    assert value in newest.says
    assert next(".".join(d.path) for d in newest.patch).startswith(at)


@pytest.mark.parametrize(
    ("at", "value", "says", "offers"),
    [
        ("parts.gasket.thickness", "1.2", "1.2 mm = 47.2 thou", []),
        ("parts.gasket.thickness", "", "bare number: mm", []),
        ("parts.gasket.thickness", "forty", "Found 'forty'", []),
        ("parts.gasket.thickness", "40", "usually 0.15 to 4 mm", ["40 thou", "4 mm"]),
        ("parts.block.bore", "3.4646", "usually 30 to 205 mm", ["3.4646 in", "34.646 mm"]),
        ("cylinders.1.deck_clearance", "12 thou proud", "−12 thou", []),
        ("lever.deck_cut", "12", "usually 0 to 3 mm", ["12 thou", "1.2 mm"]),
        ("lever.open_chamber", "1.5", "1.5 cc", []),
        ("aim.deck_clearance", "5 thou proud", "−5 thou", []),
        ("aim.quench", "40", "usually 0.4 to 3 mm", ["40 thou", "0.4 mm"]),
        ("shelf.piston.pin_diameter", "22", "22 mm = 0.8661 in", []),
        ("shelf.piston.pin_diameter", "2.2", "usually 8 to 60 mm", ["2.2 in", "22 mm"]),
        ("shelf.piston.compression_height", "34.2; 34.22; 34.21", "3 readings, mean 34.21", []),
    ],
)
def test_what_was_understood_stands_beside_the_field_with_what_else_may_be_meant(
    shop, at, value, says, offers
):
    page = read(shop.html(f"/understood?{urlencode({'of': at, 'field': 'value', 'value': value})}"))
    assert says in page.text
    assert [e.attrs["data-fill"] for e in page if "data-fill" in e.attrs] == offers


@pytest.mark.parametrize(
    "of", ["parts.block.colour", "shelf.wheel.bore", "shelf.piston.colour", "lever.weld", ""]
)
def test_nothing_is_understood_where_no_figure_stands(shop, of):
    assert shop.get(f"/understood?of={of}&field=value&value=3").status_code == 404


@pytest.mark.parametrize(("typed", "says"), [("25", "25 thou = 0.635 mm"), (".025", "0.025 in = 0.635 mm")])
def test_a_bare_number_is_the_readers_own_wherever_it_is_typed(shop, typed, says):
    shop.prefer(system="inch")
    for of in ("parts.gasket.thickness", "lever.head_cut", "aim.quench", "shelf.gasket.thickness"):
        assert says in shop.text(f"/understood?of={of}&field=x&x={typed}")
    assert "3.6 in = 91.440 mm" in shop.text("/understood?of=parts.gasket.bore&field=x&x=3.6")


def test_bank_and_hole_figures_stand_in_a_table_a_row_a_dimension_a_column_a_hole(shop, bring):
    build = bring("mountain-rescue")
    page = shop.page(f"/builds/{build}/figures")
    table = next(t for t in page.all("table") if "holes-table" in t.classes)
    head, *rows = table.rows()
    assert head == ["Measured on its own", "bank left", "bank right", *(str(n) for n in range(1, 9))]
    by_name = {row[0]: row[1:] for row in rows}
    assert by_name["H block deck height"][0].startswith("239.61 mm")
    # Every cell opens the form of its own place; none is offered twice.
    places = [e.attrs["data-figure"] for e in page if "spot" in e.classes]
    assert len(places) == len(set(places))
    assert {"banks.left.deck_height", "cylinders.8.bore", "cylinders.3.deck_clearance"} <= set(places)
    for place in places:
        assert shop.get(f"/builds/{build}/figure?at={place}").status_code == 200


def test_a_ratio_as_stated_is_compared_and_never_used(shop, pilot, stored):
    form = shop.page(f"/builds/{pilot}/aim").all("form")
    sent = next(f for f in form if "quench.aim" in f.sent()).sent()
    before = shop.text(f"/builds/{pilot}/stack")
    shop.post(f"/builds/{pilot}/aim", {**sent, "stated.compression_ratio": "12.5"})
    assert stored(pilot).document["stated"] == {"compression_ratio": 12.5}
    page = shop.text(f"/builds/{pilot}/stack")
    assert "12.5" in page
    assert "12.5" not in before


@pytest.mark.parametrize(("spread", "holes"), [("", [2]), ("bank", [2, 4, 6, 8]), ("all", list(range(1, 9)))])
def test_a_deck_clearance_is_said_once_and_kept_hole_by_hole(shop, bring, stored, spread, holes):
    build = bring("mountain-rescue")
    before = stored(build).document.get("cylinders") or {}
    at = "cylinders.2.deck_clearance"
    offered = shop.page(f"/builds/{build}/figure?at={at}").field("Said for").text
    bank = next(b for b in stored(build).document["engine"]["banks"] if 2 in b["cylinders"])
    assert f"every hole of bank {bank['name']}" in offered
    answer = shop.change(build, at, value="14 thou proud", spread=spread)
    assert answer.status_code == 302, seen(answer).text
    own = bank["cylinders"] if spread == "bank" else holes
    now = stored(build).document["cylinders"]
    for hole in range(1, 9):
        kept = (now.get(str(hole)) or {}).get("deck_clearance")
        assert (kept == "-14 thou") == (hole in own), (hole, kept)
        if hole not in own:
            assert kept == (before.get(str(hole)) or {}).get("deck_clearance")
    # A slip is refused before any hole has it.
    refused = shop.change(build, at, version="2", value="14 thuo", spread="all")
    assert refused.status_code == 422
    assert stored(build).version == 2


def test_only_a_deck_clearance_can_be_said_for_several_holes(shop, pilot, stored):
    shop.change(pilot, "cylinders.2.bore", value="92.01 mm", spread="all")
    assert figure_at(stored(pilot).document, "cylinders.1.bore") is None
