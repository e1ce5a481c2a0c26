"""Settings and the shop's own rules."""

from __future__ import annotations

from support.page import seen
from zygometra.core.house_rules import RULES


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
