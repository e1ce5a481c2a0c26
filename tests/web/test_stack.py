"""The stack and its what-ifs: levers, the inverse question, the plan."""

from __future__ import annotations

import json

import pytest

from support.cases import demo, vector
from support.page import read, seen


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
    for typed, kept in (("0.25", "0.25 mm"), ("0,25", "0,25 mm")):
        assert {"op": "deck_cut", "amount": kept} in plan_of(
            what_if(shop, pilot, hole="1", **levers(deck_cut=typed))
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
    html = solve(shop, pilot, lever="deck_cut", result="quench", wanted="1.20 mm")
    assert {"op": "deck_cut", "amount": "0.220 mm"} in plan_of(html)
    assert "1.200 mm" in html


def test_set_it_so_that_the_ratio_is(shop, pilot):
    html = solve(shop, pilot, lever="head_cut", result="compression_ratio", wanted="9.85", hole="2")
    amount = next(op["amount"] for op in plan_of(html) if op["op"] == "head_cut")
    evaluation = what_if(shop, pilot, hole="2", nudge="hole:", plan=json.dumps(plan_of(html)))
    assert amount.endswith(" mm")
    assert "9.85" in evaluation


def test_set_the_gasket_so_that_the_quench_is(shop, pilot):
    gasket = next(
        op["gasket"]
        for op in plan_of(solve(shop, pilot, lever="gasket", result="quench", wanted="1.30"))
        if op["op"] == "gasket"
    )
    assert gasket == {"name": "to find: 1.260 mm", "thickness": "1.260 mm"}


def test_a_clearance_may_be_asked_proud(shop, pilot):
    html = solve(shop, pilot, lever="deck_cut", result="deck_clearance", wanted="0.05 mm proud")
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
    html = read(solve(shop, pilot, lever=lever, result=result, wanted=wanted)).text
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
    assert response.status_code == 422
    assert "planned[0].op" in seen(response).text
    assert stored(pilot).version == 1


def test_a_what_if_on_a_build_that_is_gone_says_so(shop):
    assert shop.get("/builds/4711/stack/what-if?hole=1", HX_Request="true").status_code == 404


def test_the_working_shows_derivation_doubt_and_steps(shop, bring):
    build = bring("pilot-launch")
    page = shop.text(f"/builds/{build}/working?hole=4&result=quench")
    assert "Working of hole 4, as planned" in page
    assert "c = mock-up reading − deck cut = 0.317 mm − 0.180 mm = 0.137 mm down" in page
    assert "compressed gasket thickness" in page
    assert "What one step does" in page
    assert "as it stands" in shop.text(f"/builds/{build}/working?hole=4&state=now")


def test_a_clearance_is_never_a_bare_sign(shop, bring):
    page = shop.text(f"/builds/{bring('hill-climb')}/stack")
    assert "0.36 proud" in page
    assert "−0.36" not in page
    assert "0.10 proud to 0.20 down" in shop.text(f"/builds/{bring('pilot-launch')}/stack")


def test_an_impossible_hole_shows_a_dash_and_a_stop(shop, bring):
    document = vector("pellam-single-proud")["build"]
    document["parts"]["piston"]["crown_volume"] = "-80 cc"
    page = shop.text(f"/builds/{bring(document)}/stack")
    assert "Stop Hole 1: no room is left above the piston" in page


def test_the_evaluation_is_handed_out_unrounded(shop, bring):
    document = json.loads(shop.get(f"/builds/{bring('pilot-launch')}/evaluation.json").data)
    assert document["planned"]["cylinders"][0]["deck_clearance_mm"] == pytest.approx(0.04, abs=1e-12)


CROWN = [{"op": "crown_cut", "amount": "0.3 mm"}]


def test_a_crown_cut_is_not_kept_before_the_crown_is_described(shop, pilot, stored):
    answered = what_if(shop, pilot, hole="1", **levers(crown_cut="0.3 mm"))
    assert "nobody has said what stands above the rim" in answered
    assert 'id="keep-button"' not in answered
    refused = shop.post(f"/builds/{pilot}/plan", {"plan": json.dumps(CROWN), "version": "1"})
    assert refused.status_code == 422
    assert "nobody has said" in seen(refused).text
    assert plan_of(refused.get_data(as_text=True)) == CROWN
    assert stored(pilot).version == 1
    # One press says that nothing stands above it, and the plan on screen is still there to keep.
    said = {"at": "parts.piston.above_rim", "value": "0 mm", "version": "1", "back": f"/builds/{pilot}/stack"}
    assert shop.post(f"/builds/{pilot}/figure", said).location.endswith("/stack")
    assert shop.post(f"/builds/{pilot}/plan", {"plan": json.dumps(CROWN), "version": "2"}).status_code == 302
    assert stored(pilot).document["planned"] == CROWN


def test_a_kept_crown_cut_does_not_stop_other_levers_from_being_kept(shop, bring, stored):
    build = bring(demo("pilot-launch") | {"planned": CROWN})
    other = [*CROWN, {"op": "deck_cut", "amount": "0.1 mm"}]
    assert shop.post(f"/builds/{build}/plan", {"plan": json.dumps(other), "version": "1"}).status_code == 302
    deeper = [{"op": "crown_cut", "amount": "0.5 mm"}, other[1]]
    assert shop.post(f"/builds/{build}/plan", {"plan": json.dumps(deeper), "version": "2"}).status_code == 422
    assert stored(build).document["planned"] == other


def vee(**changed):
    document = demo("pilot-launch") | changed
    document["engine"] = {
        **document["engine"],
        "layout": "vee",
        "bank_angle": 90,
        "banks": [{"name": "left", "cylinders": [1, 3]}, {"name": "right", "cylinders": [2, 4]}],
    }
    for key in ("planned", "banks", "levers", "targets"):
        if key not in changed:
            document.pop(key, None)
    return document


def test_banks_that_are_alike_are_cut_alike_unless_one_is_chosen(shop, bring):
    build = bring(vee(cylinders={}))
    assert plan_of(what_if(shop, build, hole="2", **levers(deck_cut="0.1 mm", open_chamber=""))) == [
        {"op": "deck_cut", "amount": "0.1 mm"}
    ]
    chosen = what_if(shop, build, hole="2", scope="bank", **levers(deck_cut="0.1 mm", open_chamber=""))
    assert plan_of(chosen) == [{"op": "deck_cut", "bank": "right", "amount": "0.1 mm"}]


def test_banks_with_figures_of_their_own_are_cut_one_by_one(shop, bring):
    build = bring(vee(banks={"right": {"deck_height": "225.3 mm"}}))
    assert plan_of(what_if(shop, build, hole="2", **levers(deck_cut="0.1 mm", open_chamber=""))) == [
        {"op": "deck_cut", "bank": "right", "amount": "0.1 mm"}
    ]


def test_a_chamber_filled_in_steps_is_shown_with_its_fills_and_their_doubt(shop, bring):
    document = demo("pilot-launch") | {"planned": [{"op": "head_cut", "amount": "0.4 mm"}]}
    document["parts"]["head"]["step_fills"] = [
        {"depth": 0, "below": {"value": 52, "u": 0.9}},
        {"depth": {"value": 0.5, "u": 0.01}, "below": {"value": 50, "u": 0.2}},
        {"depth": 1, "below": 48},
    ]
    build = bring(document)
    assert shop.get(f"/builds/{build}/stack").status_code == 200
    assert "volume of fill 1" in shop.text(f"/builds/{build}/working?hole=2&result=compression_ratio")


def ratios(html):
    """The ratios of the reckoning as planned, hole by hole."""
    found = [e for e in read(html) if e.attrs.get("data-working") == "compression_ratio"]
    return [float(e.text) for e in found if "will" in (e.parent.classes if e.parent else ())]


@pytest.mark.parametrize(("volume", "higher"), [("40", True), ("70 cc", False)])
def test_a_chamber_is_tried_up_or_down_on_all_holes_and_nothing_is_kept(shop, pilot, stored, volume, higher):
    before = stored(pilot).document
    plain = what_if(shop, pilot, hole="1", **levers())
    tried = what_if(shop, pilot, hole="1", chamber=volume, **levers())
    assert len(ratios(plain)) == len(ratios(tried)) == 4
    pairs = list(zip(ratios(plain), ratios(tried), strict=True))
    assert all((new > old) is higher for old, new in pairs), pairs
    assert "tried on all holes, not kept" in tried
    assert stored(pilot).document == before
    # The plan beside it is the same: what is tried is no operation.
    assert plan_of(tried) == plan_of(plain)


def test_a_tried_chamber_is_in_the_address_and_one_that_cannot_be_read_says_why(shop, pilot):
    response = shop.client.get(
        f"/builds/{pilot}/stack/what-if",
        query_string={"hole": "1", "chamber": "48 cc", **levers()},
        headers={"HX-Request": "true"},
    )
    page = shop.page(response.headers["HX-Replace-Url"])
    assert page.field("or try a volume, all holes").value == "48 cc"
    faulty = what_if(shop, pilot, hole="1", chamber="wide", **levers())
    assert "Found 'wide'" in read(faulty).text
    asked = what_if(shop, pilot, hole="1", chamber="480", **levers())
    assert "did you mean 48 cc?" in asked


@pytest.mark.parametrize(("wanted", "kept"), [("0.9 banana", "0.9 banana"), ("9 mm", "9 mm"), ("0.9 mm", "")])
def test_what_was_asked_the_other_way_round_is_asked_of_the_same_next(shop, bring, wanted, kept):
    winch = bring("fell-winch", "measuring")
    page = read(solve(shop, winch, lever="crown_cut", result="above_rim", wanted=wanted))
    chosen = [e.attrs["value"] for e in page if e.tag == "option" and "selected" in e.attrs]
    assert {"crown_cut", "above_rim"} <= set(chosen)
    # What was refused stays to be put right; what was answered is done with.
    assert page.one(name="Wanted figure").value == kept
