"""No sentence contradicts its own figures: each is read back, in millimetres and in thou, a hair beside its edge."""

from __future__ import annotations

import re

from hypothesis import given
from hypothesis import strategies as st

from support.cases import single
from zygometra.core.build.document import read_document
from zygometra.core.findings.collect import findings
from zygometra.core.house_rules import rules_for
from zygometra.core.stack.evaluate import evaluate
from zygometra.core.wording import Reader

READERS = (Reader(), Reader("inch", "squish"))
NUMBER = re.compile(r"(−?\d+(?:\.\d+)?)(?: (mm|thou|in|cc)\b)?")
# How far from the edge, in mm: from what a window forgives to what anybody sees.
HAIRS = st.floats(-7, -1.3).map(lambda power: 10**power)


def figures_in(text):
    """The figures of a sentence after its holes, each with its unit."""
    return [(float(n.replace("−", "-")), unit) for n, unit in NUMBER.findall(text.partition(": ")[2])]


def said(document):
    build = read_document(document)
    evaluation = evaluate(build)
    for reader in READERS:
        yield {f.code: f.says for f in findings(build, evaluation, rules_for(build.school), reader)}


def beside(text):
    """A value and its edge as they read; in one unit."""
    (value, unit), (edge, unit_of_edge) = figures_in(text)[:2]
    assert unit == unit_of_edge
    return value, edge


@given(HAIRS, st.sampled_from([0.002, 0.03, 0.2]), st.sampled_from(["steel", "titanium", "aluminium"]))
def test_a_gap_under_the_floor_reads_as_one(hair, u, material):
    floor = rules_for("").quench_floor(material)
    # The single stands 0.36 proud: a gasket of floor + 0.36 − hair leaves floor − hair.
    thickness = {"value": floor + 0.36 - hair, "u": u}
    for codes in said(single(parts__gasket__thickness=thickness, parts__rod__material=material)):
        value, edge = beside(codes["quench-under-floor"])
        assert value < edge


@given(HAIRS, st.floats(1.05, 1.6).map(lambda mm: round(mm, 2)), st.sampled_from([0.002, 0.03, 0.2]))
def test_a_gap_outside_its_window_reads_so(hair, edge_mm, u):
    for key, sign, code in (("min", -1, "quench-under-window"), ("max", 1, "quench-over-ceiling")):
        document = single(
            parts__gasket__thickness={"value": edge_mm + 0.36 + sign * hair, "u": u},
            targets={"quench": {key: f"{edge_mm} mm"}},
        )
        for codes in said(document):
            if code in codes:
                value, edge = beside(codes[code])
                assert (value - edge) * sign > 0


@given(HAIRS, st.floats(7.5, 12).map(lambda ratio: round(ratio, 2)))
def test_a_ratio_outside_its_window_reads_so(hair, edge_ratio):
    build = read_document(single())
    ratio = evaluate(build).now.holes[0].outcome.compression_ratio
    for key, sign in (("min", 1), ("max", -1)):
        codes = next(said(single(targets={"compression_ratio": {key: ratio + sign * hair}})))
        if "ratio-outside-window" in codes:
            (value, _), (edge, _) = figures_in(codes["ratio-outside-window"])[:2]
            assert (value - edge) * sign < 0


@given(HAIRS, st.sampled_from(["deck_cut", "open_chamber"]))
def test_an_amount_over_its_limit_reads_so(hair, op):
    unit = "cc" if op == "open_chamber" else "mm"
    document = single(
        planned=[{"op": op, "amount": {"value": 0.3 + hair, "unit": unit}}],
        levers={op: {"max": f"0.3 {unit}"}},
    )
    for codes in said(document):
        if "lever-limit" in codes:
            value, edge = beside(codes["lever-limit"])
            assert value > edge


@given(HAIRS, st.sampled_from([0.0, 0.02, 0.3]))
def test_a_piston_is_level_within_a_hundredth_and_beyond_keeps_its_word(hair, u):
    # H = 158 − hair under a stack of 79.5/2 + 95 + 23.25.
    document = single(
        parts__block__deck_height={"value": 158 - hair, "u": u},
        parts__piston__compression_height={"value": 23.25, "u": 0},
    )
    for codes in said(document):
        if hair <= 0.01:
            assert "piston-proud" not in codes
            continue
        (value, _), *_ = figures_in(codes["piston-proud"])
        assert value > 0
        assert "proud" in codes["piston-proud"]
        assert ("may be level" in codes["piston-proud"]) == (u > 0 and hair < 1.96 * u)


@given(HAIRS)
def test_a_gasket_smaller_than_its_bore_reads_so(hair):
    for codes in said(single(parts__gasket__bore={"value": 80 - hair, "u": 0.1})):
        value, edge = beside(codes["gasket-smaller-than-bore"])
        assert value < edge
