"""Dimensions as spoken, what a bare number means, and figures that were likely meant otherwise."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from support.cases import single
from zygometra.core.build.document import read_document
from zygometra.core.fields import FIELD
from zygometra.core.findings.collect import findings
from zygometra.core.house_rules import rules_for
from zygometra.core.likely import USUAL, is_usual, meant_instead, usual_words
from zygometra.core.mix.parts import KINDS
from zygometra.core.spoken import as_written, bare_unit
from zygometra.core.stack.evaluate import evaluate
from zygometra.core.units import BASE, INCH, MM, THOU, Kind, read_typed, to_base
from zygometra.core.wording import Reader
from zygometra.web.forms.named import field_named
from zygometra.web.forms.read import with_unit

INCHES, METRIC = Reader("inch"), Reader()


@pytest.mark.parametrize(
    ("typed", "small", "mm"),
    [
        # In hundredths of an inch and fractions, whatever the field.
        (".025", True, 0.635),
        ("0.055", True, 1.397),
        ("+.055", True, 1.397),
        ("0,025", True, 0.635),
        ("3/64", True, 1.190625),
        ("8-3/8", True, 212.725),
        ("8 3/8", False, 212.725),
        # From one up: thou where cuts, gaskets and clearances stand, inches where large dimensions do.
        ("1", True, 0.0254),
        ("25", True, 0.635),
        ("62.5", True, 1.5875),
        ("3.4646", False, 88.00084),
        (".875", False, 22.225),
        ("½ in", True, 12.7),
        ("1½ in", False, 38.1),
        ("25 thousandths", True, 0.635),
        ("0.5 mm", True, 0.5),
    ],
)
def test_what_is_typed_with_inches_first(typed, small, mm):
    written = read_typed(with_unit(typed, Kind.LENGTH, INCHES, small=small), Kind.LENGTH)
    assert to_base(written.number, written.unit) == pytest.approx(mm, rel=1e-12)


@pytest.mark.parametrize(
    ("typed", "mm"),
    [("45 proud", -1.143), ("25 thou down", 0.635), (".3 mm Proud", -0.3), ("0.4 mm", 0.4), ("-12", -0.3048)],
)
def test_a_clearance_is_down_or_proud(typed, mm):
    written = read_typed(with_unit(typed, Kind.LENGTH, INCHES, sided=True), Kind.LENGTH)
    assert to_base(written.number, written.unit) == pytest.approx(mm, rel=1e-12)


def test_a_side_means_nothing_where_no_clearance_is_typed():
    assert as_written("45 proud") == "45 proud"


@given(st.floats(0, 500).map(lambda n: f"{n:.3f}"), st.booleans())
def test_a_bare_number_is_millimetres_for_who_reads_them(typed, small):
    assert bare_unit(Kind.LENGTH, METRIC, small=small, typed=typed) is MM
    assert bare_unit(Kind.VOLUME, INCHES, small=small, typed=typed) is BASE[Kind.VOLUME]


@given(st.floats(0.0001, 400).map(lambda n: round(n, 4)))
def test_a_number_under_one_is_inches_and_one_over_it_thou(number):
    expected = INCH if number < 1 else THOU
    assert bare_unit(Kind.LENGTH, INCHES, typed=f"{number:.4f}") is expected


@pytest.mark.parametrize(
    ("field", "number", "unit", "meant"),
    [
        ("gasket.thickness", 0.025, THOU, "0.025 in"),
        ("gasket.thickness", 40, MM, "40 thou"),
        ("block.bore", 3.4646, MM, "3.4646 in"),
        ("block.deck_height", 22.54, MM, "22.54 in"),
        ("block.deck_height", 2254, MM, "225.4 mm"),
        ("rod.length", 14.8, MM, "14.8 in"),
        ("head.chamber_volume", 520, BASE[Kind.VOLUME], "52 cc"),
    ],
)
def test_what_else_may_have_been_meant(field, number, unit, meant):
    assert meant in meant_instead(FIELD[field], number, unit)


# Fields of builds, of parts on the shelf, and of what pages ask besides.
KNOWN = {
    f"{field.part}.{field.name}": field
    for field in (
        *(d for kind in KINDS for d in kind.dimensions),
        *FIELD.values(),
        *(field_named(name) for name in USUAL if name.startswith(("lever.", "aim."))),
    )
}


def test_every_usual_range_belongs_to_a_field():
    assert set(USUAL) <= set(KNOWN)


@given(st.sampled_from(sorted(USUAL)), st.floats(0, 1), st.sampled_from([10, 0.1, 25.4, 1 / 25.4]))
def test_every_reading_that_is_offered_is_a_usual_one(name, share, slip):
    field, (low, high) = KNOWN[name], USUAL[name]
    value = low + share * (high - low)
    assert is_usual(field, value)
    assert meant_instead(field, value, BASE[field.kind]) == ()
    for offer in meant_instead(field, value * slip, BASE[field.kind]):
        typed = read_typed(offer, field.kind)
        assert is_usual(field, to_base(typed.number, typed.unit))


def codes(document):
    build = read_document(document)
    return {f.code: f.says for f in findings(build, evaluate(build), rules_for(build.school), METRIC)}


def test_slips_of_the_pen_stay_findings():
    assert "Was 1.6 mm" not in codes(single()).get("figure-unlikely", "")
    assert "figure-unlikely" not in codes(single())
    slipped = codes(single(parts__gasket__thickness="16 mm"))["figure-unlikely"]
    assert "16 mm is not what such a figure usually is, 0.15 to 4 mm" in slipped
    assert "16 thou" in slipped
    # 54 cc of chamber slipped to 540, and to 5.4: ratios of 1.8 and none at all.
    assert (
        "ratio 1.75 is not what engines have"
        in codes(single(parts__head__chamber_volume="540 cc"))["ratio-unlikely"]
    )


def test_a_piston_far_down_says_what_would_bring_it_up():
    says = codes(single(parts__piston__compression_height="17.25 mm"))
    # 158 − 79.5/2 − 95 − 17.25 = 6.00 down.
    assert "6.000 mm down: is it the right one?" in says["piston-far-down"]
    assert "piston-far-down" not in codes(single())


def test_the_usual_range_is_said_in_the_readers_unit():
    assert usual_words(FIELD["block.bore"], INCHES) == "1.18 to 8.07 in"
