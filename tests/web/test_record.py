"""The record: undo, stages, and two people on one build."""

from __future__ import annotations

import json

import pytest

from support.cases import demo
from support.page import seen


def test_undo_and_redo_from_the_page(shop, pilot, stored):
    shop.change(pilot, "parts.block.bore", value="92.5 mm")
    back = f"/builds/{pilot}/stack"
    shop.post(f"/builds/{pilot}/undo", {"version": "2", "back": back})
    assert stored(pilot).document == demo("pilot-launch")
    assert "Taken back: finished bore" in shop.text(back)
    shop.post(f"/builds/{pilot}/redo", {"version": "3", "back": back})
    assert stored(pilot).document["parts"]["block"]["bore"] == "92.5 mm"
    shop.post(f"/builds/{pilot}/redo", {"version": "4", "back": back})
    assert "nothing to redo" in shop.text(back)


def test_the_later_of_two_people_sees_both_and_chooses(app, shop, pilot, stored):
    tove = type(shop)(app, "Tove")
    tove.change(pilot, "parts.block.bore", value="92.5 mm")
    response = shop.change(pilot, "parts.block.bore", value="93 mm")
    page = seen(response)
    assert response.status_code == 409
    for words in ("Tove", "92.5 mm", "93 mm", "Save mine over theirs", "Keep theirs"):
        assert words in page.text
    assert stored(pilot).document["parts"]["block"]["bore"] == "92.5 mm"
    form = page.one("form", action=f"/builds/{pilot}/choose").sent()
    assert shop.post(f"/builds/{pilot}/choose", form).status_code == 302
    assert stored(pilot).document["parts"]["block"]["bore"] == "93 mm"
    record = shop.text(f"/builds/{pilot}/record")
    assert "chosen over the other" in record


def test_a_plan_and_an_aim_conflict_the_same_way(app, shop, pilot, stored):
    tove = type(shop)(app, "Tove")
    form = shop.aim_form(pilot, duty="mine")
    tove.change(pilot, "parts.block.bore", value="92.5 mm")
    assert shop.post(f"/builds/{pilot}/plan", {"plan": "[]", "version": "1"}).status_code == 409
    assert shop.post(f"/builds/{pilot}/aim", form).status_code == 409
    undone = shop.post(f"/builds/{pilot}/undo", {"version": "1", "back": f"/builds/{pilot}/record"})
    assert "Tove saved this build in between" in shop.text(undone.location)
    assert stored(pilot).version == 2


@pytest.mark.parametrize("leaves", ["", "{", "[[1]]", "7", '[["x"]]', "[[[],1]]", "[[[1],1]]"])
def test_a_damaged_choice_changes_nothing(shop, pilot, stored, leaves):
    assert shop.post(f"/builds/{pilot}/choose", {"leaves": leaves, "version": "1"}).status_code == 400
    assert stored(pilot).version == 1


def test_a_choice_that_no_longer_fits_is_told(shop, pilot, stored):
    leaves = json.dumps([[["parts", "block", "bore"], "-3 mm"]])
    shop.post(f"/builds/{pilot}/choose", {"leaves": leaves, "version": "1"})
    assert "Nothing was saved" in shop.text(f"/builds/{pilot}/stack")
    assert stored(pilot).version == 1


def test_stages(shop, pilot, stored):
    shop.post(
        f"/builds/{pilot}/stage",
        {"stage": "signed off", "seen": "on paper", "version": "1", "back": f"/builds/{pilot}/record"},
    )
    assert stored(pilot).stage == "signed off"
    assert "signed off" in shop.text(f"/builds/{pilot}/stack")
    assert shop.post(f"/builds/{pilot}/stage", {"stage": "burnt", "version": "1"}).status_code == 400
