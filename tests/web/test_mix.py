"""The mix bench and the parts shelf, driven without a browser."""

from __future__ import annotations

import io
import json
import re
import time

import pytest

from support.page import Element, seen
from support.shelves import BLOCK, part
from zygometra.core.build.model import ROD_MATERIALS
from zygometra.core.house_rules import rules_for
from zygometra.core.mix.counting import count
from zygometra.core.mix.laid_out import LaidOut
from zygometra.core.mix.parts import MAKING, Part
from zygometra.core.mix.question import Question
from zygometra.core.mix.shelf import Block
from zygometra.core.mix.usual import USUAL
from zygometra.core.windows import Window
from zygometra.demo.shelf import demo_shelf
from zygometra.store import builds
from zygometra.store import shelf as store

WINDOWS = "quench-min=1.0&quench-max=1.6&compression_ratio-min=9&compression_ratio-max=10.5"
KEY = "~".join(f"{kind}-0" for kind in MAKING)


@pytest.fixture
def stocked(session):
    """A shelf with one nominal part of each kind, and some that do not go with them."""
    parts = [
        BLOCK,
        *(part(kind, f"{kind}-0") for kind in MAKING),
        part("piston", "tall", compression_height=37.5),
        part("rod", "unknown", pin_bore=None),
        part("head", "other", words={"head_pattern": "V14"}),
        Part("bearing", "BR-1", figures={"journal": 50.0}, texts={"place": "rod"}, price=900),
    ]
    store.take_in(session, parts, actor="Ada", says="for the test")
    session.commit()
    return session


def test_the_bench_shows_the_recipe_its_figures_and_how_many(shop, stocked):
    page = shop.page(f"/mix?block=B1&{WINDOWS}")
    assert "1 recipe, counted" in page.text
    assert "2287 cc" in page.text
    # All assumed: √((0.30² + 0.10² + 0.20² + 0.20²)/3)·1.96
    assert "deck clearance 0.20 ± 0.48 mm down" in page.text
    assert page.all("button", data_recipe=KEY)


@pytest.fixture
def large(session, monkeypatch):
    """So large a shelf that its recipes are not counted in a moment; and no answer waits."""
    monkeypatch.setattr("zygometra.web.mix.routes.COUNT_WAIT", 0.0)
    monkeypatch.setattr("zygometra.web.mix.view.WHY_WAIT", 0.0)
    store.take_in(session, demo_shelf(3000, 7), actor="Ada", says="for the test")
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
    question = Question(
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
    assert shown == count(LaidOut(laid_out, Block(laid_out, "BL-001"), USUAL, question)).recipes > 100_000


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
        LaidOut(laid_out, Block(laid_out, "BL-001"), USUAL, Question("BL-001", {})).candidates["head"].rows
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


def test_an_answer_brings_every_part_that_changes_and_its_address(shop, stocked):
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


def test_a_field_that_cannot_be_read_keeps_what_was_typed_and_says_why(shop, stocked):
    page = shop.page("/mix?block=B1&quench-min=1,0,0&rpm=fast&rod_ratio-min=2&rod_ratio-max=1")
    assert page.field("least quench").value == "1,0,0"
    assert "two decimal marks" in page.text
    assert "a crank speed of 1 to 30000" in page.text
    assert "edges out of order" in page.text


def test_a_block_that_is_not_there_says_so(shop, stocked):
    assert "wanted the code of a block on the shelf" in shop.text("/mix?block=%3Cscript%3E")


def test_no_recipe_says_which_window_and_the_nearest_miss(shop, stocked):
    page = shop.text("/mix?block=B1&quench-min=1.0&quench-max=1.6&compression_ratio-min=14")
    assert "No recipe satisfies every window." in page
    assert "Without the window of compression ratio there would be 1 recipe." in page
    assert "The nearest miss" in page


def test_what_cannot_be_judged_is_listed(shop, stocked):
    assert "rod unknown cannot be judged: pin bore missing" in shop.text(f"/mix?block=B1&{WINDOWS}")


@pytest.mark.parametrize(
    ("code", "says"),
    [
        ("other", "bolt pattern"),
        ("unknown", "cannot be judged: pin bore missing"),
        ("tall", "It stops too high"),
        ("rod-0", "It is in: 1 recipe with it"),
        ("nothing", "has the code nothing"),
        ("", "wanted the code of"),
    ],
)
def test_why_not_this_part(shop, stocked, code, says):
    assert says in shop.text(f"/mix/why-not?block=B1&{WINDOWS}&part={code}")


def test_a_pinned_recipe_outside_the_windows_stands_beside_the_best(shop, stocked):
    tall = KEY.replace("piston-0", "tall")
    page = shop.page(f"/mix?block=B1&{WINDOWS}&machining=none&pins={tall}&at={tall}")
    assert "does not stand" in page.text
    assert "proud" in page.text
    reached = [e for e in page.all("button", tabindex="0") if "data-recipe" in e.attrs]
    assert len({e.attrs["data-recipe"] for e in reached}) == 2


def test_inches_first_read_and_write_thou(shop, stocked):
    shop.prefer(system="inch")
    page = shop.text("/mix?block=B1&quench-min=40&quench-max=60")
    assert "1 recipe, counted" in page
    assert "55 ±" in page  # 1.4 mm


def test_a_recipe_becomes_a_build_whose_record_says_where_from(shop, stocked):
    response = shop.post(
        "/mix/take", {"block": "B1", "at": KEY, "into": "new", "name": "From the shelf", "quench-min": "1.0"}
    )
    build_id = int(re.search(r"/builds/(\d+)/", response.headers["Location"]).group(1))
    stored = builds.load(stocked, build_id)
    assert stored.document["name"] == "From the shelf"
    assert stored.document["parts"]["rod"]["x-part"] == "rod-0"
    assert stored.document["targets"]["quench"]["min"] == "1.0 mm"
    assert "block B1, crank crank-0, rod rod-0" in builds.history(stocked, build_id)[0].says
    assert "rim 0.2" in shop.text(f"/builds/{build_id}/stack")


def test_a_recipe_goes_into_a_build_that_is_there_and_undo_brings_it_back(shop, stocked, bring):
    build_id = bring("pilot-launch")
    before = builds.load(stocked, build_id).document
    shop.post("/mix/take", {"block": "B1", "at": KEY, "into": str(build_id)})
    stocked.rollback()
    after = builds.load(stocked, build_id)
    assert after.version == 2
    assert (after.document["name"], after.document["customer"]) == (before["name"], before["customer"])
    assert "cylinders" not in after.document
    shop.post(f"/builds/{build_id}/undo", {"version": 2})
    stocked.rollback()
    assert builds.load(stocked, build_id).document == before


def test_a_build_needs_a_name(shop, stocked):
    response = shop.post("/mix/take", {"block": "B1", "at": KEY, "into": "new", "name": " "})
    assert response.status_code == 422
    assert "wanted a name of 1 to 120 characters" in seen(response).text


def test_the_basket_as_page_and_table(shop, stocked):
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


def states(session):
    session.rollback()
    return {
        code: store.load_part(session, kind, code).part.state
        for kind, code in [(k, f"{k}-0") for k in MAKING] + [("piston", "tall"), ("bearing", "BR-1")]
    }


def test_ordering_a_stack_that_stands_sets_its_parts(shop, stocked):
    assert shop.post("/mix/order", {"block": "B1", "at": KEY}).status_code == 302
    found = states(stocked)
    assert {found[f"{kind}-0"] for kind in MAKING} == {"ordered"}
    assert found["BR-1"] == "ordered"
    assert found["tall"] == "idea"
    assert "ordered for B1" in store.history(stocked, "rod", "rod-0")[0].says


def test_nothing_is_ordered_on_a_stack_that_fails_unless_somebody_signs(shop, stocked):
    tall = KEY.replace("piston-0", "tall")
    form = {"block": "B1", "at": tall, "machining": "none"}
    refused = shop.post("/mix/order", form)
    assert refused.status_code == 409
    assert "The stack fails on paper" in seen(refused).text
    assert set(states(stocked).values()) == {"idea"}
    assert shop.post("/mix/order", {**form, "reason": "x", "sign": "1"}).status_code == 409
    signed = shop.post("/mix/order", {**form, "reason": "pistons to be cut by the owner", "sign": "1"})
    assert signed.status_code == 302
    assert states(stocked)["tall"] == "ordered"
    assert "pistons to be cut by the owner" in shop.text(f"/mix/basket?block=B1&at={tall}&machining=none")


def test_a_recipe_of_parts_that_are_gone_is_a_page(shop, stocked):
    assert shop.get("/mix/basket?block=B1&at=a~b~c~d~e").status_code == 404


# -- the shelf ---------------------------------------------------------------------------


def test_the_shelf_lists_searches_and_marks_what_is_missing(shop, stocked):
    page = shop.page("/shelf?kind=rod")
    assert "rods 2" in {link.text for link in page.all("link")}
    assert [e.text for e in page if "missing" in e.classes]
    assert "rod-0" not in shop.text("/shelf?kind=rod&q=unknown")


def test_a_part_is_changed_and_its_other_figures_stay_to_the_letter(shop, stocked):
    kept = dict(store.load_part(stocked, "rod", "rod-0").part.figures)
    form = shop.page("/shelf/rod/rod-0").all("form")[0].sent()
    assert form["version"] == "1"
    shop.post(
        "/shelf/rod/rod-0",
        {**form, "state": "measured", "d-length": "148.02; 148.04 mm", "on_shelf": "4"},
    )
    stocked.rollback()
    found = store.load_part(stocked, "rod", "rod-0")
    assert found.version == 2
    assert found.part.state == "measured"
    assert found.part.quantity("length").value == pytest.approx(148.03)
    assert {k: v for k, v in found.part.figures.items() if k != "length"} == {
        k: v for k, v in kept.items() if k != "length"
    }


def test_bad_figures_of_a_part_keep_what_was_typed(shop, stocked):
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


def test_ordering_a_part_by_itself_wants_a_signed_reason(shop, stocked):
    form = {"version": "1", "state": "ordered", "price": "100.00", "on_shelf": "0"}
    refused = shop.post("/shelf/rod/rod-0", form)
    assert refused.status_code == 422
    assert "gate 14" in seen(refused).text
    shop.post("/shelf/rod/rod-0", {**form, "reason": "spare for the Tarnbeck"})
    assert states(stocked)["rod-0"] == "ordered"


def test_the_later_saver_of_a_part_sees_both(shop, stocked):
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


def test_a_table_is_taken_in_and_given_out(shop, stocked):
    text = shop.html("/shelf/tables/rod.csv")
    assert take(shop, text.replace("rod-0", "rod-9")).status_code == 302
    assert "rod-9" in shop.text("/shelf?kind=rod")


def test_a_table_with_faults_is_taken_in_only_where_the_person_says_so(shop, stocked):
    text = "code,length\nG1,148 mm\nG2,no\n"
    refused = take(shop, text)
    page = seen(refused).text
    assert refused.status_code == 422
    assert "1 of 2 rows are good" in page
    assert "G1" not in shop.text("/shelf?kind=rod")
    shop.post("/shelf/take-in", {"kind": "rod", "text": text, "name": "rods.csv", "good_rows": "1"})
    assert "G1" in shop.text("/shelf?kind=rod")
    assert "G2" not in shop.text("/shelf?kind=rod")


def test_a_table_that_would_order_wants_a_reason(shop, stocked):
    text = "code,length,state\nG1,148 mm,ordered\n"
    assert "would be set to ordered" in seen(take(shop, text)).text
    assert take(shop, text, reason="moved from the old book").status_code == 302


def test_rules_of_fit_are_shown_changed_and_put_back(shop, stocked):
    page = shop.page("/shelf/rules")
    assert "pin in the small end" in page.text
    data = json.loads(page.field("Rules of fit as JSON").value)
    data["rules"] = [r for r in data["rules"] if r["key"] != "head-pattern"]
    shop.post("/shelf/rules", {"rules": json.dumps(data)})
    assert "the shop's own" in shop.text("/shelf/rules")
    assert "2 recipes, counted" in shop.text(f"/mix?block=B1&{WINDOWS}")
    data["rules"][0]["bands"][0]["machining"] = "magic"
    refused = shop.post("/shelf/rules", {"rules": json.dumps(data)})
    assert "the operation 'magic'" in seen(refused).text
    assert shop.post("/shelf/rules", {"rules": "{"}).status_code == 422
    shop.post("/shelf/rules", {"usual": "1"})
    assert "1 recipe, counted" in shop.text(f"/mix?block=B1&{WINDOWS}")


@pytest.mark.parametrize("address", ["/shelf/wheel/X", "/shelf/rod/none", "/shelf/tables/wheel.csv"])
def test_what_is_not_there_is_a_page(shop, stocked, address):
    assert shop.get(address).status_code == 404
