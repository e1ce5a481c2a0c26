"""Settings and the shop's own rules."""

from __future__ import annotations

from support.page import seen
from zygometra.core.house_rules import RULES
from zygometra.store import rules


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
    assert shop.sent("/house-rules", form).status_code == 302
    assert shop.page("/house-rules").field("Quench floor, steel rods").value == "0.381 mm"
    shop.prefer(quench="squish")
    assert shop.page("/house-rules").field("Squish floor, steel rods")
    assert "Stop" not in shop.text("/")
    shop.sent("/house-rules", rules_form())
    assert "changed here" not in shop.text("/house-rules")


def test_a_faulty_house_rule_is_refused_with_the_rest_kept_as_typed(shop):
    response = shop.sent("/house-rules", rules_form() | {"quench_floor.steel": "thin", "ratio_spread": "0.2"})
    page = seen(response)
    assert response.status_code == 422
    assert "Found 'thin'" in page.text
    assert page.field("Largest difference of ratio between holes").value == "0.2"
    assert "changed here" not in shop.text("/house-rules")
    assert shop.sent("/house-rules", rules_form() | {"ratio_spread": "x"}).status_code == 422


def test_house_rules_are_not_changed_over_newer_ones_unseen(shop, session):
    form = {"version": shop.page("/house-rules").one("form", action="/house-rules").sent()["version"]}
    assert shop.post("/house-rules", rules_form(ratio_spread="0.2") | form).status_code == 302
    later = shop.post("/house-rules", rules_form(ratio_spread="0.3", disagreement="2") | form)
    assert later.status_code == 409
    page = seen(later)
    assert "changed the house rules since you opened them. Nothing of yours is written yet" in page.text
    rows = page.all("table")[0].rows()
    assert ["Largest difference of ratio between holes", "0.2", "0.3"] in rows
    assert rules.shop_rules(session) == {"ratio_spread": 0.2}
    # Seen, it may stand above: the form carries what it now stands on, and what was typed.
    again = page.one("form", action="/house-rules").sent()
    assert shop.post("/house-rules", {k: v for k, v in again.items() if k != "csrf_token"}).status_code == 302
    session.rollback()
    assert rules.shop_rules(session) == {"ratio_spread": 0.3, "disagreement": 2.0}
