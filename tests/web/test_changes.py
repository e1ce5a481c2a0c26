"""What-ifs and changes: levers, figures, aims, undo, and two people on one build."""

from __future__ import annotations

import json

import pytest

from support.cases import demo
from support.page import read, seen
from zygometra.core.build.document import with_leaf
from zygometra.store import builds


def plan_of(html):
    return json.loads(read(html).carries("plan"))


def what_if(shop, build, **args):
    return (
        shop.text(f"/builds/{build}/stack/what-if", HX_Request="true")
        if not args
        else shop.client.get(
            f"/builds/{build}/stack/what-if", query_string=args, headers={"HX-Request": "true"}
        ).get_data(as_text=True)
    )


def levers(**typed):
    return {
        "nudge": "",
        "deck_cut": "0.18 mm",
        "head_cut": "",
        "crown_cut": "",
        "open_chamber": "0.6 cc",
    } | typed


@pytest.fixture
def pilot(bring):
    return bring("pilot-launch")


def test_a_typed_cut_is_shown_at_once_and_not_kept(shop, pilot, stored):
    html = what_if(shop, pilot, hole="1", **levers(deck_cut="0.25 mm"))
    assert plan_of(html) == [
        {"op": "open_chamber", "cylinder": 1, "amount": "0.6 cc"},
        {"op": "deck_cut", "amount": "0.25 mm"},
    ]
    assert "Not kept" in html
    assert "1.170 mm" in html  # quench 1.42 − 0.25
    assert stored(pilot).version == 1


def test_the_address_carries_the_what_if(shop, pilot):
    response = shop.client.get(
        f"/builds/{pilot}/stack/what-if",
        query_string={"hole": "2", **levers(deck_cut="7 thou")},
        headers={"HX-Request": "true"},
    )
    address = response.headers["HX-Replace-Url"]
    page = shop.page(address)
    assert page.field("Deck cut").value == "7 thou"
    assert "Not kept" in page.text
    assert [e.text for e in page.all("button", aria_pressed="true")] == ["2"]


def test_the_same_length_in_another_unit_is_taken_as_typed(shop, pilot):
    same = what_if(shop, pilot, hole="1", **levers())
    assert "Not kept" not in same
    typed = what_if(shop, pilot, hole="1", **levers(deck_cut="7.0866 thou"))
    assert {"op": "deck_cut", "amount": "7.0866 thou"} in plan_of(typed)


def test_a_bare_number_is_in_the_readers_unit(shop, pilot):
    assert {"op": "deck_cut", "amount": "0.25 mm"} in plan_of(
        what_if(shop, pilot, hole="1", **levers(deck_cut="0,25".replace(",", ".")))
    )
    shop.prefer(system="inch")
    assert {"op": "deck_cut", "amount": "10 thou"} in plan_of(
        what_if(shop, pilot, hole="1", **levers(deck_cut="10"))
    )


@pytest.mark.parametrize(
    ("lever", "typed", "says"),
    [
        ("deck_cut", "30 thuo", "the unit 'thuo'"),
        ("head_cut", "-1 mm", "0 to 50 mm"),
        ("crown_cut", "1.2.3", "two decimal marks"),
        ("open_chamber", "1 mm", "measures length"),
        ("deck_cut", "1e9 mm", "0 to 50 mm"),
        ("gasket_thickness", "thick", "such as"),
        ("gasket_thickness", "0 mm", "above nought"),
    ],
)
def test_a_faulty_lever_says_why_and_leaves_the_drawing(shop, pilot, lever, typed, says):
    html = what_if(
        shop, pilot, hole="1", gasket="as fitted", gasket_was="as fitted", **levers(**{lever: typed})
    )
    assert says in read(html).text
    assert "<svg" in html
    assert "Not kept" not in html


def test_emptied_levers_take_the_operations_out(shop, pilot):
    assert plan_of(what_if(shop, pilot, hole="1", **levers(deck_cut="", open_chamber=""))) == []


@pytest.mark.parametrize(
    ("nudge", "text"),
    [
        ("deck_cut:+1", "0.19 mm"),
        ("deck_cut:-10", "0.08 mm"),
        ("deck_cut:+900", "0.50 mm"),
        ("deck_cut:=0.2349", "0.23 mm"),
        ("open_chamber:+1", "0.7 cc"),
    ],
)
def test_a_handle_moves_in_steps_and_stops_at_its_limit(shop, pilot, nudge, text):
    assert text in [op["amount"] for op in plan_of(what_if(shop, pilot, hole="1", nudge=nudge))]


def test_a_handle_does_not_go_below_nought(shop, pilot):
    assert [op["op"] for op in plan_of(what_if(shop, pilot, hole="1", nudge="deck_cut:-500"))] == [
        "open_chamber"
    ]


def test_a_thou_is_the_step_of_an_inch_reader(shop, pilot):
    shop.prefer(system="inch")
    assert "8 thou" in [op["amount"] for op in plan_of(what_if(shop, pilot, hole="1", nudge="deck_cut:+1"))]


@pytest.mark.parametrize("nudge", ["weld:+1", "deck_cut:x", "deck_cut:", ":", "gasket:+1"])
def test_a_nudge_that_means_nothing_moves_nothing(shop, pilot, nudge):
    assert "Not kept" not in what_if(shop, pilot, hole="1", nudge=nudge)


def solve(shop, build, lever, result, wanted, hole="1"):
    return what_if(shop, build, hole=hole, nudge="", solve="1", lever=lever, result=result, wanted=wanted)


def test_set_it_so_that_the_quench_is(shop, pilot):
    html = solve(shop, pilot, "deck_cut", "quench", "1.20 mm")
    assert {"op": "deck_cut", "amount": "0.220 mm"} in plan_of(html)
    assert "1.200 mm" in html


def test_set_it_so_that_the_ratio_is(shop, pilot):
    html = solve(shop, pilot, "head_cut", "compression_ratio", "9.85", hole="2")
    amount = next(op["amount"] for op in plan_of(html) if op["op"] == "head_cut")
    evaluation = what_if(shop, pilot, hole="2", nudge="hole:", plan=json.dumps(plan_of(html)))
    assert amount.endswith(" mm")
    assert "9.85" in evaluation


def test_set_the_gasket_so_that_the_quench_is(shop, pilot):
    gasket = next(
        op["gasket"] for op in plan_of(solve(shop, pilot, "gasket", "quench", "1.30")) if op["op"] == "gasket"
    )
    assert gasket == {"name": "to find: 1.260 mm", "thickness": "1.260 mm"}


def test_a_clearance_may_be_asked_proud(shop, pilot):
    html = solve(shop, pilot, "deck_cut", "deck_clearance", "0.05 mm proud")
    assert {"op": "deck_cut", "amount": "0.270 mm"} in plan_of(html)


@pytest.mark.parametrize(
    ("lever", "result", "wanted", "says"),
    [
        ("head_cut", "quench", "1.2", "does not move the quench"),
        ("deck_cut", "compression_ratio", "8", "already above 8"),
        ("deck_cut", "quench", "near", "such as 0.76 mm"),
        ("deck_cut", "compression_ratio", "", "a ratio, such as 10.2"),
    ],
)
def test_a_question_without_an_answer_says_why(shop, pilot, lever, result, wanted, says):
    html = read(solve(shop, pilot, lever, result, wanted)).text
    assert says in html
    assert "Not kept" not in html


def test_a_gasket_from_the_shelf_is_fitted_and_taken_back(shop, pilot):
    html = what_if(shop, pilot, hole="1", refresh="1", gasket="0", gasket_was="as fitted", **levers())
    fitted = next(op for op in plan_of(html) if op["op"] == "gasket")
    assert fitted["gasket"]["name"] == "thin"
    back = what_if(
        shop,
        pilot,
        hole="1",
        refresh="1",
        gasket="as fitted",
        gasket_was="0",
        plan=json.dumps(plan_of(html)),
        **levers(),
    )
    assert not [op for op in plan_of(back) if op["op"] == "gasket"]


def test_levers_act_on_the_bank_in_view_unless_all_are_asked(shop, bring):
    build = bring("mountain-rescue")
    one = plan_of(what_if(shop, build, hole="2", nudge="deck_cut:+5"))
    assert {"op": "deck_cut", "bank": "right", "amount": "0.05 mm"} in one
    assert {"op": "deck_cut", "bank": "left", "amount": "17 thou"} in one
    both = plan_of(what_if(shop, build, hole="2", scope="all", nudge="head_cut:+1"))
    assert {"op": "head_cut", "amount": "0.26 mm"} in both


@pytest.mark.parametrize(
    "plan", ["{", "[1]", '[{"op":"weld"}]', '[{"op":"deck_cut","bank":"Z","amount":1}]', "[" * 9000]
)
def test_a_damaged_plan_in_the_address_is_told_and_dropped(shop, pilot, plan):
    html = what_if(shop, pilot, hole="1", plan=plan)
    assert "found" in html
    assert plan_of(html) == demo("pilot-launch")["planned"]


@pytest.mark.parametrize("hole", ["", "0", "99", "x", "-1", "²"])
def test_a_hole_that_is_not_there_shows_the_first(shop, pilot, hole):
    assert "Section of hole 1" in what_if(shop, pilot, hole=hole, nudge="hole:")


def test_keeping_a_plan(shop, pilot, stored):
    plan = [{"op": "deck_cut", "bank": "A", "amount": "9 thou"}]
    response = shop.post(f"/builds/{pilot}/plan", {"plan": json.dumps(plan), "version": "1", "hole": "3"})
    assert response.location == f"/builds/{pilot}/stack?hole=3"
    assert stored(pilot).document["planned"] == plan
    assert "plan: deck cut A: 9 thou" in shop.text(f"/builds/{pilot}/record")


def test_keeping_a_damaged_plan_keeps_nothing(shop, pilot, stored):
    response = shop.post(f"/builds/{pilot}/plan", {"plan": "[{}]", "version": "1"})
    assert response.status_code == 200
    assert "planned[0].op" in seen(response).text
    assert stored(pilot).version == 1


def change(shop, build, at, version="1", htmx=False, **form):
    return shop.post(f"/builds/{build}/figure", {"at": at, "version": version, **form}, htmx=htmx)


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
    response = change(shop, pilot, at, **form)
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
        ("parts.block.bore", {"value": ""}, "wanted the finished bore"),
        ("parts.block.bore", {"value": "", "u": "0.1"}, "a doubt without a value"),
        ("parts.rod.length", {"value": "20 mm"}, "longer than half the stroke"),
        ("parts.crank.stroke", {"readings": "86;x"}, "'x'"),
    ],
)
def test_a_faulty_figure_says_why_and_keeps_what_was_typed(shop, pilot, stored, at, form, says):
    response = change(shop, pilot, at, **form)
    page = seen(response)
    assert response.status_code == 422
    assert says in page.text
    assert page.field("Value").value == form.get("value", "")
    assert page.field("Readings").value == form.get("readings", "")
    assert stored(pilot).version == 1


def test_a_hole_gives_its_own_figure_back(shop, pilot, stored):
    change(shop, pilot, "cylinders.4.bore", remove="1")
    assert "bore" not in stored(pilot).document["cylinders"]["4"]


def test_a_figure_answers_htmx_with_a_refresh(shop, pilot):
    response = change(shop, pilot, "parts.block.bore", value="92.1 mm", htmx=True)
    assert response.status_code == 204
    assert response.headers["HX-Refresh"] == "true"


@pytest.mark.parametrize(
    "at", ["", "parts.block", "cylinders.9.bore", "banks.Z.deck_height", "x", "parts.piston.weight"]
)
def test_there_is_no_figure_at_a_place_that_is_none(shop, pilot, at):
    assert shop.get(f"/builds/{pilot}/figure?at={at}").status_code == 404
    assert change(shop, pilot, at, value="1").status_code == 404


def test_the_form_tells_what_stood_before_and_elsewhere(shop, pilot):
    change(shop, pilot, "parts.block.bore", value="92.5 mm")
    page = shop.text(f"/builds/{pilot}/figure?at=parts.block.bore")
    assert "92.0 mm (u 0.006), measured → 92.5 mm" in page
    assert "hole 4: 92.02 mm" in page


def aim_form(shop, build, **changed):
    form = shop.page(f"/builds/{build}/aim").one("form", action=f"/builds/{build}/aim").sent()
    return {k: v for k, v in form.items() if k != "csrf_token"} | changed


def test_saving_an_untouched_aim_changes_nothing(shop, bring, stored):
    for name in ("pilot-launch", "fire-tender", "sawmill-six"):
        build = bring(name)
        assert shop.post(f"/builds/{build}/aim", aim_form(shop, build)).status_code == 302
        assert stored(build).document == demo(name)
        assert stored(build).version == 1


def test_an_aim_that_was_not_touched_adds_no_default(shop, bring, stored):
    document = demo("ferry-tender")
    del document["parts"]["rod"]["material"]
    build = bring(document)
    shop.post(f"/builds/{build}/aim", aim_form(shop, build))
    assert stored(build).document == document


def test_a_limit_out_of_range_is_told_beside_its_field(shop, pilot):
    response = shop.post(f"/builds/{pilot}/aim", aim_form(shop, pilot, **{"limit.deck_cut": "80 mm"}))
    assert "wanted 0 to 50 mm" in seen(response).field("Deck cut").described


def test_an_aim_is_kept_as_typed(shop, pilot, stored):
    form = aim_form(
        shop,
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
    response = shop.post(f"/builds/{pilot}/aim", aim_form(shop, pilot, **{slot: typed, "duty": "kept text"}))
    page = seen(response)
    assert response.status_code == 422
    assert says in page.text
    assert page.field("Duty and fuel").value == "kept text"
    assert stored(pilot).version == 1


def test_undo_and_redo_from_the_page(shop, pilot, stored):
    change(shop, pilot, "parts.block.bore", value="92.5 mm")
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
    change(tove, pilot, "parts.block.bore", value="92.5 mm")
    response = change(shop, pilot, "parts.block.bore", value="93 mm")
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
    form = aim_form(shop, pilot, duty="mine")
    change(tove, pilot, "parts.block.bore", value="92.5 mm")
    assert shop.post(f"/builds/{pilot}/plan", {"plan": "[]", "version": "1"}).status_code == 409
    assert shop.post(f"/builds/{pilot}/aim", form).status_code == 409
    undone = shop.post(f"/builds/{pilot}/undo", {"version": "1", "back": f"/builds/{pilot}/record"})
    assert "Tove saved this build in between" in shop.text(undone.location)
    assert stored(pilot).version == 2


@pytest.mark.parametrize("leaves", ["", "{", "[[1]]", "7", '[["x"]]'])
def test_a_damaged_choice_changes_nothing(shop, pilot, stored, leaves):
    assert shop.post(f"/builds/{pilot}/choose", {"leaves": leaves, "version": "1"}).status_code == 400
    assert stored(pilot).version == 1


def test_a_choice_that_no_longer_fits_is_told(shop, pilot, stored):
    leaves = json.dumps([[["parts", "block", "bore"], "-3 mm"]])
    shop.post(f"/builds/{pilot}/choose", {"leaves": leaves, "version": "1"})
    assert "Nothing was saved" in shop.text(f"/builds/{pilot}/stack")
    assert stored(pilot).version == 1


def test_stages(shop, pilot, stored):
    shop.post(f"/builds/{pilot}/stage", {"stage": "signed off", "back": f"/builds/{pilot}/record"})
    assert stored(pilot).stage == "signed off"
    assert "signed off" in shop.text(f"/builds/{pilot}/stack")
    assert shop.post(f"/builds/{pilot}/stage", {"stage": "burnt"}).status_code == 400


def test_another_process_saving_is_seen_at_once(shop, pilot, session):
    assert "225.4 mm" in shop.text(f"/builds/{pilot}/stack")
    stored = builds.load(session, pilot)
    document = with_leaf(stored.document, ("parts", "block", "deck_height"), "225.1 mm")
    builds.save(session, pilot, document, expected_version=1, actor="Tove", says="elsewhere")
    session.commit()
    assert "225.1 mm" in shop.text(f"/builds/{pilot}/stack")


def test_a_what_if_never_answers_from_an_older_version(shop, pilot, session, engine):
    address = f"/builds/{pilot}/stack/what-if?hole=2&nudge=hole:"
    assert "225.4 mm" in shop.text(address, HX_Request="true")
    for version, typed in ((1, "225.1 mm"), (2, "225.2 mm")):
        session.rollback()
        document = with_leaf(builds.load(session, pilot).document, ("parts", "block", "deck_height"), typed)
        builds.save(session, pilot, document, expected_version=version, actor="Tove", says="elsewhere")
        session.commit()
        for _ in range(2):
            assert typed in shop.text(address, HX_Request="true")
    shop.post("/house-rules", {"quench_floor.steel": "3 mm"})
    assert "house floor of 3.00 mm" in shop.text(address, HX_Request="true")


def test_a_what_if_of_a_build_that_is_not_there_and_after_a_restarted_server(app, shop, pilot):
    assert shop.get("/builds/99/stack/what-if", HX_Request="true").status_code == 404
    address = f"/builds/{pilot}/stack/what-if?hole=2&nudge=hole:"
    shop.text(address, HX_Request="true")
    with app.extensions["engine"].connect() as connection:
        connection.exec_driver_sql(
            "SELECT pg_terminate_backend(pid) FROM pg_stat_activity"
            " WHERE datname = current_database() AND pid <> pg_backend_pid()"
        )
    for _ in range(3):
        assert "225.4 mm" in shop.text(address, HX_Request="true")


def test_a_rule_that_moves_is_seen_by_every_page(shop, bring):
    build = bring("hill-climb")
    assert "Stop" in shop.text(f"/builds/{build}/stack")
    shop.post("/house-rules", {"quench_floor.steel": "0.3 mm"})
    assert "under the house floor" not in shop.text(f"/builds/{build}/stack")


def test_connections_cut_by_a_restarted_server_are_not_noticed_by_readers(app, shop, pilot):
    shop.text(f"/builds/{pilot}/stack")
    with app.extensions["engine"].connect() as connection:
        connection.exec_driver_sql(
            "SELECT pg_terminate_backend(pid) FROM pg_stat_activity"
            " WHERE datname = current_database() AND pid <> pg_backend_pid()"
        )
    assert "Pilot launch" in shop.text(f"/builds/{pilot}/stack")
    assert shop.get("/").status_code == 200


def test_a_database_that_is_away_is_said_on_a_page_of_its_own(shop, pilot):
    from sqlalchemy import create_engine

    app = shop.client.application
    nowhere = create_engine(
        "postgresql+psycopg://nobody@127.0.0.1:1/none", connect_args={"connect_timeout": 2}
    )
    kept = dict(app.extensions)
    app.extensions |= {"engine": nowhere, "reading engine": nowhere}
    try:
        for address in ("/", f"/builds/{pilot}/stack", f"/builds/{pilot}/figures"):
            response = shop.get(address)
            assert response.status_code == 503
            assert "The database does not answer" in seen(response).text
        partial = shop.get(f"/builds/{pilot}/stack/what-if", HX_Request="true")
        assert partial.headers["HX-Retarget"] == "#notice"
    finally:
        app.extensions.update(kept)
        nowhere.dispose()


def test_a_message_of_one_request_is_not_shown_twice(shop, bring):
    build_id = bring("pilot-launch")
    shop.post("/builds/new", {"copy_of": build_id, "copy_name": "Twin"})
    assert "This build was copied from" in shop.text("/settings")
    assert "This build was copied from" not in shop.text("/settings")


def test_a_cookie_that_was_tampered_with_is_nobody(app, shop):
    kept = shop.client.get_cookie("zygometra").value
    shop.text("/settings")
    stranger = app.test_client()
    stranger.set_cookie("zygometra", kept[:-2] + ("aa" if kept[-2:] != "aa" else "bb"))
    assert stranger.get("/settings").headers["Location"].startswith("/who")


def test_a_what_if_on_a_build_that_is_gone_says_so(shop):
    assert shop.get("/builds/4711/stack/what-if?hole=1", HX_Request="true").status_code == 404
