"""What the program says of a build, for each finding a build that has it and one that has not."""

from __future__ import annotations

import pytest

from support.cases import demo, vector
from zygometra.core.build.document import read_document, with_leaf
from zygometra.core.errors import QuantityError
from zygometra.core.findings.collect import findings
from zygometra.core.findings.summary import summarise
from zygometra.core.house_rules import RULES, SCHOOL, check_rule, rules_for
from zygometra.core.stack.evaluate import evaluate
from zygometra.core.wording import Reader


def found(document, reader=None):
    build = read_document(document)
    rules = rules_for(build.school)
    return {f.code: f for f in findings(build, evaluate(build), rules, reader)}


def single(**figures):
    document = vector("pellam-single-proud")["build"]
    for path, raw in figures.items():
        document = with_leaf(document, tuple(path.split("__")), raw)
    return document


def test_a_proud_piston_is_said_in_words():
    finding = found(single())["piston-proud"]
    assert finding.severity == "warn"
    assert finding.says == "Hole 1: the piston stops 0.360 mm proud."
    assert str(finding.where) == "cylinders.1"
    assert finding.do


def test_proud_beyond_the_gasket_is_a_stop():
    finding = found(single(parts__gasket__thickness="0.3 mm"))["proud-over-gasket"]
    assert finding.severity == "stop"
    assert "meets the head" in finding.says


def test_proud_beyond_the_top_land_is_a_stop():
    finding = found(
        single(parts__piston__top_land_height="0.2 mm", parts__piston__top_land_diameter="79.5 mm")
    )
    assert finding["proud-over-top-land"].severity == "stop"


def test_quench_under_the_house_floor_is_a_stop_whatever_was_asked():
    document = single(parts__gasket__thickness="1.2 mm", targets={"quench": {"min": "0.5 mm", "max": "1 mm"}})
    assert "house floor of 0.889 mm" in found(document)["quench-under-floor"].says
    aluminium = single(parts__rod__material="aluminium")
    assert "1.40 mm for aluminium rods" in found(aluminium)["quench-under-floor"].says


def test_a_ceiling_under_the_floor_of_the_rods_in_use_is_said_at_once():
    document = single(parts__rod__material="aluminium", school="tight-quench")
    # Tight quench ends at 1.20, aluminium rods begin at 1.40.
    says = found(document)["quench-ceiling-under-floor"].says
    assert "ceiling of 1.20 mm" in says
    assert "floor of 1.40 mm for aluminium rods" in says
    assert "quench-ceiling-under-floor" not in found(single(school="tight-quench"))


def test_a_difference_that_may_exceed_the_limit_within_its_doubt_is_said():
    document = vector("tarnbeck-plain")["build"]
    document["targets"] = {"ratio_spread": 0.3}
    document["parts"]["head"]["chamber_volume"] = {"value": 52, "u": 1.0, "each": True}
    said = found(document)["ratio-spread-may-exceed"]
    # (9.653 − 1)/66.07 per cc, twice independent, ± 1.96: 0.363.
    assert "differ by 0.00 ± 0.36 in ratio: it could be more than the 0.30 wanted" in said.says
    assert "reads high" in said.why
    document["targets"]["ratio_spread"] = 0.4
    assert "ratio-spread-may-exceed" not in found(document)


def test_quench_under_what_was_asked_is_a_check():
    document = single(targets={"quench": {"min": "1.30 mm", "max": "1.50 mm"}})
    assert found(document)["quench-under-window"].severity == "warn"


def test_quench_over_its_ceiling():
    assert (
        "over the ceiling of 1.50 mm"
        in found(single(parts__gasket__thickness="2.2 mm"))["quench-over-ceiling"].says
    )
    assert "quench-over-ceiling" not in found(single())


def test_a_band_that_reaches_past_the_floor_is_said():
    document = single(parts__gasket__thickness={"value": 1.3, "plus_minus": 0.1})
    assert found(document)["quench-may-be-under"].severity == "warn"


def test_ratio_outside_and_across_its_window():
    asked = {"compression_ratio": {"min": 9.5, "max": 10}}
    assert "under the window 9.50 to 10.00" in found(single(targets=asked))["ratio-outside-window"].says
    doubtful = single(
        targets={"compression_ratio": {"min": 9.1, "max": 10}},
        parts__head__chamber_volume={"value": 54, "plus_minus": 1},
    )
    assert found(doubtful)["ratio-may-be-outside"].severity == "note"
    assert "ratio-outside-window" not in found(single())


def test_no_room_above_the_piston_names_the_terms():
    finding = found(single(parts__piston__crown_volume="-80 cc"))["clearance-volume-impossible"]
    assert finding.severity == "stop"
    assert "chamber 54.00" in finding.says
    assert "crown −80.00" in finding.says


def test_a_ratio_that_no_engine_has_is_a_slip_of_the_pen():
    assert found(single(parts__head__chamber_volume="18 cc"))["ratio-not-believable"].severity == "stop"


def test_a_gasket_smaller_than_the_bore_and_one_with_little_room():
    assert found(single(parts__gasket__bore="79 mm"))["gasket-smaller-than-bore"].severity == "stop"
    assert found(single(parts__gasket__bore="80.2 mm"))["gasket-room"].severity == "warn"


def test_a_top_land_as_large_as_the_bore():
    document = single(parts__piston__top_land_height="6 mm", parts__piston__top_land_diameter="80 mm")
    assert found(document)["top-land-over-bore"].severity == "stop"


def test_a_crown_cut_through_the_land():
    document = single(
        parts__piston__top_land_height="0.9 mm",
        parts__piston__top_land_diameter="79.4 mm",
        planned=[{"op": "crown_cut", "amount": "0.95 mm"}],
    )
    assert found(document)["crown-cut-through-land"].severity == "stop"


@pytest.mark.parametrize(
    ("land", "thickness", "says"),
    [
        # 0.5 off: 3.4 of land leaves 2.9 of the 3.0 that must remain, 5.4 of crown 4.9 of the 5.0.
        ("3.4 mm", "9 mm", "leaves 2.90 mm of top land; the house wants 3.00 mm"),
        ("6 mm", "5.4 mm", "leaves 4.90 mm of crown under the rim; the house wants 5.00 mm"),
        ("3.5 mm", "5.5 mm", ""),
        (None, None, ""),
    ],
)
def test_what_a_crown_cut_must_leave_of_land_and_crown(land, thickness, says):
    document = single(planned=[{"op": "crown_cut", "amount": "0.5 mm"}], parts__piston__above_rim="0 mm")
    if land:
        document["parts"]["piston"] |= {"top_land_height": land, "top_land_diameter": "79.4 mm"}
        document["parts"]["piston"] |= {"crown_thickness": thickness}
    told = found(document).get("crown-cut-leaves-little")
    assert (told is None) == (not says)
    assert told is None or says in told.says


@pytest.mark.parametrize(
    ("sunk", "code", "says"),
    [
        # 2,000 mm² wide: each cc is half a mm deeper, of a crown 6 thick.
        ("1.8 cc", None, ""),
        ("2.4 cc", "bowl-leaves-little", "leaves 4.80 mm of crown under it; the house wants 5.00 mm"),
        ("12 cc", "bowl-through-crown", "6.00 mm thick"),
    ],
)
def test_what_a_bowl_must_leave_of_the_crown_under_it(sunk, code, says):
    document = single(planned=[{"op": "bowl", "amount": sunk}])
    document["parts"]["piston"] |= {"dish_area": 2000, "crown_thickness": "6 mm"}
    told = {key: one for key, one in found(document).items() if key.startswith("bowl-")}
    assert list(told) == ([code] if code else [])
    assert all(says in one.says for one in told.values())


@pytest.mark.parametrize(
    ("op", "amount"),
    [
        ("deck_cut", "0.8 mm"),
        ("head_cut", "1.1 mm"),
        ("crown_cut", "1.2 mm"),
        ("open_chamber", "4 cc"),
        ("bowl", "4 cc"),
    ],
)
def test_a_cut_beyond_its_limit_is_a_stop(op, amount):
    finding = found(single(planned=[{"op": op, "amount": amount}]))["lever-limit"]
    assert finding.severity == "stop"
    assert "(house rule)" in finding.says


def test_the_files_own_limit_is_not_called_the_houses():
    document = single(
        planned=[{"op": "deck_cut", "amount": "0.2 mm"}], levers={"deck_cut": {"max": "0.1 mm"}}
    )
    assert found(document)["lever-limit"].says == "Hole 1: deck cut of 0.20 mm is over the limit of 0.10 mm."


def test_an_advertised_chamber_is_said_once_for_all_its_holes():
    finding = found(vector("tarnbeck-plain")["build"])["chamber-advertised"]
    assert finding.says == "All holes: the ratio stands on an advertised chamber volume."


def test_unstated_doubt_is_said_unless_the_file_asked_for_zero():
    document = vector("tarnbeck-plain")["build"]
    assert "doubt-not-stated" not in found(document)
    del document["unstated_doubt"]
    assert "house default stands in" in found(document)["doubt-not-stated"].says


def test_spread_between_holes_against_the_house_and_the_builds_own_limit():
    document = vector("tarnbeck-mocked-up-and-cut")["build"]
    assert "ratio-spread" not in found(document)
    document["targets"] = {"ratio_spread": 0.05}
    assert "Holes 2 and 4 differ by 0.10 ± 0.07" in found(document)["ratio-spread"].says


def test_a_mock_up_that_disagrees_with_its_figures():
    said = found(demo("quarry-loader"))
    assert (
        "Hole 6 reads 1.590 mm down on the mock-up; its figures give 0.580 mm down."
        in said["mock-up-disagrees"].says
    )
    assert "mock-up-disagrees" not in found(demo("pilot-launch"))


def test_hanging_a_little_lower_on_the_bench_is_no_disagreement():
    document = vector("tarnbeck-plain")["build"]
    document["cylinders"] = {"1": {"deck_clearance": {"value": 0.30, "u": 0.005}}}
    assert "mock-up-disagrees" not in found(document)
    document["cylinders"]["1"]["deck_clearance"]["value"] = 0.05
    assert "mock-up-disagrees" in found(document)


def test_a_stated_displacement_that_is_not_the_sum():
    document = vector("tarnbeck-plain")["build"]
    document["engine"]["displacement"] = "2287 cc"
    assert "displacement-differs" not in found(document)
    document["engine"]["displacement"] = "2.4 l"
    assert "2400 cc is not what bore and stroke give, 2287 cc" in found(document)["displacement-differs"].says


def test_identical_readings_deserve_a_question():
    document = vector("tarnbeck-plain")["build"]
    document["parts"]["head"]["chamber_volume"] = {"readings": [52, 52, 52], "unit": "cc", "gauge_u": 0.1}
    assert str(found(document)["identical-readings"].where) == "parts.head.chamber_volume"


def test_lowering_the_head_is_noted_with_its_sum():
    document = vector("quillon-vee-two-banks")["build"]
    build = read_document(document)
    moves = [f.says for f in findings(build, evaluate(build), rules_for("")) if f.code == "head-moves"]
    # left 0.4318 + 0.25; right 0.25 − (1.04 − 1.35)
    assert moves == [
        "The head of bank left comes to sit 0.682 mm lower.",
        "The head of bank right comes to sit 0.560 mm lower.",
    ]


def test_an_unknown_school_is_noted_and_the_shops_rules_are_used():
    assert "not known to this shop" in found(single(school="our-own-way"))["school-not-known"].says
    assert "school-not-known" not in found(single(school="tight-quench"))


def test_findings_come_worst_first_and_speak_the_readers_units():
    build = read_document(demo("quarry-loader"))
    said = findings(build, evaluate(build), rules_for(build.school), Reader("inch", quench="squish"))
    order = [f.severity for f in said]
    assert order == sorted(order, key=["stop", "warn", "note"].index)
    assert any("squish" in f.says and "thou" in f.says for f in said)
    assert not any(" mm" in f.says for f in said)
    assert all(f.why and f.do and str(f.where) for f in said)


def test_a_school_changes_the_rules_it_names():
    assert rules_for("guarded-quench").quench_floor("steel") == 1.25
    assert rules_for("", {"quench_floor.steel": 1.0}).quench_floor("steel") == 1.0
    assert rules_for("unheard-of").values == rules_for("").values
    assert set(SCHOOL["tight-quench"].changes) <= {rule.key for rule in RULES}


def test_a_rule_out_of_its_range_is_refused():
    with pytest.raises(QuantityError, match=r"quench floor, steel rods from 0\.20 to 5\.00 mm"):
        check_rule("quench_floor.steel", 50)


def test_the_demo_shop_has_the_builds_it_promises():
    expected = {
        "ferry-tender": (0, 0),
        "winch-flat-four": (0, 0),
        "hill-climb": (1, 1),
        "sawmill-six": (0, 2),
    }
    for name, (stops, checks) in expected.items():
        counts = summarise(demo(name), rules_for(demo(name)["school"]))["counts"]
        assert (counts["stop"], counts["warn"]) == (stops, checks), name
    assert summarise(demo("quarry-loader"), rules_for("guarded-quench"))["counts"]["stop"] >= 1
    assert summarise(demo("sawmill-six"), rules_for(""))["now"]["deck_clearance"][0] > 3


def test_a_build_that_cannot_be_evaluated_is_summed_up_by_its_error():
    document = vector("tarnbeck-plain")["build"]
    # The crank could not turn: the file's border refuses it, an old row may hold it.
    document["parts"]["rod"]["length"] = "30 mm"
    document["cam"] = {"intake_closes": 50}
    summary = summarise(document, rules_for(""))
    assert "rod" in summary["error"]
    assert summary["counts"]["stop"] == 1
