"""The parts shelf's record: any change is taken back, also a part taken off; and what stands under the mix bench."""

from __future__ import annotations

from dataclasses import replace

import pytest

from support.shelves import BLOCK, part
from zygometra.core.mix.parts import MAKING
from zygometra.store import shelf as store

KEY = "~".join(f"{kind}-0" for kind in MAKING)


@pytest.fixture
def stocked(session):
    """A shelf with one nominal part of each kind."""
    store.take_in(
        session, [BLOCK, *(part(kind, f"{kind}-0") for kind in MAKING)], actor="Ada", says="for the test"
    )
    session.commit()
    return session


def rod(session):
    session.rollback()
    return store.load_part(session, "rod", "rod-0")


def save(session, **changes):
    now = rod(session)
    store.save_part(
        session, replace(now.part, **changes), expected_version=now.version, actor="Bo", says="changed"
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


def test_a_part_taken_off_shows_its_record_and_comes_back(shop, stocked):
    response = shop.post("/shelf/rod/rod-0/remove")
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
    shop.post("/shelf/rod/rod-0/remove")
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


# -- what is said under the bench, and how recipes compare -----------------------------------


def test_inches_are_said_in_sentences_too(shop, stocked):
    store.take_in(
        stocked,
        [part("rod", "R", pin_bore=26.0), part("piston", "P", pin_bore=21.8)],
        actor="Ada",
        says="more",
    )
    stocked.commit()
    asked = "/mix?block=B1&quench-min=1.0 mm&quench-max=1.6 mm"
    why = f"/mix/why-not{asked.removeprefix('/mix')}&part=R"
    bossed = asked + "&at=" + KEY.replace("piston-0", "P")
    assert (
        "with none of 2 pistons; with P, the nearest, the small end is 4 mm larger than the pin."
        in shop.text(why)
    )
    assert "the bosses are 0.2 mm smaller than the pin" in shop.text(bossed)
    shop.prefer(system="inch", quench="squish")
    assert "the small end is 157.5 thou larger than the pin." in shop.text(why)
    page = shop.text(bossed)
    assert "the bosses are 7.9 thou smaller than the pin" in page
    assert "crosses squish" in page


def test_bands_of_rules_are_read_in_the_readers_unit(shop, stocked):
    page = shop.page("/shelf/rules")
    cells = {cell for row in page.all("table")[0].rows() for cell in row}
    assert {"−0.02 to 0.02 mm", "1.5 mm and more"} <= cells
    assert "0.2 to 8 mm: offset-grind the rod journals" in page.text
    shop.prefer(system="inch")
    page = shop.page("/shelf/rules")
    cells = {cell for row in page.all("table")[0].rows() for cell in row}
    assert {"−0.8 thou to 0.8 thou", "59.1 thou and more"} <= cells
    assert "7.9 thou to 0.315 in: offset-grind the rod journals" in page.text


def test_columns_say_by_which_parts_they_differ_and_keep_back_what_is_the_same(shop, stocked):
    store.take_in(
        stocked, [part("head", "tall", chamber_volume=54.0, price=20_000)], actor="Ada", says="more"
    )
    stocked.commit()
    page = shop.page("/mix?block=B1&quench-min=1.0&quench-max=1.6")
    rows = {row.all(tag="th")[0].text: row.all(tag="td") for row in page.all("row") if row.all(tag="th")}
    assert [cell.text for cell in rows["other parts"]][:2] == ["in hand", "head tall"]
    assert [cell.classes for cell in rows["displacement"][:2]] == [{"chosen"}, {"same"}]
    assert [cell.classes for cell in rows["ratio"][:2]] == [{"chosen"}, set()]


def test_of_very_many_that_cannot_be_judged_some_are_named_and_the_rest_counted(shop, stocked):
    store.take_in(
        stocked, [part("rod", f"N{n:03}", pin_bore=None) for n in range(75)], actor="Ada", says="more"
    )
    stocked.commit()
    page = shop.page("/mix?block=B1")
    assert "75 parts cannot be judged for want of a figure." in page.text
    assert page.text.count("cannot be judged: pin bore missing") == 60
    assert "and 15 more" in [item.text for item in page.all("listitem")]


def test_a_field_that_only_the_quench_floor_holds_back_says_so(shop, stocked):
    # A gasket of 1.2 over a piston 1 mm proud: 0.2 of quench, which no window forbids.
    store.take_in(stocked, [part("piston", "piston-0", compression_height=35.4)], actor="Ada", says="taller")
    stocked.commit()
    page = shop.text("/mix?block=B1&machining=none&deck_clearance-max=0")
    assert "Only the quench floor of the house stands against 1 recipe; it is never opened." in page


def test_two_windows_at_once_are_said_to_be_at_fault(shop, stocked):
    page = shop.text("/mix?block=B1&displacement-min=3000&compression_ratio-min=14")
    assert "No single window is to blame: at least two of them must give." in page
