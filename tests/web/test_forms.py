"""The one form layer: each reading returns a value, what was typed, and a fault in one sentence."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zygometra.core.errors import BuildFaults, Fault
from zygometra.core.fields import FIELD
from zygometra.core.units import CC, INCH, MM, THOU, Kind
from zygometra.core.wording import Reader
from zygometra.web.forms import read
from zygometra.web.forms.form import Form, FormSlot, slot, words_of
from zygometra.web.forms.named import field_named

MM_FIRST, INCH_FIRST = Reader("mm"), Reader("inch")
# What a length or a volume is asked for in a small field.
CUT = {Kind.LENGTH: field_named("lever.deck_cut"), Kind.VOLUME: field_named("lever.open_chamber")}
SENTENCE = r"Found .+; wanted .+\."


@pytest.mark.parametrize(
    ("typed", "value"), [("9.75", 9.75), ("9,75", 9.75), ("", None), ("   ", None), (" 10 ", 10.0)]
)
def test_a_number(typed, value):
    found = read.number(typed, "a ratio such as 9.75", low=1, high=100)
    assert (found.value, found.typed, found.fault) == (value, typed, "")


@pytest.mark.parametrize("typed", ["ten", "1e400", "nan", "0.2", "101", "1.2.3"])
def test_a_number_that_will_not_do(typed):
    found = read.number(typed, "a ratio such as 9.75", low=1, high=100)
    assert found.value is None
    assert found.typed == typed
    assert found.fault.endswith("wanted a ratio such as 9.75.")


def test_what_is_wanted_is_said_of_an_empty_field_too():
    for found in (
        read.number("", "a number", required=True),
        read.whole("", "a number", required=True),
        read.attempt(" ", float, wanted="a number"),
    ):
        assert found.fault == "Found nothing; wanted a number."
        assert found.value is None


@given(st.integers(-50, 150))
def test_a_whole_number(value):
    found = read.whole(str(value), "1 to 32 cylinders", low=1, high=32)
    assert found.value == (value if 1 <= value <= 32 else None)
    assert bool(found.fault) == (not 1 <= value <= 32)


@pytest.mark.parametrize(
    ("typed", "value", "says"),
    [
        ("  Pilot launch ", "Pilot launch", ""),
        ("", None, "wanted a name of 1 to 40 characters for the build, such as Pilot."),
        ("x" * 41, None, "wanted a name of 1 to 40 characters for the build, such as Pilot."),
        ("a\x07b", None, "a control character"),
        ("a\nb", None, "a control character"),
    ],
)
def test_a_name(typed, value, says):
    found = read.name(typed, "the build", example="Pilot", most=40)
    assert found.value == value
    assert says in found.fault


@pytest.mark.parametrize(
    ("typed", "lines", "value"),
    [("", False, None), ("towing", False, "towing"), ("a\nb", True, "a\nb"), ("a\nb", False, None)],
)
def test_a_text(typed, lines, value):
    assert read.text(typed, lines=lines).value == value


@pytest.mark.parametrize("typed", ["steel", "titanium"])
def test_a_choice(typed):
    assert read.choice(typed, ("steel", "titanium")).value == typed


@pytest.mark.parametrize(
    ("typed", "what", "says"),
    [
        ("wood", "", "Found 'wood'; wanted one of steel, titanium."),
        ("wood", "material", "Found no material; wanted steel or titanium."),
        ("", "material", "Found no material; wanted steel or titanium."),
    ],
)
def test_a_choice_that_is_none(typed, what, says):
    found = read.choice(typed, ("steel", "titanium"), what=what)
    assert (found.value, found.fault) == (None, says)


@pytest.mark.parametrize(
    ("kind", "reader", "small", "unit"),
    [
        (Kind.LENGTH, MM_FIRST, True, MM),
        (Kind.LENGTH, MM_FIRST, False, MM),
        (Kind.LENGTH, INCH_FIRST, True, THOU),
        (Kind.LENGTH, INCH_FIRST, False, INCH),
        (Kind.VOLUME, INCH_FIRST, True, CC),
        (Kind.VOLUME, MM_FIRST, True, CC),
    ],
)
def test_the_unit_of_a_bare_number(kind, reader, small, unit):
    assert read.bare_unit(kind, reader, small=small) is unit


def test_a_thickness_is_in_thou_and_a_bore_in_inches():
    assert read.bare_unit_of(FIELD["gasket.thickness"], INCH_FIRST) is THOU
    assert read.bare_unit_of(FIELD["block.bore"], INCH_FIRST) is INCH


@pytest.mark.parametrize(
    ("typed", "kind", "reader", "value"),
    [
        ("0.25", Kind.LENGTH, MM_FIRST, "0.25 mm"),
        ("0,25", Kind.LENGTH, MM_FIRST, "0,25 mm"),
        ("10", Kind.LENGTH, INCH_FIRST, "10 thou"),
        ("10 thou", Kind.LENGTH, MM_FIRST, "10 thou"),
        ("0.010 in", Kind.LENGTH, INCH_FIRST, "0.010 in"),
        ("0.6", Kind.VOLUME, INCH_FIRST, "0.6 cc"),
        ("", Kind.LENGTH, MM_FIRST, None),
    ],
)
def test_a_quantity_as_it_will_stand_in_a_file(typed, kind, reader, value):
    assert read.quantity(typed, CUT[kind], reader) == read.Read(value, typed)


@pytest.mark.parametrize(
    ("typed", "kind", "says"),
    [
        ("30 thuo", Kind.LENGTH, "the unit 'thuo'"),
        ("wide", Kind.LENGTH, "such as 0.76 mm"),
        ("1 mm", Kind.VOLUME, "measures length"),
        ("1.2.3", Kind.LENGTH, "two decimal marks"),
    ],
)
def test_a_quantity_that_cannot_be_read(typed, kind, says):
    found = read.quantity(typed, CUT[kind], MM_FIRST)
    assert says in found.fault
    assert found.value is None


@given(st.text(max_size=30), st.sampled_from(sorted(CUT)), st.sampled_from([MM_FIRST, INCH_FIRST]))
def test_whatever_is_typed_there_is_a_value_or_a_sentence_or_nothing(typed, kind, reader):
    for found in (
        read.quantity(typed, CUT[kind], reader),
        read.number(typed, "a number"),
        read.whole(typed, "a count"),
        read.text(typed),
    ):
        assert found.typed == typed
        assert found.value is None or not found.fault
        assert (found.value is None and not found.fault) == (not typed.strip())
        assert not found.fault or found.fault.startswith("Found ")


def test_a_form_keeps_what_was_typed_and_faults_by_field():
    form = Form({"csrf_token": "t", "version": "3", "ratio": " ten ", "name": "Pilot"}, MM_FIRST)
    assert form.version == 3
    assert form["ratio"] == "ten"
    assert form["nothing"] == ""
    assert "csrf_token" not in form.typed
    assert form.take("ratio", read.number(form["ratio"], "a ratio")) is None
    assert form.take("name", read.name(form["name"], "")) == "Pilot"
    form.refuse("name", "a name that is taken", "another")
    assert form.faults == {
        "ratio": "Found 'ten'; wanted a ratio.",
        "name": "Found a name that is taken; wanted another.",
    }


def test_the_faults_of_a_document_go_to_the_fields_they_belong_to():
    form = Form({}, MM_FIRST)
    faults = [Fault("targets.quench", "2 mm", "at least 3 mm"), Fault("name", "nothing", "a name")]
    form.refuse_all(BuildFaults(faults), {"targets.quench": "quench.min"})
    assert form.faults == {
        "quench.min": "Found 2 mm; wanted at least 3 mm.",
        "name": "Found nothing; wanted a name.",
    }
    assert words_of(faults[1]) == form.faults["name"]


@pytest.mark.parametrize("version", ["", "x", "-1", "²", "1e3", "99999999999999999999"])
def test_a_version_that_is_none_is_nought(version):
    assert Form({"version": version}, MM_FIRST).version == 0


def test_a_slot_shows_what_was_typed_and_what_is_wrong():
    typed, faults = {"ratio": "ten"}, {"ratio": "Found 'ten'; wanted a ratio."}
    assert slot(typed, faults, name="ratio", label="Ratio", hint="such as 10") == FormSlot(
        name="ratio", label="Ratio", value="ten", fault="Found 'ten'; wanted a ratio.", hint="such as 10"
    )
    assert slot({}, {}, "ratio", "Ratio") == FormSlot("ratio", "Ratio")
