"""The build file: taken whole or not at all, every fault by its place, back to the letter."""

from __future__ import annotations

import copy
import json

import jsonschema
import pytest
from hypothesis import given
from hypothesis import strategies as st

from support.cases import DEMO, VECTORS, demo, vector
from zygometra.core.build.document import figures_of, read_document, to_text, with_leaf
from zygometra.core.errors import BuildFaults
from zygometra.exchange.build_file import build_from_text, check, check_operations
from zygometra.exchange.json_schema import json_schema


def faults(document):
    with pytest.raises(BuildFaults) as refused:
        check(document)
    return {fault.path: f"{fault.found} | {fault.wanted}" for fault in refused.value.faults}


def text_fault(text):
    with pytest.raises(BuildFaults) as refused:
        build_from_text(text)
    return str(refused.value)


@pytest.fixture
def plain():
    return vector("tarnbeck-plain")["build"]


@pytest.mark.parametrize("file", [*VECTORS.glob("*.json"), *DEMO.glob("*.json")], ids=lambda p: p.stem)
def test_every_shipped_file_is_valid_and_comes_back_to_the_letter(file):
    document = json.loads(file.read_text())
    document = document.get("build", document)
    check(copy.deepcopy(document))
    again, _ = build_from_text(to_text(document))
    assert again == document
    jsonschema.validate(document, json_schema())


def test_a_file_with_a_byte_order_mark_is_read():
    text = "\ufeff" + json.dumps(demo("ferry-tender"))
    assert build_from_text(text.encode())[1].name == "Ferry tender 2.3"


def test_notes_are_kept_and_never_read(plain):
    plain["x-shop"] = {"bench": 3, "unknown": [1]}
    plain["parts"]["block"]["x-casting"] = "7 B 41"
    plain["parts"]["block"]["deck_height"]["x-sheet"] = "12"
    check(plain)
    assert build_from_text(to_text(plain))[0] == plain


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("", "an empty file"),
        ("  \n", "an empty file"),
        ("[1, 2]", "a list"),
        ("null", "nothing"),
        ("7", "found 7"),
        ('{"format": "zygometra.build", "na', "line 1, column 31"),
        ("{,}", "a slip in the JSON"),
        ('{"a": NaN}', "the number NaN"),
        ('{"a": 1, "a": 2}', "the key 'a' twice"),
        ("[" * 100000, "nested too deep"),
        ('{"a": ' + "9" * 5000 + "}", "plain numbers"),
    ],
)
def test_a_text_that_is_no_document(text, says):
    assert says in text_fault(text)


def test_bytes_that_are_no_text_and_a_file_that_is_too_large():
    assert "not text" in text_fault(b"\xff\xfe\x00\x01")
    assert "at most 16 MB" in text_fault(b" " * 17_000_000)


def test_what_cannot_be_stored_is_refused_by_its_place(plain):
    plain["customer"] = "Skerry\x00"
    assert "control character" in faults(plain)["customer"]
    plain["customer"] = "lone \ud800"
    assert "control character" in faults(plain)["customer"]
    plain["customer"] = "ok"
    plain["x-note"] = 1e400
    assert "finite number" in faults(plain)["x-note"]


@pytest.mark.parametrize(
    ("path", "value", "at", "says"),
    [
        ("version", 2, "version", "1, the version this reader knows"),
        ("version", True, "version", "1, the version"),
        ("format", "other", "format", "zygometra.build"),
        ("name", "", "name", "not empty"),
        ("name", 7, "name", "a text"),
        ("name", "n" * 121, "name", "at most 120"),
        ("unstated_doubt", "none", "unstated_doubt", "house or zero"),
        ("engine.layout", "radial", "engine.layout", "inline, vee or flat"),
        ("engine.banks", [], "engine.banks", "at least 1"),
        ("engine.bore_pitch", "wide", "engine.bore_pitch", "such as 0.76 mm"),
        ("parts.block.bore", -92, "parts.block.bore", "5 to 1500 mm"),
        ("parts.block.bore", "1e9 mm", "parts.block.bore", "1000000000 mm"),
        ("parts.block.bore", "-3 in", "parts.block.bore", "-3 in | 0.1969 to 59.06 in"),
        ("parts.block.bore", "92 cc", "parts.block.bore", "measures volume"),
        ("parts.block.bore", "9.2.0 mm", "parts.block.bore", "two decimal marks"),
        ("parts.block.bore", {"value": 92, "plus_minus": "x"}, "parts.block.bore", "plus_minus 'x'"),
        ("parts.block.deckheight", 225, "parts.block.deckheight", "unknown key 'deckheight'"),
        ("parts.rod.material", "wood", "parts.rod.material", "steel, titanium or aluminium"),
        ("parts.rod.length", "40 mm", "parts.rod.length", "longer than half the stroke of 86 mm"),
        ("cylinders", {"9": {"bore": 92}}, "cylinders.9", "one of 1, 2, 3, 4"),
        ("cylinders", {"one": {}}, "cylinders.one", "the number of a cylinder"),
        ("cylinders", {"1": {"width": 3}}, "cylinders.1.width", "unknown key"),
        ("banks", {"B": {}}, "banks.B", "one of A"),
        (
            "targets",
            {"quench": {"min": "1.2 mm", "max": "1.0 mm"}},
            "targets.quench.max",
            "at least min, '1.2 mm'",
        ),
        ("targets", {"compression_ratio": {"aim": 0.5}}, "targets.compression_ratio.aim", "above 1"),
        (
            "targets",
            {"compression_ratio": {"aim": "ten"}},
            "targets.compression_ratio.aim",
            "a number such as 9.8",
        ),
        ("targets", {"ratio_spread": -1}, "targets.ratio_spread", "from 0 to 20"),
        ("levers", {"deck_cut": {"max": "-1 mm"}}, "levers.deck_cut.max", "0 to 50 mm"),
        ("levers", {"gaskets": [{"thickness": "thin"}]}, "levers.gaskets[0].thickness", "such as"),
        (
            "planned",
            [{"op": "weld"}],
            "planned[0].op",
            "deck_cut, head_cut, crown_cut, gasket, open_chamber, bowl, swap_heads or fit",
        ),
        ("planned", [{"op": "deck_cut"}], "planned[0].amount", "how much, such as 0.18 mm"),
        ("planned", [{"op": "deck_cut", "amount": -0.1}], "planned[0].amount", "0 to 50 mm"),
        ("planned", [{"op": "deck_cut", "amount": "1 cc"}], "planned[0].amount", "length"),
        ("planned", [{"op": "open_chamber", "amount": "1 mm"}], "planned[0].amount", "volume"),
        ("planned", [{"op": "deck_cut", "bank": "Z", "amount": 1}], "planned[0].bank", "one of A"),
        (
            "planned",
            [{"op": "open_chamber", "cylinder": 7, "amount": 1}],
            "planned[0].cylinder",
            "one of 1, 2, 3, 4",
        ),
        (
            "planned",
            [{"op": "deck_cut", "cylinder": 1, "amount": 1}],
            "planned[0].cylinder",
            "acts on a whole bank",
        ),
        ("planned", [{"op": "gasket"}], "planned[0].gasket", "the gasket to fit"),
        (
            "planned",
            [{"op": "head_cut", "amount": 1, "gasket": {"name": "x"}}],
            "planned[0].gasket",
            "no gasket",
        ),
        ("planned", "none", "planned", "a list"),
    ],
)
def test_a_fault_names_its_place_what_was_found_and_what_is_wanted(plain, path, value, at, says):
    said = faults(with_leaf(plain, tuple(path.split(".")), value))
    assert at in said, said
    assert says in said[at]


def test_cylinders_and_banks_must_be_told_apart(plain):
    plain["engine"]["banks"] = [{"name": "A", "cylinders": [1, 2, 2]}, {"name": "A", "cylinders": [4]}]
    said = faults(plain)
    assert "cylinder 2 twice" in said["engine.banks[0].cylinders"]
    assert "'A' twice" in said["engine.banks[1].name"]
    plain["engine"]["banks"] = [{"name": "a.b", "cylinders": [1]}]
    assert "without a full stop" in faults(plain)["engine.banks[0].name"]


def test_a_vee_needs_its_angle(plain):
    plain["engine"]["layout"] = "vee"
    del plain["engine"]["bank_angle"]
    assert "between the banks" in faults(plain)["engine.bank_angle"]


def test_all_faults_are_told_at_once(plain):
    plain["name"] = 7
    plain["parts"]["block"]["bore"] = "wide"
    plain["parts"]["crank"]["stroke"] = -1
    plain["more"] = 1
    assert set(faults(plain)) == {"name", "parts.block.bore", "parts.crank.stroke", "more"}


def test_steps_must_go_down_from_the_face(plain):
    plain["parts"]["head"]["step_fills"] = [{"depth": 0.1, "below": 52}, {"depth": 1, "below": 53}]
    said = faults(plain)
    assert "0, the head face" in said["parts.head.step_fills[0].depth"]
    assert "does not go down" in said["parts.head.step_fills[1]"]


def test_layout_and_one_deck_clearance_are_a_build(plain):
    only = {key: plain[key] for key in ("format", "version", "name", "engine")}
    build = check(only | {"cylinders": {"3": {"deck_clearance": "0.2 mm"}}})
    assert [str(path) for path in build.figures if not path.startswith("engine.")] == [
        "cylinders.3.deck_clearance"
    ]
    assert check(only).cylinders == (1, 2, 3, 4)


def test_markup_in_a_name_is_only_a_name(plain):
    plain["name"] = "<script>alert(1)</script>"
    assert check(plain).name == "<script>alert(1)</script>"


def test_figures_are_found_at_every_place():
    found = dict(figures_of(vector("tarnbeck-mocked-up-and-cut")["build"]))
    assert found["cylinders.4.bore"] == "92.02 mm"
    assert found["cylinders.1.deck_clearance"]["readings"] == ["0.21 mm", "0.23 mm", "0.22 mm"]
    assert found["cam.intake_closes"] == 54
    assert "banks.right.gasket.thickness" in dict(figures_of(vector("quillon-vee-two-banks")["build"]))


def test_a_plan_alone_is_checked_against_its_build(plain):
    build = read_document(plain)
    check_operations([{"op": "deck_cut", "bank": "A", "amount": "0.1 mm"}], build)
    for plan, says in (
        ([{"op": "deck_cut", "bank": "B", "amount": 1}], "planned\\[0\\].bank"),
        ({}, "a list"),
        ([{"op": "deck_cut", "amount": 1, "why": 2}], "planned\\[0\\].why"),
        ("x\x00", "control"),
    ):
        with pytest.raises(BuildFaults, match=says):
            check_operations(plan, build)


def test_the_schema_refuses_what_the_reader_refuses():
    schema = json_schema()
    jsonschema.Draft202012Validator.check_schema(schema)
    document = demo("ferry-tender")
    for broken in ({**document, "version": 2}, {**document, "more": 1}, {**document, "parts": []}):
        with pytest.raises(jsonschema.ValidationError):
            jsonschema.validate(broken, schema)
    jsonschema.validate({**document, "x-more": 1}, schema)


json_values = st.recursive(
    st.none()
    | st.booleans()
    | st.floats(allow_nan=False, allow_infinity=False)
    | st.text(max_size=8)
    | st.integers(-9, 9),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=8), inner, max_size=3),
    max_leaves=6,
)
PLACES = [
    ("name",),
    ("engine",),
    ("engine", "banks"),
    ("engine", "bank_angle"),
    ("parts",),
    ("parts", "block"),
    ("parts", "block", "bore"),
    ("parts", "gasket"),
    ("parts", "head", "step_fills"),
    ("banks",),
    ("cylinders",),
    ("cylinders", "1"),
    ("cam",),
    ("planned",),
    ("targets",),
    ("targets", "quench"),
    ("levers",),
    ("levers", "gaskets"),
]


@given(st.sampled_from(PLACES), json_values)
def test_whatever_stands_at_a_place_is_taken_or_refused_in_words(path, value):
    document = vector("tarnbeck-plain")["build"]
    node = document
    for step in path[:-1]:
        node = node.setdefault(step, {})
    node[path[-1]] = value
    try:
        check(document)
    except BuildFaults as error:
        assert all(f.path and f.found and f.wanted for f in error.faults)  # noqa: PT017
