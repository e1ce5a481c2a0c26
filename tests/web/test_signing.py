"""Agreement, verifying and signing: what the pages say, keep and refuse, and the whole record out and in."""

from __future__ import annotations

import json

import pytest

from support.half_cut import deck_passes, document, moment, planned
from support.page import seen
from zygometra.exchange.build_file import check

# -- agreement ----------------------------------------------------------------------


def test_who_agreed_stands_and_lapses(shop, barge, kept):
    address = f"/builds/{barge}/agreement"
    assert "lapsed, its figures changed" in shop.text(address)
    sent = shop.form(address, f"{address}/agree")
    answer = shop.post(
        f"{address}/agree", {**sent, "party": "buyer", "name": "Nell Harrow", "way": "in person"}
    )
    assert answer.status_code == 302
    assert "lapsed" not in shop.text(address)
    assert kept(barge, "agreement")[-1]["covers"]["planned.0.deck_cut.A"] == 0.28
    stale = shop.post(f"{address}/agree", {**sent, "key": "another", "seen": "7", "name": "Nell Harrow"})
    assert stale.status_code == 409
    assert shop.post(f"{address}/agree", {**sent, "party": "cat", "name": "Tom"}).status_code == 422
    assert shop.post(f"{address}/agree", {**sent, "name": ""}).status_code == 422


def test_a_question_is_asked_and_answered(shop, barge):
    address = f"/builds/{barge}/agreement"
    sent = shop.form(address, f"{address}/ask")
    ask = sent | {
        "text": "Steel or fibre gasket?",
        "option.0": "steel",
        "cost.0": "44,5",
        "option.1": "fibre",
    }
    refused = shop.post(f"{address}/ask", {**ask, "cost.0": "dear"})
    assert refused.status_code == 422
    assert seen(refused).field("Question").value == "Steel or fibre gasket?"
    assert shop.post(f"{address}/ask", {**ask, "fallback": "cork", "until": "noon"}).status_code == 422
    assert shop.post(f"{address}/ask", {**ask, "fallback": "steel", "until": ""}).status_code == 422
    assert (
        shop.post(f"{address}/ask", {**ask, "fallback": "steel", "until": "the last pass"}).status_code == 302
    )
    assert "plan B: steel, open until the last pass" in shop.text(address)
    page = shop.page(address)
    forms = page.all("form", action=f"{address}/answer")
    ours = next(f.sent() for f in forms if "steel" in f.text)
    assert shop.post(f"{address}/answer", {**ours, "option": "paper", "who": "Nell"}).status_code == 422
    assert shop.post(f"{address}/answer", {**ours, "option": "steel", "who": "Nell"}).status_code == 302
    assert "steel: Nell" in shop.text(address)
    assert shop.get(f"{address}.pdf").get_data().startswith(b"%PDF")


# -- verify and sign ------------------------------------------------------------------


def test_a_signature_covers_figures_and_lapses_when_one_of_them_changes(shop, bring, kept):
    doc = document(planned=planned(0.2), passes=deck_passes(0.2))
    doc["readings"] += [
        {"id": f"s{n}", "figure": "deck_clearance", "cylinder": n, "value": 0.22 + 0.01 * n, "at": moment(90)}
        for n in (1, 2, 3, 4)
    ]
    build = bring(doc)
    address = f"/builds/{build}/verify"
    assert "the buyer has not agreed" not in shop.text(address)
    assert "gate 15 of the deck is open" in shop.text(address)
    sent = shop.form(address, f"{address}/sign")
    assert shop.post(f"{address}/sign", {**sent, "reason": "x"}).status_code == 422
    assert shop.post(f"{address}/sign", {**sent, "reason": "read again", "seen": "1.0"}).status_code == 409
    assert shop.post(f"{address}/sign", {**sent, "reason": "read again, all inside"}).status_code == 302
    assert "Ada, 20" in shop.text(address)
    (signed,) = kept(build, "accepted")
    # 0.23 down and a gasket of 1.20.
    assert signed["covers"]["cylinders.1.quench"] == pytest.approx(1.43)
    assert any("gate 15" in one for one in signed["fails"])
    shop.change(build, "parts.gasket.thickness", value="1.25 mm")
    assert "Lapsed, changed since:" in shop.text(address)
    assert shop.get(f"/builds/{build}/build-sheet.pdf").get_data().startswith(b"%PDF")


def test_what_a_machine_did_is_remembered_and_widens_the_next_plan(shop, bring, kept):
    hoist = bring("granary-hoist")
    text = shop.text(f"/builds/{hoist}/verify")
    assert "mill-1 tends to take" in text
    assert "(1 job, 95 %)" in text
    barge = bring("canal-barge")
    assert "mill-1 tends to take" in shop.text(f"/builds/{barge}/plans?full=1")
    doc = document(planned=planned(0.2), passes=deck_passes(0.2))
    doc["set_ups"] = [{"id": "u", "op": "deck_cut", "bank": "A", "machine": "mill-9"}]
    doc["readings"].append(
        {"id": "s", "figure": "deck_clearance", "cylinder": 1, "value": 0.21, "at": moment(90)}
    )
    build = bring(doc)
    address = f"/builds/{build}/verify"
    sent = shop.form(address, f"{address}/remember")
    for _ in range(2):
        assert shop.post(f"{address}/remember", sent).status_code == 302
    (noted,) = kept(build, "verified")
    assert (noted["machine"], noted["asked"], noted["achieved"]) == ("mill-9", 0.2, 0.22)
    assert "mill-9 tends to take" in shop.text(address)
    assert shop.post(f"{address}/remember", {**sent, "key": "other", "cut": "head_cut|A"}).status_code == 422


def test_what_was_remembered_by_mistake_is_void_and_counts_nowhere(shop, bring):
    doc = document(planned=planned(0.2), passes=deck_passes(0.2))
    doc["set_ups"] = [{"id": "u", "op": "deck_cut", "bank": "A", "machine": "mill-9"}]
    doc["readings"].append(
        {"id": "s", "figure": "deck_clearance", "cylinder": 1, "value": 0.21, "at": moment(90)}
    )
    build, other = bring(doc), bring(doc)
    address = f"/builds/{build}/verify"
    for one in (build, other):
        at = f"/builds/{one}/verify"
        assert shop.post(f"{at}/remember", shop.form(at, f"{at}/remember")).status_code == 302
    assert "(2 jobs, 95 %)" in shop.text(address)
    form = shop.form(address, f"/builds/{build}/measure/void")
    assert shop.post(f"/builds/{build}/measure/void", {**form, "why": "no"}).status_code == 422
    gone = shop.post(f"/builds/{build}/measure/void", {**form, "why": "the gauge had slipped"})
    assert gone.location.endswith(address)
    # The other build's cut still counts, here as there; this one may be kept again.
    assert "(1 job, 95 %)" in shop.text(address)
    assert "(1 job, 95 %)" in shop.text(f"/builds/{other}/verify")
    again = shop.form(address, f"{address}/remember")
    assert again["key"] != form["reading"]
    record = json.loads(shop.get(f"/builds/{build}/build.json").get_data(as_text=True))
    assert record["voided"][0]["reading"] == record["verified"][0]["id"]
    check(record)


@pytest.mark.parametrize("name", ["canal-barge", "granary-hoist"])
def test_the_whole_record_goes_out_and_comes_in_again(shop, bring, name):
    build = bring(name)
    if name == "canal-barge":
        face = f"/builds/{build}/cut-log/deck_cut/A"
        shop.post(f"{face}/pass", {**shop.form(face, f"{face}/pass"), "depth": "0.04 mm"})
    whole = json.loads(shop.get(f"/builds/{build}/build.json").get_data(as_text=True))
    check(whole)
    for key in ("passes", "agreements", "set_ups"):
        assert whole[key]
    again = bring(whole)
    back = json.loads(shop.get(f"/builds/{again}/build.json").get_data(as_text=True))
    assert back == whole
