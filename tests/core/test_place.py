"""Places: what a text says is what it was put together from, and nothing else takes it apart."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zygometra.core.build.document import leaf_at, with_leaf
from zygometra.core.errors import QuantityError
from zygometra.core.fields import BANK_NAMES, CYLINDER_NAMES, FIELDS, field_at, place_label
from zygometra.core.place import NOWHERE, PartPlace, Place, Position, Scope

BANKS = st.text(
    st.characters(exclude_characters=".@", exclude_categories=["Cc", "Cs"]), min_size=1, max_size=40
)
HOLES = st.integers(1, 99)
POSITIONS = st.builds(
    Position,
    corner=st.none() | st.sampled_from(["front intake", "rear exhaust"]),
    depth=st.none() | st.floats(-50, 5000),
    axis=st.none() | st.sampled_from(["thrust", "pin"]),
    clock=st.none() | st.floats(0, 360),
    journal=st.none() | st.integers(1, 12),
    seat=st.none() | st.integers(1, 40),
)
PLACES = (
    st.builds(Place.engine, st.sampled_from([f.path for f in FIELDS]), POSITIONS)
    | st.builds(Place.on_bank, BANKS, st.sampled_from(sorted(BANK_NAMES)), POSITIONS)
    | st.builds(Place.hole, HOLES, st.sampled_from(sorted(CYLINDER_NAMES)), POSITIONS)
    | st.builds(Place.of_holes, st.lists(HOLES, min_size=1, max_size=8))
    | st.builds(Place.of_plan, st.none() | st.integers(0, 199), st.just(""))
    | st.builds(Place.of_plan, st.integers(0, 199), st.just("gasket.bore"))
)


@given(PLACES)
def test_a_place_comes_back_from_its_text(place):
    assert Place.parse(str(place)) == place


@given(PLACES)
def test_the_keys_of_a_place_lead_to_it(place):
    assert Place.of_keys(place.keys) == place.whole


@given(PLACES.filter(lambda place: place.scope is not Scope.PLAN), st.integers())
def test_what_is_put_at_a_place_stands_there(place, value):
    assert leaf_at(with_leaf({}, place.keys, value), place.keys) == value


@pytest.mark.parametrize("item", FIELDS, ids=lambda f: f.path)
def test_every_field_is_found_at_its_place(item):
    assert field_at(item.path) is item
    assert field_at(Place.engine(item.path)) is item


@pytest.mark.parametrize(
    "text",
    [
        "parts",
        "parts.block",
        "banks.A",
        "banks.A.bore",
        "cylinders.3",
        "cylinders.3.stroke2",
        "cylinders.x.bore",
        "planned.0",
        "x-own.bore",
        "",
        "cylinders",
        "banks",
    ],
)
def test_where_no_figure_stands_there_is_no_field(text):
    with pytest.raises(KeyError):
        field_at(text)


def test_notes_among_the_holes_and_banks_are_nobodys_place():
    assert Place.of_keys(("cylinders", "x-note", "by")) == Place.engine("cylinders.x-note.by")
    assert Place.of_keys(("planned", "x-note")) == Place.engine("planned.x-note")
    assert Place.of_keys(("x-who@where", "a")).field == "x-who@where.a"


def test_a_bank_may_be_called_like_a_position():
    assert Place.of_keys(("banks", "A@depth=2", "deck_height")) == Place.on_bank("A@depth=2", "deck_height")


@pytest.mark.parametrize("number", ["٣", "²", "-1", "123456", " 3"])
def test_a_hole_is_a_plain_number(number):
    assert Place.parse(f"cylinders.{number}.bore").holes == ()


def test_one_hole_or_none():
    assert Place.parse("cylinders.3.bore").number == 3
    for place in (Place.of_holes([1, 2]), Place.engine("school")):
        with pytest.raises(ValueError, match="unpack"):
            assert place.number


@pytest.mark.parametrize(
    "spot",
    [
        "",
        "depth",
        "depth=",
        "depth=nan",
        "depth=inf",
        "journal=1.5",
        "seat=-1",
        "weld=1",
        "depth=1;",
        "clock=east",
        "journal=" + "9" * 30,
    ],
)
def test_a_position_that_is_none_is_refused_in_words(spot):
    with pytest.raises(QuantityError, match="wanted one of corner, depth, axis, clock, journal, seat"):
        Place.parse(f"cylinders.3.bore@{spot}")


def test_a_place_without_its_position():
    place = Place.parse("cylinders.3.bore@depth=20;axis=thrust")
    assert place.position == Position(depth=20.0, axis="thrust")
    assert str(place.whole) == "cylinders.3.bore"
    assert place.whole.position is NOWHERE
    assert field_at(place).symbol == "B"


@pytest.mark.parametrize(
    ("text", "label"),
    [
        ("parts.block.bore", "finished bore"),
        ("banks.left.gasket.bore", "gasket bore, bank left"),
        ("cylinders.4.rod_length", "rod length, hole 4"),
        ("planned.1", "amount of the cut (operation 2)"),
        ("planned.0.gasket.thickness", "gasket to fit, thickness (operation 1)"),
        ("school", "school"),
        ("planned", "planned"),
    ],
)
def test_a_place_in_words(text, label):
    assert place_label(text) == label


def test_a_dimension_of_a_part():
    place = PartPlace.parse("rod.pin_bore")
    assert (place.kind, place.name, str(place), place.words) == (
        "rod",
        "pin_bore",
        "rod.pin_bore",
        "rod pin bore",
    )
    assert PartPlace.parse("rod") == PartPlace("rod", "")
