"""Drawings are to scale: what is measured in the picture is what was typed."""

from __future__ import annotations

import re
from xml.etree import ElementTree

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from support.cases import demo, vector
from zygometra.core.build.document import read_document, with_leaf
from zygometra.core.stack.evaluate import evaluate
from zygometra.core.windows import Window
from zygometra.core.wording import Reader
from zygometra.drawing import loupe, section
from zygometra.drawing.bands import WIDTH, Estimate, axis, bands
from zygometra.drawing.marks import BASIS_WORDS, basis_mark, editable, text
from zygometra.drawing.stack import stack_drawing

LIMITS = loupe.Limits(0.5, 0.8, 1.0)
PIXELS_PER_MM = 96 / 25.4


def draw(name, hole=1, reader=None, **leaves):
    document = demo(name)
    for path, value in leaves.items():
        document = with_leaf(document, tuple(path.split("__")), value)
    build = read_document(document)
    return build, evaluate(build), stack_drawing(evaluate(build), hole, reader or Reader(), LIMITS)


def parsed(svg):
    return ElementTree.fromstring(svg)


def gap(name, hole=1, **leaves):
    _, evaluation, _ = draw(name, hole, **leaves)
    now, planned = evaluation.now.hole(hole), evaluation.planned.hole(hole)
    svg = loupe.loupe(now, planned, Reader(), LIMITS)
    return planned.outcome, parsed(f"<svg>{svg}</svg>"), svg


def heights(root, css):
    return [
        (float(r.get("y")), float(r.get("height")))
        for r in root.iter("rect")
        if css in r.get("class").split()
    ]


def factor_of(svg):
    return int(re.search(r"loupe, (\d+) × life size", svg).group(1))


@pytest.mark.parametrize(
    "name", ["pilot-launch", "fire-tender", "hill-climb", "mountain-rescue", "sawmill-six"]
)
def test_the_loupe_is_as_large_as_it_says(name):
    outcome, root, svg = gap(name)
    scale = factor_of(svg) * PIXELS_PER_MM
    gasket_top, gasket_height = heights(root, "gasket")[0]
    assert gasket_height / scale == pytest.approx(outcome.gasket_thickness, abs=0.01)
    rim = heights(root, "piston")[0][0]
    assert (rim - gasket_top) / scale == pytest.approx(outcome.quench, abs=0.01)
    deck = heights(root, "block")[0][0]
    assert (rim - deck) / scale == pytest.approx(outcome.deck_clearance, abs=0.01)


def test_what_is_taken_off_is_drawn_as_thick_as_it_is():
    outcome, root, svg = gap("fire-tender")
    scale = factor_of(svg) * PIXELS_PER_MM
    taken = sorted(height / scale for _, height in heights(root, "taken"))
    assert taken == pytest.approx([outcome.crown_cut, outcome.head_cut], abs=0.005)


def test_a_handle_says_how_far_a_pixel_goes():
    _, root, svg = gap("pilot-launch")
    handles = {g.get("data-lever"): g for g in root.iter("g") if g.get("role") == "slider"}
    assert set(handles) == {"deck_cut", "head_cut", "crown_cut"}
    per_pixel = 1 / (factor_of(svg) * PIXELS_PER_MM)
    assert float(handles["deck_cut"].get("data-mm")) == pytest.approx(per_pixel, rel=1e-4)
    assert float(handles["head_cut"].get("data-mm")) == pytest.approx(-per_pixel, rel=1e-4)
    assert handles["deck_cut"].get("aria-valuenow") == "0.18"
    assert handles["deck_cut"].get("aria-valuemax") == "0.5"
    assert handles["crown_cut"].get("aria-valuetext") == "0.000 mm off"


def test_the_scale_bar_is_as_long_as_it_says():
    _, root, svg = gap("pilot-launch")
    bar = max(
        float(x.get("x2")) - float(x.get("x1")) for x in root.iter("line") if x.get("class") == "scale-bar"
    )
    assert bar / (factor_of(svg) * PIXELS_PER_MM) == pytest.approx(0.5, abs=0.002)
    assert "0.500 mm" in svg


def test_the_section_keeps_one_scale_for_the_whole_chain():
    _, evaluation, _ = draw("pilot-launch", hole=2)
    hole = evaluation.planned.hole(2)
    drawn = section.section(hole, Reader())
    root = parsed(f"<svg>{drawn.svg}</svg>")
    spans = sorted(
        abs(float(x.get("y2")) - float(x.get("y1"))) / drawn.scale
        for x in root.iter("line")
        if x.get("class") == "dim"
    )
    value = {path: source.quantity.value for path, source in hole.sources.items()}
    rim = (
        value["parts.crank.stroke"] / 2 + value["parts.rod.length"] + value["parts.piston.compression_height"]
    )
    expected = [
        value["parts.piston.compression_height"],
        value["parts.crank.stroke"] / 2,
        value["parts.rod.length"],
        rim + hole.outcome.deck_clearance,
    ]
    assert spans == pytest.approx(sorted(expected), abs=0.05)


def test_every_figure_of_the_chain_leads_to_its_place():
    _, _, svg = draw("mountain-rescue", hole=2)
    places = set(re.findall(r'data-figure="([^"]+)"', svg))
    assert "banks.right.deck_height" in places
    assert {"parts.rod.length", "parts.crank.stroke", "parts.piston.compression_height"} <= places
    assert "planned.2.gasket.thickness" not in places


def test_the_drawing_is_named_for_those_who_do_not_see_it():
    _, _, svg = draw("hill-climb")
    assert "Section of hole 1 at top dead centre, to scale: piston 0.360 mm proud, quench 0.440 mm" in svg
    _, _, inches = draw("hill-climb", reader=Reader("inch", quench="squish"))
    assert "squish 17.3 thou" in inches


def test_a_mocked_up_hole_without_a_paper_stack_is_drawn_all_the_same():
    document = vector("tarnbeck-plain")["build"]
    del document["parts"]["block"]["deck_height"]
    del document["parts"]["piston"]["compression_height"]
    document["cylinders"] = {str(n): {"deck_clearance": "0.2 mm"} for n in (1, 2, 3, 4)}
    build = read_document(document)
    svg = stack_drawing(evaluate(build), 3, Reader(), LIMITS)
    assert "deck height is not known: give it" in svg
    assert 'data-figure="parts.block.deck_height"' in svg
    assert "rim 0.200 mm down" in svg or "rim 0.20 mm down" in svg


@pytest.mark.parametrize("clearance", ["-1.4 mm", "0 mm", "12 mm", "150 mm"])
def test_far_down_and_far_proud_still_fit_the_picture(clearance):
    document = with_leaf(demo("pilot-launch"), ("cylinders", "2"), {"deck_clearance": clearance})
    build = read_document(document)
    root = parsed(stack_drawing(evaluate(build), 2, Reader(), LIMITS))
    for handle in root.iter("g"):
        if handle.get("role") == "slider":
            x, y = map(float, re.findall(r"-?[\d.]+", handle.get("transform")))
            assert 0 <= x <= loupe.WIDTH
            assert 0 <= y <= loupe.HEIGHT


def test_bands_share_a_scale_and_stop_at_its_ends():
    estimates = [Estimate(9.5, 0.1), Estimate(9.8, 0.05), Estimate(None, 0.0)]
    window = Window(9.6, 9.75, 9.9)
    drawn = bands(axis(estimates, window, 0.2), window)
    assert drawn.x(9.5) < drawn.x(9.6) < drawn.x(9.75) < drawn.x(9.9)
    assert drawn.x(-100) == 0
    assert drawn.x(1000) == WIDTH
    svg = drawn.draw(estimates[0], estimates[1], changed=True)
    assert svg.count("<path") == 6
    assert 'class="wedge"' in svg
    assert 'class="wedge"' not in drawn.draw(estimates[0], estimates[1], changed=False)
    assert 'class="now"' not in drawn.draw(estimates[2], estimates[2], changed=True)


def test_without_window_or_value_there_is_still_a_scale():
    empty = axis([Estimate(None, 0.0)], Window(), 0.2)
    assert empty.high > empty.low
    one = axis([Estimate(9.7, 0.0)], Window(), 0.2)
    assert one.high - one.low >= 0.2


def test_names_in_a_drawing_are_only_text():
    assert "&lt;b&gt;" in text(0, 0, "<b>")
    assert parsed(editable('"x', "label", "")).get("data-figure") == '"x'


def test_each_basis_has_a_shape_of_its_own():
    shapes = {re.sub(r"[\d.\-]+", "", basis_mark(0, 0, basis)) for basis in BASIS_WORDS}
    assert len(shapes) == len(BASIS_WORDS)


# -- labels in the loupe ---------------------------------------------------------------------

_SIZES = {"big": 14.0, "value": 6.9, "name": 6.4, "beside": 6.4}


def boxes_of(root):
    """Boxes (x, y, width, height) of labels, and of what must not lie over them: cuts' hatches, figures, grips."""
    labels, over, hatches = [], [], []
    for rect in root.iter("rect"):
        if "taken" in rect.get("class").split():
            hatches.append(tuple(float(rect.get(name)) for name in ("x", "y", "width", "height")))
    for group in root.iter("g"):
        if group.get("role") == "slider":
            x, y = map(float, re.findall(r"-?[\d.]+", group.get("transform")))
            over.append((x - 15, y - 12, 30, 24))
    for words in root.iter("text"):
        classes = (words.get("class") or "").split()
        wide = next((_SIZES[c] for c in classes if c in _SIZES), 7.2) * len("".join(words.itertext()).strip())
        x, y = float(words.get("x")), float(words.get("y"))
        x -= {"middle": wide / 2, "end": wide}.get(words.get("text-anchor") or "", 0)
        high = 20 if "big" in classes else 11
        box = (x, y - high + 2, wide, high)
        if "cut" in classes:
            over.append(box)
        else:
            # The gasket is drawn over what was taken off the deck: what stands on it lies under nothing.
            labels.append((box, "on-dark" not in classes))
    return labels, over, hatches


def apart(one, other):
    (x, y, w, h), (a, b, c, d) = one, other
    return x + w <= a + 0.5 or a + c <= x + 0.5 or y + h <= b + 0.5 or b + d <= y + 0.5


@settings(max_examples=400)
@given(
    st.sampled_from(["pilot-launch", "fire-tender", "hill-climb", "sawmill-six", "winch-flat-four"]),
    st.floats(0, 1.2),
    st.floats(0, 1.2),
    st.floats(0, 1.2),
    st.sampled_from(["mm", "inch"]),
)
def test_no_label_of_the_loupe_lies_under_a_cut_its_figure_or_a_handle(name, deck, head, crown, system):
    cuts = [("deck_cut", deck), ("head_cut", head), ("crown_cut", crown)]
    document = demo(name) | {
        "planned": [{"op": op, "amount": f"{mm:.3f} mm"} for op, mm in cuts if mm >= 0.01]
    }
    document["parts"]["piston"]["above_rim"] = "0 mm"
    evaluation = evaluate(read_document(document))
    hole = evaluation.planned.holes[0].number
    svg = loupe.loupe(evaluation.now.hole(hole), evaluation.planned.hole(hole), Reader(system), LIMITS)
    labels, over, hatches = boxes_of(parsed(f"<svg>{svg}</svg>"))
    assert len(labels) >= 6
    for label, on_ground in labels:
        for what in [*over, *(hatches if on_ground else ())]:
            assert apart(label, what), (label, what)
