"""Gates hold: open, met or accepted, voided and open again, of cuts planned or not; sheets follow them."""

# long: one gate after another
from __future__ import annotations

import copy
import itertools
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from zygometra.cli import _evaluation
from zygometra.core.cutting.gates import all_standings
from zygometra.core.cutting.judged import Against
from zygometra.core.cutting.signing import against_signature
from zygometra.core.findings.collect import FINAL, findings
from zygometra.core.house_rules import rules_for
from zygometra.core.stack.evaluate import evaluate
from zygometra.exchange.build_file import check

DAY = "2026-05-0{}T08:00:00Z"
BEFORE, CUT_AT, AFTER = (DAY.format(n) for n in (4, 6, 8))


def read(i: int, figure: str, hole: int, value: Any, at: str = BEFORE, **more: Any) -> dict[str, Any]:
    where = {"on": "rim", "axis": "pin"} if figure == "deck_clearance" else {}
    return (
        {"id": f"{figure[:4]}{hole}-{i}", "figure": figure, "cylinder": hole, "value": value, "at": at}
        | where
        | more
    )


def step(kind: str, state: str, at: str = BEFORE, **more: Any) -> dict[str, Any]:
    return {"id": f"s-{kind}-{state}", "step": kind, "state": state, "at": at} | more


def base(**more: Any) -> dict[str, Any]:
    """A vee four, everything stated to the last digit; a deck cut of 0.2 and a head cut of 0.3 mm on each bank."""
    return {
        "format": "zygometra.build",
        "version": 1,
        "name": "gated",
        "school": "paper-first",
        "unstated_doubt": "zero",
        "engine": {
            "layout": "vee",
            "bank_angle": 60,
            "bore_pitch": 98,
            "banks": [{"name": "A", "cylinders": [1, 3]}, {"name": "B", "cylinders": [2, 4]}],
        },
        "parts": {
            "block": {"deck_height": 230.2, "bore": 86},
            "crank": {"stroke": 90},
            "rod": {"length": 145, "material": "steel"},
            "piston": {"compression_height": 39.6, "crown_volume": 4, "dish_area": 2000, "above_rim": 0},
            "gasket": {"name": "g", "thickness": 1.2, "bore": 88},
            "head": {"chamber_volume": 48, "opening_area": 4000},
        },
        "planned": [{"op": "deck_cut", "amount": 0.2}, {"op": "head_cut", "amount": 0.3}],
        "targets": {"deck_clearance": {"min": 0.1, "max": 0.6}, "quench": {"min": 1.2, "max": 1.9}},
        **more,
    }


def answer(document: dict[str, Any]) -> dict[str, Any]:
    return _evaluation(check(copy.deepcopy(document)))


def states(document: dict[str, Any], number: int) -> dict[str, str]:
    return {one["against"]: one["state"] for one in answer(document)["gates"] if one["number"] == number}


def sheet(document: dict[str, Any], op: str, bank: str | None) -> dict[str, Any]:
    (found,) = (one for one in answer(document)["sheets"] if (one["op"], one["bank"]) == (op, bank))
    return found


PASS = {"id": "p1", "op": "deck_cut", "bank": "A", "number": 1, "depth": 0.2, "at": CUT_AT}
SPEC = {"party": "buyer", "name": "N. N.", "at": BEFORE}
# What opens each gate, what meets it, and before which cut it is looked at.
CASES: dict[int, tuple[dict[str, Any], dict[str, Any], str]] = {
    5: ({}, {"steps": [step("line-hone", "not needed")]}, "deck_cut A"),
    6: (
        {"targets": {"deck_clearance": {"min": 0.5, "max": 0.6}}},
        {"targets": {"deck_clearance": {"min": 0.1, "max": 0.6}}},
        "deck_cut A",
    ),
    7: ({}, {"steps": [step("covers", "none share it")]}, "deck_cut B"),
    8: ({"steps": [step("finish-hone", "done", cylinder=2)]}, {"steps": []}, "deck_cut B"),
    9: (
        {},
        {"readings": [read(1, "chamber_volume", n, 48) for n in (1, 2, 3, 4)]},
        "head_cut B",
    ),
    10: (
        {"passes": [PASS]},
        {
            "passes": [PASS],
            "readings": [read(2, "deck_clearance", hole=n, value=0.4, at=AFTER) for n in (1, 3)],
        },
        "deck_cut A",
    ),
    11: ({}, {"steps": [step("elsewhere", "checked again")]}, "head_cut A"),
    12: (
        {"readings": [read(n, "deck_clearance", n, 0.6, conditions={"rod": "a"}) for n in (1, 3)]},
        {"readings": [read(n, "deck_clearance", n, 0.6, conditions={"rod": f"r{n}"}) for n in (1, 3)]},
        "assembly",
    ),
    13: ({}, {"steps": [step("id-pad", "on no machined face")]}, "deck_cut A"),
    15: ({}, {"planned": []}, "head_cut A"),
    16: (
        {"decisions": [{"id": "q", "text": "Which gasket?", "blocks": "the cut", "at": BEFORE}]},
        {
            "decisions": [
                {"id": "q", "text": "Which gasket?", "blocks": "the cut", "at": BEFORE},
                {"id": "a", "answers": "q", "who": "Nell", "option": "thick", "at": BEFORE},
            ]
        },
        "deck_cut A",
    ),
}


@pytest.mark.parametrize("number", sorted(CASES))
def test_each_gate_is_open_then_met_or_accepted_and_voided_open_again(number):
    opens, meets, against = CASES[number]
    document = base(**opens)
    assert states(document, number)[against] == "open"
    met = base(**(opens | meets))
    assert states(met, number).get(against, "met") == "met"
    build = check(copy.deepcopy(document))
    (stands,) = (
        one
        for one in all_standings(build, evaluate(build))
        if (one.gate.number, one.against.key) == (number, against)
    )
    signed = {
        "id": "sign",
        "gate": number,
        "against": against,
        "reason": "the owner wants it",
        "fails": list(stands.fails),
        "covers": dict(stands.covers),
        "by": "Ada",
        "at": AFTER,
    }
    accepted = document | {"acceptances": [signed]}
    assert states(accepted, number)[against] == "accepted"
    # For this cut, and for no other.
    others = {key: state for key, state in states(accepted, number).items() if key != against}
    assert all(state == states(document, number)[key] for key, state in others.items())
    void = accepted | {"voided": [{"reading": "sign", "why": "signed by mistake"}]}
    assert states(void, number)[against] == "open"
    # What stood before the chip keeps the sheet; what waits after it does not.
    op, _, bank = against.partition(" ")
    if number in (5, 6, 7, 8, 9, 13, 15, 16):
        assert sheet(document, op, bank)["state"] == "not released"
        assert any(f"gate {number} is open" in why for why in sheet(document, op, bank)["why"])
        assert not any(f"gate {number} " in why for why in sheet(accepted, op, bank)["why"])


def test_a_step_that_is_voided_opens_its_gate_again_and_one_of_an_earlier_day_counts_from_that_day():
    document = base(steps=[step("line-hone", "not needed")])
    assert states(document, 5) == {"deck_cut A": "met", "deck_cut B": "met"}
    void = document | {"voided": [{"reading": "s-line-hone-not needed", "why": "another block"}]}
    assert states(void, 5) == {"deck_cut A": "open", "deck_cut B": "open"}
    # Bored by the last shop the day before the reading: what was read after it stands.
    late = base(steps=[step("line-hone", "done", AFTER, on="2026-05-03")])
    late["readings"] = [read(1, "deck_clearance", n, 0.6) for n in (1, 2, 3, 4)]
    assert states(late, 5)["deck_cut A"] == "met"
    assert (
        states(base(steps=[step("line-hone", "done", AFTER)], readings=late["readings"]), 5)["deck_cut A"]
        == "open"
    )


def test_without_a_window_and_without_a_reading_nothing_is_met():
    for school in ("paper-first", "mock-up-only", "tight-quench", ""):
        bare = base(school=school, targets={})
        bare["readings"] = [read(1, "deck_clearance", n, 0.6) for n in (1, 2, 3, 4)]
        assert set(states(bare, 6).values()) == {"open"}
    mocked = base(school="mock-up-only")
    assert set(states(mocked, 6).values()) == {"open"}
    mocked["readings"] = [read(1, "deck_clearance", n, 0.6) for n in (1, 3)]
    assert states(mocked, 6) == {"deck_cut A": "met", "deck_cut B": "open"}
    assert states(base(passes=[PASS]), 10)["deck_cut A"] == "open"
    faced = base(planned=[], steps=[step("head-cut", "done", bank="B")])
    assert states(faced, 10) == {"head_cut B": "open"}


def test_a_cut_that_nobody_planned_meets_the_gates_of_a_planned_one():
    planned, bare = base(), base(planned=[])
    build = check(bare)
    also = (Against("deck_cut", "A"), Against("head_cut", "A"))
    found = {(one.gate.number, one.against.key) for one in all_standings(build, evaluate(build), also=also)}
    wanted = {
        (one["number"], one["against"]) for one in answer(planned)["gates"] if one["against"].endswith(" A")
    }
    assert found == wanted
    # Once a pass is logged it needs nobody to name it.
    logged = {one["against"] for one in answer(base(planned=[], passes=[PASS]))["gates"]}
    assert "deck_cut A" in logged


def test_passes_of_a_cut_do_not_lapse_what_was_signed_before_its_first_chip():
    document = base(readings=[read(1, "deck_clearance", n, 0.6) for n in (1, 2, 3, 4)])
    build = check(copy.deepcopy(document))
    document["acceptances"] = [
        {
            "id": f"a{i}",
            "gate": one.gate.number,
            "against": one.against.key,
            "reason": "agreed at the bench",
            "fails": list(one.fails),
            "covers": dict(one.covers),
            "at": "2026-05-05T08:00:00Z",
        }
        for i, one in enumerate(all_standings(build, evaluate(build)))
        if one.state == "open"
    ]
    for number in (5, 7, 13, 15):
        assert states(document, number)["deck_cut A"] == "accepted"
    begun = document | {"passes": [PASS | {"depth": 0.1}]}
    for number in (5, 7, 13, 15):
        assert states(begun, number)["deck_cut A"] == "accepted"
    # Another plan is another thing to agree to.
    other = document | {"planned": [{"op": "deck_cut", "amount": 0.25}]}
    assert states(other, 15)["deck_cut A"] == "open"


# -- sheets ------------------------------------------------------------------------


def ready(**more: Any) -> dict[str, Any]:
    """Every gate before a deck cut of bank A met or accepted."""
    document = base(
        steps=[
            step("line-hone", "not needed"),
            step("covers", "none share it"),
            step("id-pad", "on no machined face"),
        ],
        **more,
    )
    build = check(copy.deepcopy(document))
    (agree,) = (
        one
        for one in all_standings(build, evaluate(build))
        if (one.gate.number, one.against.key) == (15, "deck_cut A")
    )
    signed = {"id": "agree", "gate": 15, "against": "deck_cut A", "reason": "our own engine"}
    document["acceptances"] = [
        signed | {"fails": list(agree.fails), "covers": dict(agree.covers), "at": BEFORE}
    ]
    return document


READ_ALL = [read(1, "deck_clearance", n, 0.6) for n in (1, 3)]


@pytest.mark.parametrize(
    ("more", "paper", "mock_up", "why"),
    [
        ({"readings": READ_ALL}, "released", "released", ""),
        ({}, "to check first", "not released", "nothing of it was measured"),
        ({"readings": READ_ALL[:1]}, "to check first", "not released", "hole 3: neither its deck clearance"),
        (
            {"readings": [one | {"simulated": True} for one in READ_ALL]},
            "not released",
            "not released",
            "is simulated: nothing is released on it",
        ),
        (
            {"readings": READ_ALL, "levers": {"deck_cut": {"max": 1.4}}},
            "to check first",
            "not released",
            "limit of 1.40 mm was raised by hand over the house's 0.75 mm",
        ),
        ({"readings": READ_ALL, "levers": {"deck_cut": {"max": 0.5}}}, "released", "released", ""),
    ],
)
def test_a_sheet_is_released_only_on_what_was_read_or_accepted(more, paper, mock_up, why):
    for school, state in (("paper-first", paper), ("mock-up-only", mock_up)):
        found = sheet(ready(school=school, **more), "deck_cut", "A")
        assert found["state"] == state
        assert why in "; ".join(found["why"])
        assert bool(found["why"]) == (state != "released")


def test_what_is_signed_for_releases_a_sheet_until_the_cut_changes():
    document = ready(levers={"deck_cut": {"max": 1.4}})
    assert sheet(document, "deck_cut", "A")["state"] == "to check first"
    document["acceptances"].append(
        {
            "id": "sheet",
            "about": "sheet",
            "against": "deck_cut A",
            "reason": "thick deck, measured with a probe",
            "fails": ["nothing measured", "limit raised to 1.4000 mm"],
            "covers": {"amount of deck_cut A": 0.2},
            "at": AFTER,
        }
    )
    assert sheet(document, "deck_cut", "A")["state"] == "released"
    raised = document | {"levers": {"deck_cut": {"max": 1.6}}}
    assert sheet(raised, "deck_cut", "A")["why"] == [
        "its limit of 1.60 mm was raised by hand over the house's 0.75 mm"
    ]
    void = document | {"voided": [{"reading": "sheet", "why": "wrong engine"}]}
    assert sheet(void, "deck_cut", "A")["state"] == "to check first"
    deeper = document | {"planned": [{"op": "deck_cut", "amount": 0.21}]}
    assert sheet(deeper, "deck_cut", "A")["state"] == "not released"


def test_what_breaks_a_floor_is_signed_away_by_nobody():
    document = ready(
        readings=READ_ALL, planned=[{"op": "deck_cut", "amount": 0.74}], targets={"quench": {"min": 0.1}}
    )
    document["parts"]["gasket"]["thickness"] = 0.5
    found = sheet(document, "deck_cut", "A")
    assert found["state"] == "not released"
    stops = [one["code"] for one in answer(document)["findings"] if one["severity"] == "stop"]
    assert set(stops) & FINAL
    document["acceptances"].append(
        {
            "id": "sheet",
            "about": "sheet",
            "against": "deck_cut A",
            "reason": "the owner insists",
            "fails": [
                f"stop {code} at cylinders.{n}" for code in stops for n in ("1,3", "1,2,3,4", "1", "3")
            ],
            "covers": {"amount of deck_cut A": 0.74},
            "at": AFTER,
        }
    )
    assert sheet(document, "deck_cut", "A")["state"] == "not released"
    build = check(document)
    rules = rules_for("")
    evaluation = evaluate(build)
    stands = against_signature(
        build, evaluation, rules=rules, gates=(), findings=findings(build, evaluation, rules)
    )
    assert stands[0].is_final


@settings(max_examples=60, deadline=None)
@given(
    read_holes=st.sets(st.sampled_from([1, 2, 3, 4])),
    simulated=st.sets(st.sampled_from([1, 2, 3, 4])),
    steps=st.sets(st.sampled_from(["line-hone", "covers", "id-pad"])),
    school=st.sampled_from(["paper-first", "mock-up-only", "guarded-quench"]),
    window=st.booleans(),
)
def test_no_sheet_is_released_while_a_gate_is_open_or_a_hole_unread(
    read_holes, simulated, steps, school, window
):
    """Of any mixture: released says that every gate before the cut is passed and every hole of its bank read."""
    document = base(school=school, targets=base()["targets"] if window else {})
    document["steps"] = [
        step(
            kind,
            {"line-hone": "not needed", "covers": "none share it", "id-pad": "on no machined face"}[kind],
        )
        for kind in sorted(steps)
    ]
    document["readings"] = [
        read(1, "deck_clearance", n, 0.6) | ({"simulated": True} if n in simulated else {})
        for n in sorted(read_holes)
    ]
    given_ = answer(document)
    for one in given_["sheets"]:
        if one["op"] != "deck_cut":
            continue
        holes = {"A": {1, 3}, "B": {2, 4}}[one["bank"]]
        barred = [
            g["number"]
            for g in given_["gates"]
            if g["against"] == f"deck_cut {one['bank']}"
            and g["state"] == "open"
            and g["number"] not in (10, 11)
        ]
        assert 15 in barred
        assert (6 in barred) >= (not window)
        assert one["state"] == "not released"
        assert any("simulated" in why for why in one["why"]) == bool(holes & read_holes & simulated)
        unread = holes - (read_holes - simulated)
        assert any("read" in why or "measured" in why for why in one["why"] if "gate" not in why) == bool(
            unread
        )


# -- signing -----------------------------------------------------------------------


def test_uncut_half_cut_and_unread_work_stands_against_a_signature():
    def stands(document: dict[str, Any]) -> list[str]:
        build = check(copy.deepcopy(document))
        return [
            str(one.says)
            for one in against_signature(build, evaluate(build), rules=rules_for(""), gates=(), findings=())
        ]

    planned = base()
    assert [says for says in stands(planned) if "not made" in says] == [
        "deck of bank A: its cut of 0.200 mm is not made",
        "deck of bank B: its cut of 0.200 mm is not made",
        "head of bank A: its cut of 0.300 mm is not made",
        "head of bank B: its cut of 0.300 mm is not made",
    ]
    half = base(passes=[PASS | {"depth": 0.15}])
    assert "deck of bank A: 0.050 mm of its cut is still to come" in stands(half)
    assert "holes 1 and 3: not measured again after the last pass" in stands(half)
    assert "all holes: chamber not read" in stands(half)
    passes = [
        {"id": f"p{i}", "op": op, "bank": bank, "number": 1, "depth": depth, "at": CUT_AT}
        for i, (op, bank, depth) in enumerate(
            (op, bank, depth)
            for (op, depth), bank in itertools.product((("deck_cut", 0.2), ("head_cut", 0.3)), "AB")
        )
    ]
    readings = [read(1, "deck_clearance", hole=n, value=0.4, at=AFTER) for n in (1, 2, 3, 4)]
    readings += [read(1, "chamber_volume", hole=n, value=46.8, at=AFTER) for n in (1, 2, 3, 4)]
    assert stands(base(passes=passes, readings=readings)) == []
    low = base(passes=passes, readings=readings, targets={"quench": {"min": 1.7}})
    assert stands(low) == ["all holes: quench outside its window"]
    fitted = base(passes=passes, readings=readings)
    fitted["planned"].append({"op": "gasket", "gasket": {"name": "thick", "thickness": 1.5, "bore": 88}})
    assert any("gasket thick is planned" in says for says in stands(fitted))
    faked = base(passes=passes, readings=[one | {"simulated": True} for one in readings])
    assert any("simulated" in says for says in stands(faked))
