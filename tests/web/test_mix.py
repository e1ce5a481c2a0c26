"""The mix: recipes, counts, why none and why not, and what becomes of one."""

from __future__ import annotations

import re
import time
from dataclasses import replace

import pytest

from support.page import Element, seen
from support.people import by
from support.shelves import KEY, WINDOWS, part
from zygometra.core.build.model import ROD_MATERIALS
from zygometra.core.house_rules import rules_for
from zygometra.core.mix.counting import count
from zygometra.core.mix.laid_out import QueryTables
from zygometra.core.mix.parts import MAKING, Part
from zygometra.core.mix.question import MixQuestion
from zygometra.core.mix.shelf import Block
from zygometra.core.mix.usual import USUAL
from zygometra.core.windows import Window
from zygometra.demo.shelf import demo_shelf
from zygometra.store import builds, history
from zygometra.store import shelf as store


def test_the_bench_shows_the_recipe_its_figures_and_how_many(shop, varied):
    page = shop.page(f"/mix?block=B1&{WINDOWS}")
    assert "1 recipe, counted" in page.text
    assert "2287 cc" in page.text
    # All assumed, half of it the deck's ±0.30: √((0.30² + 0.10² + 0.20² + 0.20²)/3)·1.96·(1 − 0.16·½³)
    assert "deck clearance 0.20 ± 0.47 mm down" in page.text
    assert page.all("button", data_recipe=KEY)


@pytest.fixture
def large(session, monkeypatch):
    """So large a shelf that its recipes are not counted in a moment; and no answer waits."""
    monkeypatch.setattr("zygometra.web.mix.routes.COUNT_WAIT", 0.0)
    monkeypatch.setattr("zygometra.web.mix.view.WHY_WAIT", 0.0)
    store.take_in(session, demo_shelf(3000, 7), entry=by("Ada", "for the test"))
    session.commit()
    return session


def asks_again(page) -> list[dict[str, str]]:
    """What of a page asks again by itself when it is loaded."""
    return [e.attrs for e in page if e.attrs.get("hx-trigger", "").startswith("load delay:")]


def until(asked, wanted: str) -> tuple[Element, Element]:
    """The first and the last of the answers that a page gets that asks again and again."""
    first = now = asked()
    end = time.monotonic() + 60
    while wanted not in now.text:
        assert time.monotonic() < end
        time.sleep(0.05)
        now = asked()
    return first, now


def test_an_estimate_stands_at_once_and_the_exact_number_when_it_is_ready(shop, large):
    house = rules_for("", {})
    question = MixQuestion(
        "BL-001",
        {"quench": Window(1.0, None, 1.6), "compression_ratio": Window(9, None, 10.5)},
        quench_floor={name: house.quench_floor(name or "steel") for name in ("", *ROD_MATERIALS)},
    )
    about = shop.page(f"/mix?block=BL-001&{WINDOWS}").one(id_="mix-count").text.partition(";")[0]
    assert about.startswith("about ")
    first, last = until(lambda: shop.page(f"/mix/count?block=BL-001&{WINDOWS}"), ", counted")
    assert about in first.text
    assert re.search(r"being counted one by one, \d+ % done", first.text)
    assert asks_again(first)
    assert not asks_again(last)
    shown = int(re.sub(r"\D", "", re.search(r"(.*?) recipes", last.text)[1]))
    laid_out = store.read_shelf(large)
    assert shown == count(QueryTables(laid_out, Block(laid_out, "BL-001"), USUAL, question)).recipes > 100_000


def test_why_there_is_none_follows_when_it_is_worked_out(shop, large):
    address = "/mix/answer?block=BL-001&quench-min=1.0&quench-max=1.6&compression_ratio-min=60&compression_ratio-max=61"
    first, last = until(lambda: shop.page(address), "The nearest miss")
    assert "0 recipes, counted" in first.text
    assert "Why is being worked out" in first.text
    (again,) = asks_again(first)
    assert again["hx-trigger"] == "load delay:800ms"
    assert (again["hx-target"], again["hx-sync"]) == ("#mix-answer", "#question:abort")
    assert "being worked out" not in last.text
    assert "Without the window of compression ratio there would be about" in last.text
    assert "does not stand" in last.text


def test_the_best_follow_where_they_take_long(shop, large, monkeypatch):
    monkeypatch.setattr("zygometra.web.mix.view.BEST_WAIT", 0.0)
    address = f"/mix/answer?block=BL-001&{WINDOWS}&priority=least-machining"
    first, last = until(lambda: shop.page(address), "other parts")
    assert first.text.count("The best are being looked for.") == 1
    assert "The best recipes are being looked for." in first.text
    assert "No recipe" not in first.text
    again = [a for a in asks_again(first) if a["hx-target"] == "#mix-answer"]
    assert [(a["hx-trigger"], a["hx-sync"]) for a in again] == [("load delay:800ms", "#question:abort")]
    assert "being looked for" not in last.text
    assert not [a for a in asks_again(last) if a["hx-target"] == "#mix-answer"]


def test_why_not_this_part_follows_too(shop, large, monkeypatch):
    monkeypatch.setattr("zygometra.web.mix.routes.WHY_WAIT", 0.0)
    laid_out = store.read_shelf(large)
    # A head that fits the block: whether it is in is not seen at once.
    usable = (
        QueryTables(laid_out, Block(laid_out, "BL-001"), USUAL, MixQuestion("BL-001", {}))
        .candidates["head"]
        .rows
    )
    code = laid_out.tables["head"].codes[usable[0]]
    address = f"/mix/why-not?block=BL-001&{WINDOWS}&part={code}"
    first, last = until(lambda: shop.page(address), ":")
    assert f"{code} is being looked into." in first.text
    (again,) = asks_again(first)
    assert f"part={code}" in again["hx-get"]
    assert last.all("listitem")
    assert not asks_again(last)


def test_an_empty_shelf_says_what_to_do(shop, engine):
    assert "put one on the" in shop.text("/mix")


def test_an_answer_brings_every_part_that_changes_and_its_address(shop, varied):
    response = shop.get(f"/mix/answer?block=B1&{WINDOWS}&rpm=6000", HX_Request="true")
    page = seen(response)
    assert [e.id for e in page if "hx-swap-oob" in e.attrs] == [
        "mix-side",
        "mix-said",
        "ask-faults",
        "fault-block",
    ]
    assert "rpm=6000" in response.headers["HX-Replace-Url"]
    assert "17.2 m/s" in page.text


def test_a_field_that_cannot_be_read_keeps_what_was_typed_and_says_why(shop, varied):
    page = shop.page("/mix?block=B1&quench-min=1,0,0&rpm=fast&rod_ratio-min=2&rod_ratio-max=1")
    assert page.field("least quench").value == "1,0,0"
    assert "two decimal marks" in page.text
    assert "a crank speed of 1 to 30000" in page.text
    assert "edges out of order" in page.text


def test_a_block_that_is_not_there_says_so(shop, varied):
    assert "wanted the code of a block on the shelf" in shop.text("/mix?block=%3Cscript%3E")


def test_no_recipe_says_which_window_and_the_nearest_miss(shop, varied):
    page = shop.text("/mix?block=B1&quench-min=1.0&quench-max=1.6&compression_ratio-min=14")
    assert "No recipe satisfies every window." in page
    assert "Without the window of compression ratio there would be 1 recipe." in page
    assert "The nearest miss" in page


def test_what_cannot_be_judged_is_listed(shop, varied):
    assert "rod unknown cannot be judged: length missing" in shop.text(f"/mix?block=B1&{WINDOWS}")


@pytest.mark.parametrize(
    ("code", "says"),
    [
        ("other", "bolt pattern"),
        ("unknown", "cannot be judged: length missing"),
        ("tall", "It stops too high"),
        ("rod-0", "It is in: 1 recipe with it"),
        ("nothing", "has the code nothing"),
        ("", "wanted the code of"),
    ],
)
def test_why_not_this_part(shop, varied, code, says, monkeypatch):
    monkeypatch.setattr("zygometra.web.mix.routes.WHY_WAIT", 30.0)
    assert says in shop.text(f"/mix/why-not?block=B1&{WINDOWS}&part={code}")


def test_a_pinned_recipe_outside_the_windows_stands_beside_the_best(shop, varied):
    tall = KEY.replace("piston-0", "tall")
    page = shop.page(f"/mix?block=B1&{WINDOWS}&machining=none&pins={tall}&at={tall}")
    assert "does not stand" in page.text
    assert "proud" in page.text
    reached = [e for e in page.all("button", tabindex="0") if "data-recipe" in e.attrs]
    assert len({e.attrs["data-recipe"] for e in reached}) == 2


def test_inches_first_read_and_write_thou(shop, varied):
    shop.prefer(system="inch")
    page = shop.text("/mix?block=B1&quench-min=40&quench-max=60")
    assert "1 recipe, counted" in page
    assert "55 ±" in page  # 1.4 mm


def test_a_recipe_becomes_a_build_whose_record_says_where_from(shop, varied):
    response = shop.post(
        "/mix/take", {"block": "B1", "at": KEY, "into": "new", "name": "From the shelf", "quench-min": "1.0"}
    )
    build_id = int(re.search(r"/builds/(\d+)/", response.headers["Location"]).group(1))
    stored = builds.load(varied, build_id)
    assert stored.document["name"] == "From the shelf"
    assert stored.document["parts"]["rod"]["x-part"] == "rod-0"
    assert stored.document["targets"]["quench"]["min"] == "1.0 mm"
    assert "block B1, crank crank-0, rod rod-0" in history.history(varied, build_id)[0].says
    assert "rim 0.2" in shop.text(f"/builds/{build_id}/stack")


def test_a_recipe_goes_into_a_build_that_is_there_and_undo_brings_it_back(shop, varied, bring):
    build_id = bring("pilot-launch")
    before = builds.load(varied, build_id).document
    shop.post("/mix/take", {"block": "B1", "at": KEY, "into": f"{build_id}@1"})
    varied.rollback()
    after = builds.load(varied, build_id)
    assert after.version == 2
    assert (after.document["name"], after.document["customer"]) == (before["name"], before["customer"])
    assert "cylinders" not in after.document
    shop.post(f"/builds/{build_id}/undo", {"version": 2})
    varied.rollback()
    assert builds.load(varied, build_id).document == before


def test_a_build_needs_a_name(shop, varied):
    response = shop.post("/mix/take", {"block": "B1", "at": KEY, "into": "new", "name": " "})
    assert response.status_code == 422
    assert "wanted a name of 1 to 120 characters" in seen(response).text


def test_the_basket_as_page_and_table(shop, varied):
    page = shop.text(f"/mix/basket?block=B1&at={KEY}")
    assert "rod bearings" in page
    assert "to be found: nothing on the shelf suits" in page
    rows = shop.html(f"/mix/basket.csv?block=B1&at={KEY}").splitlines()
    assert rows[0].startswith("what,code,name")
    assert next(r for r in rows if r.startswith("rod bearings")).split(",")[4:9] == [
        "4",
        "0",
        "4",
        "9.00",
        "36.00",
    ]


def basket(shop, key, more=""):
    """The form of a basket as its page carries it."""
    return shop.page(f"/mix/basket?block=B1&at={key}{more}").one("form", action="/mix/order").sent()


def test_a_basket_whose_parts_were_changed_since_is_shown_again(shop, varied, states):
    form = basket(shop, KEY)
    changed = store.load_part(varied, "rod", "rod-0")
    dearer = replace(changed.part, price=99_900)
    store.save_part(varied, dearer, expected_version=changed.version, entry=by("Tove", "dearer now"))
    varied.commit()
    refused = shop.post("/mix/order", form)
    assert refused.status_code == 409
    assert "rod-0: dearer now, by Tove" in seen(refused).text
    assert set(states().values()) == {"idea"}
    again = seen(refused).one("form", action="/mix/order").sent()
    assert shop.post("/mix/order", again).status_code == 302
    assert states()["rod-0"] == "ordered"


def test_ordering_a_stack_that_stands_sets_its_parts(shop, varied, states):
    assert shop.post("/mix/order", basket(shop, KEY)).status_code == 302
    found = states()
    assert {found[f"{kind}-0"] for kind in MAKING} == {"ordered"}
    assert found["BR-1"] == "ordered"
    assert found["tall"] == "idea"
    assert "ordered for B1" in store.history(varied, "rod", "rod-0")[0].says


def test_nothing_is_ordered_on_a_stack_that_fails_unless_somebody_signs(shop, varied, states):
    tall = KEY.replace("piston-0", "tall")
    form = basket(shop, tall, "&machining=none")
    refused = shop.post("/mix/order", form)
    assert refused.status_code == 409
    assert "The stack fails on paper" in seen(refused).text
    assert set(states().values()) == {"idea"}
    assert shop.post("/mix/order", {**form, "reason": "x", "sign": "1"}).status_code == 409
    signed = shop.post("/mix/order", {**form, "reason": "pistons to be cut by the owner", "sign": "1"})
    assert signed.status_code == 302
    assert states()["tall"] == "ordered"
    assert "pistons to be cut by the owner" in shop.text(f"/mix/basket?block=B1&at={tall}&machining=none")


def test_a_recipe_of_parts_that_are_gone_is_a_page(shop, varied):
    assert shop.get("/mix/basket?block=B1&at=a~b~c~d~e").status_code == 404


def test_columns_say_by_which_parts_they_differ_and_keep_back_what_is_the_same(shop, stocked):
    store.take_in(stocked, [part("head", "tall", chamber_volume=54.0, price=20_000)], entry=by("Ada", "more"))
    stocked.commit()
    page = shop.page("/mix?block=B1&quench-min=1.0&quench-max=1.6")
    rows = {row.all(tag="th")[0].text: row.all(tag="td") for row in page.all("row") if row.all(tag="th")}
    assert [cell.text for cell in rows["other parts"]][:2] == ["in hand", "head tall"]
    assert [cell.classes for cell in rows["displacement"][:2]] == [{"chosen"}, {"same"}]
    assert [cell.classes for cell in rows["ratio"][:2]] == [{"chosen"}, set()]


def test_of_very_many_that_cannot_be_judged_some_are_named_and_the_rest_counted(shop, stocked):
    store.take_in(stocked, [part("rod", f"N{n:03}", length=None) for n in range(75)], entry=by("Ada", "more"))
    stocked.commit()
    page = shop.page("/mix?block=B1")
    assert "75 parts cannot be judged for want of a figure." in page.text
    assert page.text.count("cannot be judged: length missing") == 60
    assert "and 15 more" in [item.text for item in page.all("listitem")]


def test_a_field_that_only_the_quench_floor_holds_back_says_so(shop, stocked):
    # A gasket of 1.2 over a piston 1 mm proud: 0.2 of quench, which no window forbids.
    store.take_in(stocked, [part("piston", "piston-0", compression_height=35.4)], entry=by("Ada", "taller"))
    stocked.commit()
    page = shop.text("/mix?block=B1&machining=none&deck_clearance-max=0")
    assert "Only the quench floor of the house stands against 1 recipe; it is never opened." in page


def test_two_windows_at_once_are_said_to_be_at_fault(shop, stocked):
    page = shop.text("/mix?block=B1&displacement-min=3000&compression_ratio-min=14")
    assert "No single window is to blame: at least two of them must give." in page


def test_a_recipe_on_paper_needs_no_gasket_and_no_head(shop, session):
    figures = {"deck_height": 225.4, "bore": 92.0, "cylinders": 4, "banks": 1}
    store.take_in(
        session,
        [
            Part("block", "B", figures=figures, state="accepted", on_shelf=1),
            Part("crank", "C", figures={"stroke": 86.0}),
            Part("rod", "R", figures={"length": 148.0}),
            Part("piston", "P", figures={"compression_height": 34.2}),
        ],
        entry=by("Ada", "what is known"),
    )
    session.commit()
    page = shop.text("/mix")
    assert "1 recipe, counted" in page
    assert "No gasket is on the shelf yet: quench and compression ratio are left open." in page
    assert "not checked: main journals; crank main diameter, block main diameter missing" in page
    assert "not known: no price for crank and rod and piston" in page
    assert "Put one on the shelf" not in page
    asked = shop.text("/mix?block=B&quench-min=1")
    assert "so quench and compression ratio cannot be judged: empty their windows" in asked
    key = "C~R~P~-~-"
    assert shop.get(f"/mix/basket?block=B&at={key}").status_code == 200
    assert "no gasket chosen" in page


def test_an_unlikely_figure_of_a_part_is_asked_about_in_the_readers_unit(shop, stocked):
    store.take_in(stocked, [part("rod", "SLIP", length=148.0, big_end_width=240.0)], entry=by("Ada", "more"))
    stocked.commit()
    asked = "/mix?block=B1&quench-min=1.0 mm&quench-max=1.6 mm&at=" + KEY.replace("rod-0", "SLIP")
    says = "SLIP: big end width of 240 mm is unlikely; usually it is 8 to 90 mm. Look at it again."
    assert says in shop.text(asked)
    shop.prefer(system="inch")
    assert "is unlikely; usually it is 0.315 to 3.54 in" in shop.text(asked)
