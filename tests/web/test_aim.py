"""Aims, limits and gaskets at hand."""

from __future__ import annotations

import pytest

from support.cases import demo
from support.page import seen


def test_saving_an_untouched_aim_changes_nothing(shop, bring, stored):
    for name in ("pilot-launch", "fire-tender", "sawmill-six"):
        build = bring(name)
        assert shop.post(f"/builds/{build}/aim", shop.aim_form(build)).status_code == 302
        assert stored(build).document == demo(name)
        assert stored(build).version == 1


def test_an_aim_that_was_not_touched_adds_no_default(shop, bring, stored):
    document = demo("ferry-tender")
    del document["parts"]["rod"]["material"]
    build = bring(document)
    shop.post(f"/builds/{build}/aim", shop.aim_form(build))
    assert stored(build).document == document


def test_a_limit_out_of_range_is_told_beside_its_field(shop, pilot):
    response = shop.post(f"/builds/{pilot}/aim", shop.aim_form(pilot, **{"limit.deck_cut": "80 mm"}))
    assert "wanted 0 to 50 mm" in seen(response).field("Deck cut").described


def test_an_aim_is_kept_as_typed(shop, pilot, stored):
    form = shop.aim_form(
        pilot,
        **{
            "quench.aim": "47 thou",
            "compression_ratio.max": "10,1",
            "duty": "towing",
            "limit.deck_cut": "",
            "gasket.3.name": "steel",
            "gasket.3.thickness": "0.9",
            "material": "titanium",
        },
    )
    assert shop.post(f"/builds/{pilot}/aim", form).status_code == 302
    document = stored(pilot).document
    assert document["targets"]["quench"] == {"min": "1.00 mm", "aim": "47 thou", "max": "1.40 mm"}
    assert document["targets"]["compression_ratio"]["max"] == 10.1
    assert (document["duty"], document["parts"]["rod"]["material"]) == ("towing", "titanium")
    assert "deck_cut" not in document["levers"]
    assert document["levers"]["gaskets"][3] == {"name": "steel", "thickness": "0.9 mm"}
    assert document["levers"]["gaskets"][:3] == demo("pilot-launch")["levers"]["gaskets"]


@pytest.mark.parametrize(
    ("slot", "typed", "says"),
    [
        ("quench.min", "2 mm", "at least"),
        ("compression_ratio.aim", "ten", "a number such as 9.75"),
        ("limit.head_cut", "deep", "such as"),
        ("name", "", "not empty"),
        ("gasket.4.name", "odd", "compressed thickness"),
        ("compression_ratio.aim", "0.2", "above 1"),
        ("ratio_spread", "-3", "from 0 to 20"),
    ],
)
def test_a_faulty_aim_is_told_and_what_was_typed_stays(shop, pilot, stored, slot, typed, says):
    response = shop.post(f"/builds/{pilot}/aim", shop.aim_form(pilot, **{slot: typed, "duty": "kept text"}))
    page = seen(response)
    assert response.status_code == 422
    assert says in page.text
    assert page.field("Duty").value == "kept text"
    assert stored(pilot).version == 1


def test_a_fuel_is_advice_beside_the_ratio_once_its_scale_is_told(shop, pilot, stored):
    shop.post(f"/builds/{pilot}/aim", shop.aim_form(pilot, octane="91"))
    assert stored(pilot).document["fuel"] == {"octane": 91}
    assert "without its scale" in shop.text(f"/builds/{pilot}/stack")
    shop.post(f"/builds/{pilot}/aim", shop.aim_form(pilot, scale="AKI", head_material="aluminium"))
    assert stored(pilot).document["parts"]["head"]["material"] == "aluminium"
    stack = shop.text(f"/builds/{pilot}/stack")
    assert "fuel, AKI 91: the shop's table ends about 10.5 to 10.8" in stack
    assert "without its scale" not in stack
    # The table is the shop's.
    assert shop.page("/house-rules").field("Top ratio on RON 95, iron head, good quench").value


@pytest.mark.parametrize(("slot", "typed"), [("octane", "premium"), ("octane", "9500"), ("scale", "DON")])
def test_a_fuel_that_is_none_is_refused(shop, pilot, stored, slot, typed):
    answer = shop.post(f"/builds/{pilot}/aim", shop.aim_form(pilot, **{slot: typed}))
    assert answer.status_code == 422
    assert "fuel" not in stored(pilot).document
