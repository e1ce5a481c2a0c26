"""The benches of mock-up, decks, heads and chambers, steps and gates: what they say, take, refuse and plan."""

# long: five benches of one station, one after another
from __future__ import annotations

import io
import json
import re

import pytest
from tests.web.test_signed_off import move

from support.page import read
from zygometra.core.measuring.face_surveys import NotedSurvey
from zygometra.core.measuring.steps import Step
from zygometra.core.stages import SIGNED_OFF
from zygometra.gauges.probe import HiddenDeck, probe_file
from zygometra.store import builds, facts
from zygometra.store.history import DEMO_SHOP

PAGES = ("mock-up", "mock-up/tags", "decks", "heads", "steps")
DECK = HiddenDeck(
    bank="left", holes=(1, 3, 5, 7), pitch=110.0, bore=96.0, height=236.5, half_width=84.0, wedge=0.1
)


@pytest.fixture
def timber(bring):
    return bring("timber-hauler", "measuring")


def at(build, page):
    return f"/builds/{build}/measure/{page}"


def part(page, label):
    """A section of a page by what it is called."""
    return page.one(tag="section", **{"aria-label": label})


def kept(session, build):
    return facts.of_build(session, build)


def planned(session, build):
    return builds.load(session, build).document.get("planned")


def test_the_benches_of_the_station_stand_side_by_side_with_how_far_each_is(shop, timber):
    row = shop.page(at(timber, "decks")).one("navigation", "Benches of this station")
    assert [link.text for link in row.all("link")] == [
        "Logbook done: 32 readings",
        "Mock-up done: 4 read, 4 by the line",
        "Decks done: surveyed",
        "Heads and chambers done: 8 chambers",
        "Steps and gates done: all met or accepted",
    ]
    assert [link.text.split()[0] for link in row.all("link") if link.attrs.get("aria-current")] == ["Decks"]


@pytest.mark.parametrize("page", PAGES)
@pytest.mark.parametrize("name", ["timber-hauler", "winch-flat-four", "hill-climb", "sawmill-six"])
def test_every_bench_answers_for_every_build(shop, bring, page, name):
    assert shop.text(at(bring(name), page))


@pytest.mark.parametrize(
    ("page", "warns"),
    [
        ("", "fingers out of the bores"),
        ("mock-up", "fingers out of the bores"),
        ("decks", "fingers out of the bores"),
        ("heads", "solvent burn"),
        ("steps", "engine number before a face"),
    ],
)
def test_what_can_hurt_stands_at_the_foot_of_every_bench(shop, timber, page, warns):
    cautions = shop.page(at(timber, page).rstrip("/")).one(tag="ul", **{"aria-label": "Cautions"})
    assert warns in cautions.text


@pytest.mark.parametrize("page", PAGES)
def test_a_build_of_nothing_but_a_layout_has_its_benches(shop, page):
    answer = shop.post("/builds/new", {"name": "Bare", "layout": "inline", "holes": "4"})
    number = re.search(r"/builds/(\d+)", answer.headers["Location"])[1]
    assert "Bare" in shop.text(at(number, page))


# -- mock-up ----------------------------------------------------------------------


def test_the_mock_up_shows_what_was_read_what_is_filled_and_the_cut_a_corner(shop, timber):
    page = shop.page(at(timber, "mock-up"))
    left = part(page, "Bank left").text
    # Quench 1.30 over a gasket that crushed to 1.276 here, and to 1.20 on paper there.
    assert "The cuts leave every rim 0.024 mm down on bank left, 0.100 mm down on bank right." in page.text
    assert "rises 0.72 mm per metre to the rear" in left
    assert "0.503 mm down" in left
    assert "by the line" in left
    assert "One cut: 0.479 mm at hole 1 · 0.718 mm at hole 7, straight between them" in left
    shim = re.search(r"shim for the wedge: ([\d.]+) mm under the rear support of the block", left)
    assert float(shim[1]) == pytest.approx((0.718 - 0.479) / 330 * 420, abs=0.002)
    tags = shop.page(at(timber, "mock-up/tags"))
    assert len(tags.one(tag="ol", **{"aria-label": "Tags"}).all(tag="li")) == 4
    assert "or on the pad with the engine number" in tags.text


def test_the_cuts_go_on_the_plan_and_come_to_the_aim(shop, timber, session):
    form = shop.page(at(timber, "mock-up")).one("form", action=at(timber, "mock-up/plan")).sent()
    assert shop.post(at(timber, "mock-up/plan"), form).status_code == 302
    session.expire_all()
    assert planned(session, timber) == [
        {"op": "deck_cut", "bank": "left", "first": "0.48 mm", "last": "0.72 mm"},
        {"op": "deck_cut", "bank": "right", "first": "0.29 mm", "last": "0.24 mm"},
    ]
    assert "0.48 mm at the front, 0.72 mm at the rear" in shop.text(f"/builds/{timber}/record")
    assert "0.480 mm at hole 1, 0.720 mm at hole 7" in shop.text(f"/builds/{timber}/sheet")
    assert shop.post(at(timber, "mock-up/plan"), form).status_code == 409


def test_how_it_is_mocked_up_is_settled_and_a_slip_stays_to_be_mended(shop, timber, session):
    form = {"sets": "own", "between": "stack", "span": "17 in"}
    assert shop.sent(at(timber, "mock-up"), form).status_code == 302
    session.expire_all()
    document = builds.load(session, timber).document
    assert document["mock_up"] == {"sets": "own", "between": "stack"}
    assert document["facing"]["support_span"]["along"] == "17 in"
    page = shop.page(at(timber, "mock-up"))
    assert "Read hole 3" in page.text
    refused = shop.sent(at(timber, "mock-up"), {**form, "span": "far"})
    assert refused.status_code == 422
    assert 'value="far"' in refused.get_data(as_text=True)
    assert shop.sent(at(timber, "mock-up"), {**form, "sets": "three"}).status_code == 422


def test_one_set_is_read_at_the_four_ends_in_turn(shop, timber):
    def following(place):
        form = {
            "figure": "deck_clearance",
            "place": place,
            "value": "0.5",
            "unit": "mm",
            "way": "plain",
            "key": f"k{place}",
            "axis": "pin",
            "sure": "1",
        }
        return re.search(r"place=(h\d)", shop.post(at(timber, "read"), form).headers["Location"])[1]

    assert [following(place) for place in ("h1", "h7", "h2", "h8")] == ["h7", "h2", "h8", "h1"]


# -- decks --------------------------------------------------------------------------


def grid(bank="left", **cells):
    form = {"bank": bank, "key": "typed-1"}
    form |= {f"x.{i}": str(x) for i, x in enumerate((-60, 55, 165, 275, 390))}
    form |= {f"y.{j}": str(y) for j, y in enumerate((80, 0, -80))}
    return form | {name.replace("_", "."): text for name, text in cells.items()}


FOUR = {"z_0_0": "236.52", "z_0_4": "236.60", "z_2_0": "236.50", "z_2_4": "236,61 mm"}


def test_a_deck_is_typed_point_by_point_and_gives_the_holes_their_height(shop, bring, session):
    build = bring("quarry-loader", "measuring")
    answer = shop.post(at(build, "decks/survey"), grid(**FOUR))
    assert answer.status_code == 302
    (survey,) = kept(session, build).of(NotedSurvey)
    assert [point["z"] for point in survey.typed["points"]] == [
        "236.52 mm",
        "236.60 mm",
        "236.50 mm",
        "236,61 mm",
    ]
    assert survey.by == "Ada"
    shown = part(shop.page(at(build, "decks")), "Deck of bank left").text
    assert "no gasket named" in shown
    # Sent again, as a hand does that saw no answer: it is there once.
    assert shop.post(at(build, "decks/survey"), grid(**FOUR)).status_code == 302
    assert len(kept(session, build).of(NotedSurvey)) == 1


@pytest.mark.parametrize(
    ("cells", "says"),
    [
        ({}, "points"),
        ({"z_0_0": "236.5", "z_0_1": "236.5"}, "at least 3"),
        ({**FOUR, "z_1_2": "high"}, "Found 'high'"),
        ({"z_1_0": "236.5", "z_1_1": "9e400", "z_1_2": "236.5"}, "Found"),
        ({**FOUR, "x_0": ""}, "a height without its place"),
        ({"z_0_0": "236.5", "z_0_1": "236.5", "z_0_4": "236.5"}, "points in one line"),
        ({**FOUR, "bank": "middle"}, "the bank 'middle'"),
    ],
)
def test_a_survey_that_will_not_do_is_refused_and_stays_typed(shop, timber, session, cells, says):
    before = len(kept(session, timber).of(NotedSurvey))
    refused = shop.post(at(timber, "decks/survey"), grid(**cells))
    assert refused.status_code == 422
    text = refused.get_data(as_text=True)
    assert says in read(text).text
    if "z_0_0" in cells:
        assert f'value="{cells["z_0_0"]}"' in text
    assert len(kept(session, timber).of(NotedSurvey)) == before


def test_an_arbor_on_the_axis_alone_says_that_across_was_not_checked(shop, bring):
    build = bring("quarry-loader", "measuring")
    line = {f"z_1_{i}": f"239.{40 + i}" for i in range(5)}
    assert shop.post(at(build, "decks/survey"), grid(**line)).status_code == 302
    assert "not checked" in part(shop.page(at(build, "decks")), "Deck of bank left").text
    assert "the slope across was not checked" in shop.text(at(build, "decks"))


def test_a_probes_file_is_taken_whole_with_its_bores_or_not_at_all(shop, bring, session):
    build = bring("timber-hauler", "measuring")
    before = len(kept(session, build).of(NotedSurvey))

    def send(text, key):
        upload = {"file": (io.BytesIO(text.encode()), "left.probe"), "key": key}
        return shop.post(at(build, "decks/probe"), upload, content_type="multipart/form-data")

    text = probe_file(DECK, "here")
    refused = send("\n".join(text.splitlines()[:-3]), "p1")
    assert refused.status_code == 422
    assert "cut short" in refused.get_data(as_text=True)
    foreign = send(text.replace("bank left", "bank middle"), "p2")
    assert foreign.status_code == 422
    assert len(kept(session, build).of(NotedSurvey)) == before
    assert send(text, "p3").status_code == 302
    newest = kept(session, build).of(NotedSurvey)[-1].typed
    assert [bore["number"] for bore in newest["bores"]] == [1, 3, 5, 7]
    assert "4 bores" in shop.text(at(build, "decks"))


def test_the_simulated_probe_touches_a_deck_and_hands_over_what_it_sent(shop, bring, session):
    build = bring("quarry-loader", "measuring", says=DEMO_SHOP)
    file = shop.get(at(build, "decks/right.probe"))
    assert file.get_data(as_text=True).startswith("zygometra-probe 1\n")
    assert shop.post(at(build, "decks/simulate"), {"bank": "right", "key": "sim"}).status_code == 302
    survey = kept(session, build).of(NotedSurvey)[-1].typed
    assert (survey["bank"], survey["simulated"]) == ("right", True)
    # What it wrote is marked, and it touches nobody's own engine.
    assert "Simulated readings are among these figures" in shop.text(at(build, "decks"))
    own = bring("quarry-loader", "measuring")
    assert "simulated probe" not in shop.text(at(own, "decks"))
    assert shop.get(at(own, "decks/right.probe")).status_code == 404
    assert shop.post(at(own, "decks/simulate"), {"bank": "right", "key": "sim"}).status_code == 404
    assert shop.get(at(build, "decks/middle.probe")).status_code == 404
    assert shop.post(at(build, "decks/simulate"), {"bank": "middle", "key": "s2"}).status_code == 404


def test_a_survey_is_voided_with_a_reason_and_counts_no_more(shop, timber, session):
    form = {"reading": "timber-deck-left", "why": "the arbor was loose", "back": at(timber, "decks")}
    answer = shop.post(f"/builds/{timber}/measure/void", form)
    assert answer.headers["Location"] == at(timber, "decks")
    text = shop.text(at(timber, "decks"))
    assert "void: the arbor was loose" in text
    assert "Deck of bank left" not in text


def test_what_is_decided_about_facing_moves_the_cut(shop, timber, session):
    form = shop.page(at(timber, "decks")).one("form", action=at(timber, "decks"), method="post").sent()
    assert form["gasket_kind"] == "multi-layer steel"
    assert shop.post(at(timber, "decks"), {**form, "target": "common"}).status_code == 302
    left = part(shop.page(at(timber, "decks")), "Deck of bank left").text
    right = part(shop.page(at(timber, "decks")), "Deck of bank right").text
    heights = [re.search(r"Finished height ([\d.]+) mm", words)[1] for words in (left, right)]
    assert heights[0] == heights[1]
    form = shop.page(at(timber, "decks")).one("form", action=at(timber, "decks"), method="post").sent()
    refused = shop.post(at(timber, "decks"), {**form, "allowance": "-1 mm"})
    assert refused.status_code == 422
    assert shop.post(at(timber, "decks"), {**form, "target": "sideways"}).status_code == 422
    stale = shop.post(at(timber, "decks"), {**form, "version": "1", "target": "clean"})
    assert stale.status_code == 409


def test_a_target_that_lacks_its_figure_says_what_is_done_instead(shop, timber):
    form = shop.page(at(timber, "decks")).one("form", action=at(timber, "decks"), method="post").sent()
    assert shop.post(at(timber, "decks"), {**form, "target": "height"}).status_code == 302
    assert "No finished height is named: the decks are just cleaned." in shop.text(at(timber, "decks"))


def test_the_surveyed_cuts_go_on_the_plan(shop, timber, session):
    form = shop.page(at(timber, "decks")).one("form", action=at(timber, "decks/plan")).sent()
    assert shop.post(at(timber, "decks/plan"), form).status_code == 302
    session.expire_all()
    assert [op["bank"] for op in planned(session, timber)] == ["left", "right"]
    assert planned(session, timber)[0]["first"] == "0.08 mm"


def test_a_cut_of_all_banks_goes_on_for_the_one_that_was_not_surveyed(shop, bring, session):
    from support.cases import demo

    document = demo("timber-hauler")
    document["surveys"] = [one for one in document["surveys"] if one["bank"] == "left"]
    document["planned"] = [{"op": "head_cut", "amount": "0.1 mm"}, {"op": "deck_cut", "amount": "0.2 mm"}]
    build = bring(document)
    form = shop.page(at(build, "decks")).one("form", action=at(build, "decks/plan")).sent()
    assert shop.post(at(build, "decks/plan"), form).status_code == 302
    session.expire_all()
    plan = planned(session, build)
    assert [(op["op"], op.get("bank")) for op in plan] == [
        ("deck_cut", "left"),
        ("head_cut", None),
        ("deck_cut", "right"),
    ]
    assert plan[2]["amount"] == "0.2 mm"


def test_one_deck_takes_the_place_of_any_cut_of_it(shop, bring, session):
    from support.cases import demo

    document = demo("harbour-tug")
    bank = document["engine"]["banks"][0]["name"]
    document["engine"]["bore_pitch"] = 100.0
    document["planned"] = [{"op": "deck_cut", "bank": bank, "amount": "0.2 mm"}]
    points = [{"x": x, "y": y, "z": 240.0 + x / 5000} for x in (-50, 350) for y in (-60, 60)]
    document["surveys"] = [{"id": "s", "face": "deck", "bank": bank, "points": points}]
    build = bring(document)
    form = shop.page(at(build, "decks")).one("form", action=at(build, "decks/plan")).sent()
    shop.post(at(build, "decks/plan"), form)
    session.expire_all()
    assert planned(session, build) == [{"op": "deck_cut", "first": "0.01 mm", "last": "0.07 mm"}]


# -- heads and chambers -----------------------------------------------------------------


def test_heads_show_their_bow_their_twist_and_the_chambers_what_they_are(shop, timber):
    page = shop.page(at(timber, "heads"))
    free, clamped = (part(page, f"Head right, {held}").text for held in ("free", "clamped"))
    assert "wants facing" in free
    assert "Twist, corner against corner 0.086 mm" in free
    assert "Clamping takes" in clamped
    chambers = part(page, "Chambers").text
    assert "1.24 cc smaller" in chambers
    assert "1.37 cc larger" in chambers


def test_a_head_is_swept_in_the_readers_small_unit(shop, bring, session):
    build = bring("quarry-loader", "measuring")
    shop.post("/settings", {"system": "inch", "quench": "quench", "theme": "auto"})
    cells = {"z_0_0": "1", "z_0_4": "2.5", "z_2_0": "0", "z_2_4": "1", "held": "free"}
    assert shop.post(at(build, "heads/survey"), grid("left", **cells)).status_code == 302
    body = kept(session, build).of(NotedSurvey)[-1].typed
    assert [point["z"] for point in body["points"]] == ["1 thou", "2.5 thou", "0 thou", "1 thou"]
    assert (body["datum"], body["held"]) == ("plate", "free")
    assert (
        shop.post(at(build, "heads/survey"), grid("left", **cells, key="k2") | {"held": "hung"}).status_code
        == 422
    )


@pytest.mark.parametrize(
    ("query", "says"),
    [
        ("mode=alike&within=0.5", "Head on bank left: nothing; Head on bank right: 0.644 mm (set by hole 4)"),
        ("mode=volume&volume=60&within=1", "Opened in all"),
        ("mode=window&low=60&high=61", "Opened in all"),
        ("mode=totals&within=1.0", "Opened in all"),
        ("mode=ratio", "Opened in all"),
        ("mode=ratio&low=9.0&high=8.5", "the smaller ratio first"),
        ("mode=window&low=62&high=61", "the smaller volume first"),
        ("mode=volume", "a volume, such as 52.0 cc"),
        ("mode=alike&within=0.5 mm", "measures length"),
        ("mode=up", "one of the five"),
    ],
)
def test_chambers_are_brought_to_match_as_is_asked(shop, timber, query, says):
    assert says in shop.text(at(timber, f"heads?{query}"))


@pytest.mark.parametrize(
    ("head", "says"),
    [
        ({"removal_rate": 4.0}, "0.40 cc for the first 0.10 mm, by its rate"),
        ({"opening_area": 4200}, "0.42 cc for the first 0.10 mm, by its opening and wall"),
        ({"step_fills": [{"depth": 0, "below": 62}, {"depth": 2, "below": 54}]}, "by fills in steps"),
        ({}, "not known: Figures take a rate"),
    ],
)
def test_what_milling_takes_is_told_by_how_it_is_known(shop, bring, head, says):
    from support.cases import demo

    document = demo("timber-hauler")
    document["parts"]["head"] = {"chamber_volume": document["parts"]["head"]["chamber_volume"], **head}
    assert says in shop.text(at(bring(document), "heads"))


def test_a_match_goes_on_the_plan_and_every_chamber_lies_where_it_was_to(shop, timber, session):
    page = shop.page(at(timber, "heads?mode=alike&within=0.5"))
    form = page.one("form", action=at(timber, "heads/plan")).sent()
    assert shop.post(at(timber, "heads/plan"), form).status_code == 302
    session.expire_all()
    assert planned(session, timber) == [
        {"op": "head_cut", "bank": "right", "amount": "0.644 mm"},
        {"op": "open_chamber", "cylinder": 5, "amount": "0.1 cc"},
        {"op": "open_chamber", "cylinder": 8, "amount": "0.24 cc"},
    ]
    again = shop.page(at(timber, "heads?mode=alike&within=0.5"))
    assert again.one("form", action=at(timber, "heads/plan")).sent()["mode"] == "alike"


def test_heads_that_save_metal_side_for_side_change_sides(shop, bring, session):
    from support.cases import demo

    document = {**demo("quarry-loader"), "planned": []}
    document["cylinders"] = {
        str(n): {"chamber_volume": {"value": 64 if n % 2 else 66, "basis": "measured", "u": 0.1}}
        for n in range(1, 9)
    }
    document["banks"]["left"]["gasket"] = {"thickness": 1.0, "bore": 101.6}
    document["banks"]["right"]["gasket"] = {"thickness": 1.25, "bore": 101.6}
    document["cylinders"]["2"]["deck_clearance"] = document["cylinders"]["1"]["deck_clearance"] = 1.2
    for n in range(1, 9):
        document["cylinders"][str(n)]["deck_clearance"] = 1.2
    build = bring(document)
    page = shop.page(at(build, "heads?mode=totals&within=0.2&swap=yes"))
    assert "Change the heads side for side" in page.text
    assert "Change the heads" not in shop.text(at(build, "heads?mode=totals&within=0.2"))
    form = page.one("form", action=at(build, "heads/plan")).sent()
    assert shop.post(at(build, "heads/plan"), form).status_code == 302
    session.expire_all()
    assert planned(session, build)[0] == {"op": "swap_heads"}
    assert "side for side" in shop.text(f"/builds/{build}/sheet")


def test_a_cam_over_a_bowed_head_blocks_the_bench_until_it_is_spoken_of(shop, timber):
    shop.sent(at(timber, "heads"), {"gear": "overhead cam", "so_far": ""})
    row = shop.page(at(timber, "heads")).one("navigation", "Benches of this station").text
    assert "Heads and chambers blocked: cam bores in doubt" in row
    form = {"step": "cam-bores|cam turns freely", "place": "bright", "key": "cam", "says": "turned by hand"}
    assert shop.post(at(timber, "steps"), form).status_code == 302
    assert "cam bores in doubt" not in shop.text(at(timber, "heads"))


def test_a_crown_is_filled_in_its_bore_and_a_pellet_read_in_its_hole_on_the_reading_page(shop, timber):
    setup = shop.text(at(timber, "read?figure=crown_volume"))
    assert "Rim below the deck" in setup
    assert "Level stood a minute" in setup
    poured = {
        "figure": "crown_volume",
        "place": "h1",
        "value": "40.2",
        "unit": "cc",
        "way": "plain",
        "key": "c1",
    }
    filled = {"rim_below": "5", "bore": "96 mm", "level_stood": "yes", "sure": "1"}
    assert shop.post(at(timber, "read"), {**poured, **filled}).status_code == 302
    # 40.2 − π/4·96²·5/1000 = 4.01 cc.
    assert "4.01 cc" in shop.text(f"/builds/{timber}/measure/at?place=cylinders.1.crown_volume")
    pellet = {
        "figure": "thickness",
        "place": "h3",
        "value": "1.31",
        "unit": "mm",
        "way": "plain",
        "key": "p1",
    }
    assert shop.post(at(timber, "read"), {**pellet, "sure": "1"}).status_code == 302
    assert "1.31" in shop.text(f"/builds/{timber}/measure/at?place=cylinders.3.gasket_thickness")


# -- steps and gates ----------------------------------------------------------------------


def test_steps_are_noted_once_and_gates_pass_by_them(shop, timber, session):
    form = shop.page(at(timber, "mock-up")).one("form", action=at(timber, "mock-up/plan")).sent()
    shop.post(at(timber, "mock-up/plan"), form)
    page = shop.page(at(timber, "steps"))
    assert "nobody noted whether covers share the deck plane" in page.text
    noted = {"step": "covers|bolted on", "place": "e", "key": "covers-1"}
    assert shop.post(at(timber, "steps"), noted).status_code == 302
    assert shop.post(at(timber, "steps"), noted).status_code == 302
    assert [step.state for step in kept(session, timber).of(Step)] == ["done", "recorded", "bolted on"]
    assert "nobody noted whether covers" not in shop.text(at(timber, "steps"))


@pytest.mark.parametrize(
    ("form", "says"),
    [
        ({"step": "polish|done"}, "wanted one that is offered"),
        ({"step": "line-hone|polished"}, "one of done, not needed"),
        ({"step": "line-hone|done", "place": "h1"}, "of no single hole"),
        ({"step": "covers|bolted on", "place": "bleft"}, "of the whole engine"),
        ({"step": "id-pad|recorded"}, "the engine number as it stands on the pad"),
        ({"step": "seats|done", "place": "h99"}, "cylinder 99"),
        ({"step": "seats|done", "key": "<b>"}, "the key"),
    ],
)
def test_a_step_that_will_not_do_is_told_in_a_sentence(shop, timber, form, says):
    refused = shop.post(at(timber, "steps"), {"place": "e", "key": "s1", **form})
    assert refused.status_code == 422
    assert says in refused.get_data(as_text=True)


def test_seat_work_makes_chambers_void_on_every_page(shop, timber):
    shop.post(at(timber, "steps"), {"step": "seats|done", "place": "bleft", "key": "seats"})
    text = shop.text(at(timber, "heads"))
    assert "the chamber was filled before the valve seats were cut" in text
    assert "Heads and chambers part: 4 of 8 chambers" in text


def test_a_closed_build_takes_no_survey_and_no_step(shop, bring):
    build = bring("timber-hauler", "measuring")
    move(shop, build, SIGNED_OFF, seen_at="measuring", version="1")
    refused = shop.post(at(build, "decks/survey"), grid(**FOUR))
    assert refused.status_code == 422
    assert "signed off" in refused.get_data(as_text=True)
    noted = shop.post(at(build, "steps"), {"step": "covers|bolted on", "place": "e", "key": "c"})
    assert noted.status_code == 409


def test_surveys_and_steps_go_out_and_come_back_in_a_file(shop, timber, session):
    document = json.loads(shop.get(f"/builds/{timber}/build.json").get_data())
    upload = {"file": (io.BytesIO(json.dumps(document).encode()), "timber.json")}
    answer = shop.post("/builds/import", upload, content_type="multipart/form-data")
    number = re.search(r"/builds/(\d+)", answer.headers["Location"])[1]
    assert json.loads(shop.get(f"/builds/{number}/build.json").get_data()) == document
