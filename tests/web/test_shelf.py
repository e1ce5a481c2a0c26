"""The parts shelf: parts, tables, rules of fit, and its record, of which any change is taken back."""

from __future__ import annotations

import io
import json
from dataclasses import replace

import pytest

from support.page import seen
from support.people import by
from support.shelves import KEY, WINDOWS, part
from zygometra.store import shelf as store


def test_the_shelf_lists_searches_and_marks_what_is_missing(shop, varied):
    page = shop.page("/shelf?kind=rod")
    assert "rods 2" in {link.text for link in page.all("link")}
    assert [e.text for e in page if "missing" in e.classes]
    assert "rod-0" not in shop.text("/shelf?kind=rod&q=unknown")


def test_a_part_is_changed_and_its_other_figures_stay_to_the_letter(shop, varied):
    kept = dict(store.load_part(varied, "rod", "rod-0").part.figures)
    form = shop.page("/shelf/rod/rod-0").all("form")[0].sent()
    assert form["version"] == "1"
    shop.post(
        "/shelf/rod/rod-0",
        {**form, "state": "measured", "d-length": "148.02; 148.04 mm", "on_shelf": "4"},
    )
    varied.rollback()
    found = store.load_part(varied, "rod", "rod-0")
    assert found.version == 2
    assert found.part.state == "measured"
    assert found.part.quantity("length").value == pytest.approx(148.03)
    assert {k: v for k, v in found.part.figures.items() if k != "length"} == {
        k: v for k, v in kept.items() if k != "length"
    }


def test_bad_figures_of_a_part_keep_what_was_typed(shop, varied):
    response = shop.post(
        "/shelf/rod/new",
        {"code": "R 9", "d-length": "9e9 mm", "price": "dear", "on_shelf": "-1", "state": "lost"},
    )
    page = seen(response)
    assert response.status_code == 422
    for says in (
        "such as CR-104",
        "10 to 5000 mm",
        "a price such as 129.50",
        "a whole number, such as 4",
        "wanted one of idea",
    ):
        assert says in page.text
    assert page.field("rod length").value == "9e9 mm"


def test_ordering_a_part_by_itself_wants_a_signed_reason(shop, varied, states):
    form = {"version": "1", "state": "ordered", "price": "100.00", "on_shelf": "0"}
    refused = shop.post("/shelf/rod/rod-0", form)
    assert refused.status_code == 422
    assert "gate 14" in seen(refused).text
    shop.post("/shelf/rod/rod-0", {**form, "reason": "spare for the Tarnbeck"})
    assert states()["rod-0"] == "ordered"


def test_the_later_saver_of_a_part_sees_both(shop, varied):
    shop.post("/shelf/rod/rod-0", {"version": "1", "name": "theirs", "state": "idea"})
    late = shop.post("/shelf/rod/rod-0", {"version": "1", "name": "mine", "state": "idea"})
    page = seen(late).text
    assert late.status_code == 409
    assert "theirs" in page
    assert "mine" in page


def take(shop, text, **form):
    return shop.post(
        "/shelf/take-in",
        {"kind": "rod", "file": (io.BytesIO(text.encode()), "rods.csv"), **form},
        content_type="multipart/form-data",
    )


def test_a_table_is_taken_in_and_given_out(shop, varied):
    text = shop.html("/shelf/tables/rod.csv")
    assert take(shop, text.replace("rod-0", "rod-9")).status_code == 302
    assert "rod-9" in shop.text("/shelf?kind=rod")


def test_a_table_with_faults_is_taken_in_only_where_the_person_says_so(shop, varied):
    text = "code,length\nG1,148 mm\nG2,no\n"
    refused = take(shop, text)
    page = seen(refused).text
    assert refused.status_code == 422
    assert "1 of 2 rows are good" in page
    assert "G1" not in shop.text("/shelf?kind=rod")
    shop.post("/shelf/take-in", {"kind": "rod", "text": text, "name": "rods.csv", "good_rows": "1"})
    assert "G1" in shop.text("/shelf?kind=rod")
    assert "G2" not in shop.text("/shelf?kind=rod")


def test_a_table_that_would_order_wants_a_reason(shop, varied):
    text = "code,length,state\nG1,148 mm,ordered\n"
    assert "would be set to ordered" in seen(take(shop, text)).text
    assert take(shop, text, reason="moved from the old book").status_code == 302


def test_rules_of_fit_are_shown_changed_and_put_back(shop, varied):
    page = shop.page("/shelf/rules")
    assert "pin in the small end" in page.text
    data = json.loads(page.field("Rules of fit as JSON").value)
    data["rules"] = [r for r in data["rules"] if r["key"] != "head-pattern"]
    shop.sent("/shelf/rules", {"rules": json.dumps(data)})
    assert "the shop's own" in shop.text("/shelf/rules")
    assert "2 recipes, counted" in shop.text(f"/mix?block=B1&{WINDOWS}")
    data["rules"][0]["bands"][0]["machining"] = "magic"
    refused = shop.sent("/shelf/rules", {"rules": json.dumps(data)})
    assert "the operation 'magic'" in seen(refused).text
    assert shop.sent("/shelf/rules", {"rules": "{"}).status_code == 422
    shop.sent("/shelf/rules", {"usual": "1"})
    assert "1 recipe, counted" in shop.text(f"/mix?block=B1&{WINDOWS}")


@pytest.mark.parametrize("address", ["/shelf/wheel/X", "/shelf/rod/none", "/shelf/tables/wheel.csv"])
def test_what_is_not_there_is_a_page(shop, varied, address):
    assert shop.get(address).status_code == 404


def rod(session):
    session.rollback()
    return store.load_part(session, "rod", "rod-0")


def save(session, **changes):
    now = rod(session)
    store.save_part(
        session, replace(now.part, **changes), expected_version=now.version, entry=by("Bo", "changed")
    )
    session.commit()


def newest(session):
    return store.history(session, "rod", "rod-0")[0].id


def back(shop, change, version):
    return shop.post("/shelf/rod/rod-0/back", {"change": str(change), "version": str(version)})


def said(shop, address="/shelf/rod/rod-0"):
    return [e.text for e in shop.page(address).one("status") if "flash" in e.classes]


def test_a_change_is_taken_back_and_that_is_a_change_too(shop, stocked):
    save(stocked, price=4250, name="a shorter rod", figures={**part("rod", "rod-0").figures, "length": 146.0})
    assert "price 100.00 42.50" in shop.text("/shelf/rod/rod-0")
    back(shop, newest(stocked), 2)
    found = rod(stocked)
    assert found.part == part("rod", "rod-0")
    assert (found.version, store.history(stocked, "rod", "rod-0")[0].says) == (
        3,
        "put back as before: changed",
    )
    assert said(shop) == ["rod-0 is put back to what it was before “changed”."]
    back(shop, newest(stocked), 3)
    assert rod(stocked).part.name == "a shorter rod"


def test_an_older_change_takes_the_later_ones_with_it(shop, stocked):
    save(stocked, name="one")
    first = newest(stocked)
    save(stocked, name="two")
    save(stocked, on_shelf=4)
    back(shop, first, 4)
    assert rod(stocked).part == part("rod", "rod-0")


def take_off(shop, **changed):
    page = shop.page("/shelf/rod/rod-0")
    return shop.post(
        "/shelf/rod/rod-0/remove", page.one("form", action="/shelf/rod/rod-0/remove").sent() | changed
    )


def test_a_part_that_somebody_saved_in_between_is_not_taken_off(shop, stocked):
    save(stocked, name="theirs")
    response = take_off(shop, version="1")
    assert "saved this part in between. Look at it, then take it off." in shop.text(response.location)
    assert rod(stocked).part.name == "theirs"


ROWS = "code,name,length,price\nrod-0,mine,148 mm,9\nR-NEW,new,150 mm,9\n"


def sent_table(shop, **changed):
    page = shop.page("/shelf?kind=rod")
    form = page.one("form", action="/shelf/take-in").sent() | {"text": ROWS, "name": "rods.csv"} | changed
    form.pop("file", None)
    return shop.post("/shelf/take-in", form)


def test_a_table_over_a_part_that_somebody_changed_since_is_asked_about(shop, stocked):
    seen_then = shop.page("/shelf?kind=rod").one("form", action="/shelf/take-in").sent()["version"]
    save(stocked, name="theirs")
    response = sent_table(shop, version=seen_then)
    assert response.status_code == 409
    page = seen(response)
    assert "Others changed parts of this table since you saw the shelf" in page.text
    assert page.one("table").rows()[1] == ["rod-0 (Bo: changed), name", "theirs", "mine"]
    assert rod(stocked).part.name == "theirs"
    # Looked at, and put over theirs.
    form = page.one("form", action="/shelf/take-in").sent()
    assert shop.post("/shelf/take-in", form).status_code == 302
    assert rod(stocked).part.name == "mine"


def test_a_table_that_leaves_alone_what_others_changed_is_taken_in(shop, stocked):
    seen_then = shop.page("/shelf?kind=rod").one("form", action="/shelf/take-in").sent()["version"]
    save(stocked, name="theirs")
    only_new = "code,name,length,price\nR-NEW,new,150 mm,9\n"
    assert sent_table(shop, version=seen_then, text=only_new).status_code == 302
    assert rod(stocked).part.name == "theirs"


def test_a_part_taken_off_shows_its_record_and_comes_back(shop, stocked):
    response = take_off(shop)
    page = shop.page(response.headers["Location"])
    assert "off the shelf: no recipe finds it" in page.text
    assert "No recipe: none of the rods" in shop.text("/mix?block=B1")
    form = page.one("form").sent()
    back(shop, form["change"], form["version"])
    assert rod(stocked).part == part("rod", "rod-0")
    assert "1 recipe, counted" in shop.text("/mix?block=B1&quench-min=1.0&quench-max=1.6")


def test_parts_taken_off_are_listed_until_they_are_put_back(shop, stocked):
    off = "/shelf?kind=rod&state=off the shelf"
    assert "No rod was taken off the shelf." in shop.text(off)
    save(stocked, name="a bent one")
    take_off(shop)
    page = shop.page(off)
    assert page.one("table").rows()[1][0] == "rod-0 a bent one"
    assert "1 off the shelf; each can be put back" in page.text
    assert "rod-0" in shop.text(off + "&q=BENT rod")
    assert "No rod of that name was taken off the shelf." in shop.text(off + "&q=straight")
    assert "crank-0" not in shop.text(off.replace("rod", "crank"))
    back(shop, newest(stocked), 0)
    assert "No rod was taken off the shelf." in shop.text(off)


def test_somebody_who_saved_in_between_is_named_and_keeps_what_was_saved(shop, stocked):
    save(stocked, name="one")
    change = newest(stocked)
    save(stocked, name="two")
    back(shop, change, 2)
    assert rod(stocked).part.name == "two"
    assert "Bo saved this part in between" in said(shop)[0]


def test_a_part_that_was_ordered_comes_back_as_an_idea(shop, stocked):
    save(stocked, state="ordered")
    save(stocked, state="idea", name="not wanted")
    back(shop, newest(stocked), 3)
    found = rod(stocked).part
    assert (found.state, found.name) == ("idea", "")
    assert "an order goes through a recipe's basket (gate 14)" in said(shop)[0]
    # What is on order now stays on order, whatever else of it is taken back.
    save(stocked, state="ordered")
    save(stocked, name="misnamed")
    back(shop, newest(stocked), rod(stocked).version)
    assert (rod(stocked).part.state, rod(stocked).part.name) == ("ordered", "")


@pytest.mark.parametrize("change", ["0", "99999", "x", ""])
def test_a_change_that_is_not_there_is_a_page(shop, stocked, change):
    assert back(shop, change, 1).status_code == 404
    # Nor is there anything before a part was put on the shelf.
    assert back(shop, newest(stocked), 1).status_code == 404
    assert rod(stocked).version == 1


def test_a_record_of_another_part_is_no_way_back(shop, stocked):
    save(stocked, name="one")
    response = shop.post("/shelf/crank/crank-0/back", {"change": str(newest(stocked)), "version": "1"})
    assert response.status_code == 404


def test_inches_are_said_in_sentences_too(shop, stocked):
    store.take_in(
        stocked,
        [part("rod", "R", pin_bore=26.0), part("piston", "P", pin_bore=21.8)],
        entry=by("Ada", "more"),
    )
    stocked.commit()
    asked = "/mix?block=B1&quench-min=1.0 mm&quench-max=1.6 mm"
    why = f"/mix/why-not{asked.removeprefix('/mix')}&part=R"
    bossed = asked + "&at=" + KEY.replace("piston-0", "P")
    assert (
        "with none of 2 pistons; with P, the nearest, the small end is 4.00 mm larger than the pin."
        in shop.text(why)
    )
    assert "the bosses are 0.20 mm smaller than the pin" in shop.text(bossed)
    shop.prefer(system="inch", quench="squish")
    assert "the small end is 157.5 thou larger than the pin." in shop.text(why)
    page = shop.text(bossed)
    assert "the bosses are 7.9 thou smaller than the pin" in page
    assert "crosses squish" in page


def test_bands_of_rules_are_read_in_the_readers_unit(shop, stocked):
    page = shop.page("/shelf/rules")
    cells = {cell for row in page.all("table")[0].rows() for cell in row}
    assert {"−0.02 to 0.02 mm", "1.50 mm and more", "2.50 mm and more"} <= cells
    assert "0.20 to 8.00 mm: offset-grind the rod journals" in page.text
    shop.prefer(system="inch")
    page = shop.page("/shelf/rules")
    cells = {cell for row in page.all("table")[0].rows() for cell in row}
    assert {"−0.8 to 0.8 thou", "59.1 thou and more"} <= cells
    assert "7.9 thou to 0.315 in: offset-grind the rod journals" in page.text


def test_rules_of_fit_are_not_put_in_force_over_newer_ones_unseen(shop, varied):
    page = shop.page("/shelf/rules")
    text = page.field("Rules of fit as JSON").value
    version = next(f.sent()["version"] for f in page.all("form") if "rules" in f.sent())
    assert shop.post("/shelf/rules", {"rules": text, "version": version}).status_code == 302
    later = shop.post("/shelf/rules", {"rules": text.replace("320.0", "345.25"), "version": version})
    assert later.status_code == 409
    assert "put other rules in force since you opened the page" in seen(later).text
    assert "345.25" in seen(later).field("Rules of fit as JSON").value
    assert shop.post("/shelf/rules", {"usual": "1", "version": version}).status_code == 409
