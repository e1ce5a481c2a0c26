"""Agreement, memory, what came out, sheets: each against figures of its own."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.stats import norm

from support.half_cut import built, deck_passes, document, engines_of_any_kind, moment, planned
from zygometra.core.build.cut_log import CutPlace
from zygometra.core.cutting.agreement import blocked_by, changed, parties, questions, specification
from zygometra.core.cutting.gates import all_standings
from zygometra.core.cutting.sheet import PrintedSheet, face_sheet, read_code
from zygometra.core.cutting.signing import against_signature
from zygometra.core.cutting.tolerance_learnt import with_memory
from zygometra.core.cutting.verify import compared, cuts_came, figures_achieved
from zygometra.core.house_rules import rules_for
from zygometra.core.measuring.facts import Fact, Facts, read_fact
from zygometra.core.measuring.logbook import Gauge
from zygometra.core.measuring.read_in import facts_in
from zygometra.core.memory import FinishedJob, remembered
from zygometra.core.stack.evaluate import evaluate

DECK = CutPlace("deck_cut", "A")
NOW = "2026-05-10T08:00:00Z"


def agreed(party, covers, i=1):
    body = {"id": f"a{i}", "party": party, "name": "N. N.", "covers": covers, "at": NOW}
    return read_fact("agreement", body)


def states(build, *facts):
    return {one.party: (one.state, one.changed) for one in parties(build, facts)}


# -- agreement ------------------------------------------------------------------


def test_an_agreement_lapses_for_those_whose_figures_changed():
    before = built(document(planned=planned(0.2)))
    spec = specification(before)
    assert states(before, agreed("buyer", spec))["buyer"] == ("agreed", ())
    assert states(before)["machinist"] == ("asked", ())
    deeper = built(document(planned=planned(0.25)))
    found = states(deeper, agreed("buyer", spec), agreed("machinist", specification(deeper), 2))
    assert found["buyer"] == ("lapsed", ("planned.0.deck_cut.A",))
    assert found["machinist"] == ("agreed", ())


def test_what_is_measured_or_cut_changes_no_agreement():
    spec = specification(built(document(planned=planned(0.2))))
    doc = document(planned=planned(0.2), passes=deck_passes(0.1))
    doc["readings"].append(
        {"id": "s", "figure": "deck_clearance", "cylinder": 1, "value": 0.3, "at": moment(90)}
    )
    assert changed(spec, specification(built(doc))) == ()
    doc["parts"]["block"]["bore"] = "92.5 mm"
    assert changed(spec, specification(built(doc))) == ("parts.block.bore",)


@given(
    st.dictionaries(st.sampled_from("abcdef"), st.floats(-5, 5)),
    st.dictionaries(st.sampled_from("abcdef"), st.floats(-5, 5)),
)
def test_changed_is_what_differs(one, other):
    plain = {k for k in {*one, *other} if k not in one or k not in other or abs(one[k] - other[k]) > 1e-6}
    found = set(changed(one, other))
    assert plain <= found
    assert all(one.get(k) != other.get(k) for k in found)


def test_questions_say_how_long_they_are_open_and_what_moved():
    build = built(document(planned=planned(0.2)))
    ask = {
        "id": "q",
        "text": "Which gasket?",
        "options": [{"name": "thick", "cost": 40}, {"name": "thin"}],
        "rests_on": {"planned.0.deck_cut.A": 0.18},
        "blocks": "the last pass",
        "at": "2026-05-03T08:00:00Z",
    }
    facts = [read_fact("decision", ask)]
    (found,) = questions(build, facts, NOW)
    assert (found.days, found.moved, found.options[0].cost) == (7, ("planned.0.deck_cut.A",), 40)
    assert list(blocked_by([found])) == [found]
    answer = {"id": "a", "answers": "q", "option": "thick", "who": "Nell", "at": NOW}
    facts.append(read_fact("decision", answer))
    (found,) = questions(build, facts, NOW)
    assert (found.answer.option, found.answer.who, found.days) == ("thick", "Nell", 0)
    assert list(blocked_by([found])) == []


def test_no_machining_of_what_only_one_has_agreed_to():
    build = built(document(planned=planned(0.2)))
    spec = specification(build)

    def gate(number, *facts):
        noted = [Fact(i, one.id, one) for i, one in enumerate(facts, start=1)]
        signed = replace(build, signed=Facts().extended(noted).signed)
        found = all_standings(signed, evaluate(build), NOW)
        return next((one for one in found if one.gate.number == number), None)

    assert gate(15).fails == (
        "the buyer has not agreed",
        "the builder has not agreed",
        "the machinist has not agreed",
    )
    everybody = [agreed(party, spec, i) for i, party in enumerate(("buyer", "builder", "machinist"), 1)]
    assert gate(15, *everybody).is_passed
    ask = read_fact("decision", {"id": "q", "text": "Which gasket?", "blocks": "the last pass"})
    assert gate(16, ask).fails == ("no answer yet: Which gasket?",)
    assert gate(16) is None


# -- memory ---------------------------------------------------------------------


def plain_memory(missed, reads, usual):
    """The same posterior by brute force: bias and spread on a grid, no closed form."""
    spreads = usual * np.exp(np.linspace(-3.5, 3.5, 181) * 0.6)
    biases = np.linspace(-0.2, 0.2, 2001)
    b, s = np.meshgrid(biases, spreads, indexing="ij")
    log = norm.logpdf(b, 0, s) - 0.5 * (np.log(s / usual) / 0.6) ** 2
    for miss, u in zip(missed, reads, strict=True):
        log = log + norm.logpdf(miss, b, np.hypot(s, u))
    weight = np.exp(log - log.max())
    weight /= weight.sum()
    return float((weight * b).sum()), float((weight * s).sum()), weight, b, s


@pytest.mark.parametrize(
    ("missed", "reads"),
    [([0.01], [0.0]), ([0.02, 0.015, 0.03], [0.004] * 3), ([-0.01, 0.01] * 3, [0.002] * 6)],
)
def test_memory_is_the_posterior_by_brute_force(missed, reads):
    found = remembered([FinishedJob(*one) for one in zip(missed, reads, strict=True)], 0.009)
    bias, spread, weight, b, s = plain_memory(missed, reads, 0.009)
    assert found.bias == pytest.approx(bias, abs=3e-4)
    assert found.spread == pytest.approx(spread, rel=0.02)
    inside = (weight * (norm.cdf(found.high, b, s) - norm.cdf(found.low, b, s))).sum()
    assert inside == pytest.approx(0.95, abs=2e-3)


@given(st.lists(st.floats(-0.05, 0.05), min_size=1, max_size=8), st.floats(-0.03, 0.03))
def test_memory_moves_with_what_was_missed_and_shrinks(missed, by):
    one = remembered([FinishedJob(m) for m in missed], 0.01)
    mirrored = remembered([FinishedJob(-m) for m in missed], 0.01)
    assert one.bias == pytest.approx(-mirrored.bias, abs=1e-12)
    assert (one.low, one.high) == (pytest.approx(-mirrored.high), pytest.approx(-mirrored.low))
    mean = math.fsum(missed) / len(missed)
    assert abs(one.bias) <= abs(mean) + 1e-12
    assert one.low < one.bias < one.high


def test_memory_is_a_tolerance_and_moves_no_figure():
    doc = document(planned=planned(0.2))
    doc["levers"]["deck_cut"]["machine"] = "mill-1"
    build = built(doc)
    known = remembered([FinishedJob(0.02, 0.003)] * 4, 0.009)
    found = with_memory(build, lambda who, op: known if (who, op) == ("mill-1", "deck_cut") else None)
    assert found.levers.means["deck_cut"].tolerance.u == pytest.approx(known.u)
    assert found.figures == build.figures
    assert with_memory(build, lambda *_: None) == build


# -- what came out ----------------------------------------------------------------


def finished():
    doc = document(planned=planned(0.25), passes=deck_passes(0.15, 0.1))
    doc["readings"] += [
        {
            "id": f"s{n}",
            "figure": "deck_clearance",
            "cylinder": n,
            "value": 0.42 + 0.01 * n - 0.26,
            "at": moment(90),
        }
        for n in (1, 2, 3)
    ]
    return doc


def test_meant_and_achieved_hole_by_hole():
    rows = {row.number: row for row in compared(built(finished()))}
    quench = rows[1].results["quench"]
    assert (quench.meant, quench.achieved) == (pytest.approx(1.38), pytest.approx(1.37))
    assert quench.agrees  # Within what the machine may miss.
    assert [rows[n].read_again for n in (1, 2, 3, 4)] == [True, True, True, False]
    (came,) = cuts_came(built(finished()))
    assert (came.asked, came.achieved, came.holes) == (pytest.approx(0.25), pytest.approx(0.26), 3)
    assert came.missed == pytest.approx(0.01)


CUTS = st.integers(3, 40).map(lambda n: n / 100)


@given(engines_of_any_kind(), st.sampled_from(["deck_cut", "head_cut"]), CUTS, st.integers(-8, 8), st.data())
def test_what_a_cut_came_to_is_what_its_machine_took(doc, op, asked, off, data):
    """Read before and after on every kind of engine, other cuts in between: the machine's miss and nothing else."""
    taken = asked + off / 400
    other = data.draw(st.sampled_from([None, "crown_cut", "deck_cut" if op == "head_cut" else "head_cut"]))
    more = data.draw(CUTS) if other else 0.0

    def cut(name, amount):
        return {"op": name, "amount": amount} | ({"bank": "A"} if name != "crown_cut" else {})

    made = [cut(op, taken), *([cut(other, more)] if other else [])]
    before = evaluate(built(doc)).now
    after = evaluate(built({**doc, "planned": made})).planned
    figures = {"deck_clearance": lambda o: o.deck_clearance, "chamber_volume": lambda o: o.terms.chamber}
    doc["readings"] = [
        {"id": f"{figure}{n}{minute}", "figure": figure, "cylinder": n, "at": moment(minute)}
        | {"value": read(state.hole(n).outcome)}
        for minute, state in ((5, before), (200, after))
        for n in (1, 2, 3, 4)
        for figure, read in figures.items()
    ]
    doc["passes"] = deck_passes(asked, op=op)
    if other == "crown_cut":
        doc["passes"] += [
            {"id": f"c{n}", "op": other, "cylinder": n, "number": 1, "depth": more, "at": moment(100)}
            for n in (1, 2, 3, 4)
        ]
    elif other:
        doc["passes"] += deck_passes(more, op=other, start=100)
    doc["set_ups"] = [{"id": "u", "op": op, "bank": "A", "machine": "mill-9"}]
    build = built(doc)
    (came,) = [one for one in cuts_came(build) if one.place.op == op]
    assert (came.asked, came.holes, came.machine) == (pytest.approx(asked), 4, "mill-9")
    assert came.achieved == pytest.approx(taken, abs=1e-6)
    assert all(row.read_again for row in compared(build))


def test_a_levelled_cut_is_judged_at_each_hole_by_what_it_was_to_lose():
    doc = document(planned=[{"op": "deck_cut", "bank": "A", "first": 0.1, "last": 0.25}])
    doc["passes"] = deck_passes(0.15, 0.1)
    lost = {1: 0.11, 2: 0.16, 4: 0.26}
    doc["readings"] += [
        {"id": f"s{n}", "figure": "deck_clearance", "cylinder": n, "at": moment(90)}
        | {"value": 0.42 + 0.01 * n - off}
        for n, off in lost.items()
    ]
    (came,) = cuts_came(built(doc))
    assert (came.asked, came.achieved) == (pytest.approx(0.5 / 3), pytest.approx(0.53 / 3))
    assert came.missed == pytest.approx(0.01)


def test_crowns_and_chambers_in_the_block_that_a_cut_moved_are_asked_after():
    doc = finished()
    doc["passes"] += [
        {"id": "c1", "op": "crown_cut", "cylinder": 1, "number": 1, "depth": 0.05, "at": moment(95)}
    ]
    rows = {row.number: row for row in compared(built(doc))}
    assert [rows[n].read_again for n in (1, 2, 3)] == [False, True, True]
    doc = finished()
    doc["parts"]["block"]["pocket_area"] = 800
    assert not any(row.read_again for row in compared(built(doc)))


def test_what_stands_against_signing_and_what_a_signature_covers():
    doc = finished()
    build = built(doc)
    stands = [
        str(one.says)
        for one in against_signature(build, evaluate(build), rules=rules_for(""), gates=(), findings=())
    ]
    assert [says for says in stands if "again" in says] == ["hole 4: not measured again after the last pass"]
    before = figures_achieved(build)
    doc["readings"].append(
        {"id": "s4", "figure": "deck_clearance", "cylinder": 4, "value": 0.1, "at": moment(95)}
    )
    after = figures_achieved(built(doc))
    assert {place.split(".")[1] for place in changed(before, after)} == {"4"}


# -- sheets -----------------------------------------------------------------------


def test_a_sheet_holds_through_its_passes_and_not_through_a_change():
    rules = rules_for("")
    sheet = face_sheet(built(document(planned=planned(0.25))), DECK, rules)
    assert {one.cut for one in (*sheet.holes, *sheet.corners)} == {0.25}
    assert sheet.half == pytest.approx(0.015)
    cut = face_sheet(built(document(planned=planned(0.25), passes=deck_passes(0.1))), DECK, rules)
    assert cut.mark == sheet.mark
    deeper = face_sheet(built(document(planned=planned(0.26))), DECK, rules)
    assert deeper.mark != sheet.mark
    assert face_sheet(built(document()), DECK, rules) is None


@given(st.floats(0, 0.4), st.floats(0, 0.4), st.floats(50, 900))
def test_a_levelled_sheet_is_a_plane_with_its_shim(first, last, span):
    if abs(first - last) < 1e-3:
        return
    doc = document(planned=[{"op": "deck_cut", "bank": "A", "first": first, "last": last}])
    doc["facing"] = {"support_span": {"along": span}}
    sheet = face_sheet(built(doc), DECK, rules_for(""))
    slope = (last - first) / (3 * 97)
    for one in (*sheet.holes, *sheet.corners):
        assert one.cut == pytest.approx(first + slope * one.spot.x, abs=1e-9)
    assert sheet.shim == pytest.approx(slope * span, rel=1e-9)


@given(st.text(max_size=40))
def test_no_code_brings_it_down(text):
    read_code(text)
    printed = PrintedSheet(12, 40, 180, "0a1b2c3d4e")
    assert read_code(printed.code) == printed


def test_facts_go_into_a_file_and_come_back():
    doc = document(planned=planned(0.25), passes=deck_passes(0.1))
    doc["accepted"] = [{"id": "old", "gate": 6, "reason": "seen", "fails": [], "covers": {}}]
    doc["acceptances"] = [
        {"id": "new", "about": "finished engine", "reason": "read again", "covers": {"a": 1.0}}
    ]
    doc["decisions"] = [
        {"id": "q", "text": "Which?"},
        {"id": "a", "answers": "q", "option": "thick", "who": "Nell"},
    ]
    doc["agreements"] = [{"id": "g", "party": "buyer", "name": "Nell", "covers": {"parts.block.bore": 92.0}}]
    doc["set_ups"] = [{"id": "u", "op": "deck_cut", "bank": "A", "machine": "mill-1"}]
    doc["verified"] = [
        {"id": "v", "op": "deck_cut", "bank": "A", "machine": "mill-1", "asked": 0.1, "achieved": 0.11}
    ]
    built(doc)
    written = Facts().extended(facts_in(doc, {})).document({})
    assert [one["id"] for one in written["acceptances"]] == ["old", "new"]
    for key in ("decisions", "agreements", "set_ups", "verified", "passes"):
        assert written[key] == doc[key]
    again = Facts().extended(facts_in(written, {})).document({})
    assert again == written


def test_a_gauge_nobody_vouched_for_is_as_doubtful_as_its_checks_showed():
    checks = [
        {"on": f"2026-0{i}-01", "good": True, "off": f"{off} mm"}
        for i, off in enumerate((0.004, 0.006, 0.005), 1)
    ]
    bare = Gauge.read({"resolution": "0.01 mm", "checks": checks}, id="d")
    assert bare.u == pytest.approx(math.hypot(bare.tends.bias, bare.tends.u))
    assert 0.002 < bare.tends.bias < 0.005
    stated = Gauge.read({"resolution": "0.01 mm", "u": "0.003 mm", "checks": checks}, id="d")
    assert stated.u == 0.003
    assert Gauge.read({"resolution": "0.01 mm"}, id="d").u is None


def test_what_no_cut_moved_is_meant_whenever_it_was_read():
    doc = finished()
    doc["readings"].append(
        {"id": "v", "figure": "chamber_volume", "cylinder": 1, "value": 48.0, "at": moment(99)}
    )
    ratio = compared(built(doc))[0].results["compression_ratio"]
    assert ratio.agrees
    assert ratio.meant == pytest.approx(ratio.achieved, abs=0.02)
