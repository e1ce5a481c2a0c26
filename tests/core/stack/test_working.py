"""The working, the sheet, the doubt's shares: the same figures as the results."""

from __future__ import annotations

import importlib
import inspect
import pkgutil
import re

import pytest
from hypothesis import given

import zygometra.core
from support.cases import demo, vector
from support.strategies import builds
from zygometra.core.build.document import differences, read_document, with_leaf
from zygometra.core.fields import FIELDS, field_at, place_label
from zygometra.core.stack import cut_sheet
from zygometra.core.stack.budget import shares
from zygometra.core.stack.evaluate import evaluate
from zygometra.core.stack.working import as_text, working
from zygometra.core.wording import Reader


def steps_of(document, hole, reader=None, state="planned"):
    build = read_document(document)
    evaluation = evaluate(build)
    return {s.key: s for s in working(build, getattr(evaluation, state).hole(hole), reader or Reader())}


def test_the_stack_is_shown_with_its_figures_and_their_basis():
    step = steps_of(vector("tarnbeck-plain")["build"], 1)["deck_clearance"]
    assert step.formula == "c = H − (S/2 + L + P)"
    assert step.figures == "225.400 mm − (86.000 mm / 2 + 148.000 mm + 34.200 mm)"
    assert step.answer == "0.200 mm down"
    assert [g.symbol for g in step.given] == ["H", "S", "L", "P"]
    assert step.given[0].basis == "catalogue"
    assert step.given[1].basis == "basis not stated"


def test_a_mock_up_replaces_the_stack_and_says_so():
    step = steps_of(vector("tarnbeck-mocked-up-and-cut")["build"], 1)["deck_clearance"]
    assert step.formula == "c = mock-up reading − deck cut"
    assert step.figures == "0.220 mm − 0.180 mm"
    assert step.answer == "0.040 mm down"
    assert "3 readings" in step.given[0].doubt


def test_a_milled_chamber_shows_what_the_cut_takes():
    step = steps_of(vector("veldrin-crowns-and-drafted-chamber")["build"], 1)["chamber"]
    assert step.formula == "V_chamber − milled"
    assert step.figures == "58.5 cc − 3.45 cc"
    assert {g.symbol for g in step.given} >= {"A_open", "p", "α"}


def test_the_clearance_volume_is_the_sum_of_its_lines():
    for name in ("tarnbeck-mocked-up-and-cut", "veldrin-crowns-and-drafted-chamber", "pellam-single-proud"):
        step = steps_of(vector(name)["build"], 1)["clearance"]
        terms = [
            float(t.replace("−", "-"))
            for t in re.findall(r"[+−]? ?\d+\.\d+", step.figures.replace("− ", "−").replace("+ ", "+"))
        ]
        assert sum(terms) == pytest.approx(float(step.answer.split()[0]), abs=0.03)


def test_what_is_not_known_is_said():
    assert steps_of(vector("tarnbeck-plain")["build"], 1)["crevice"].figures == "not known"
    assert "effective" not in steps_of(vector("tarnbeck-plain")["build"], 1)
    assert "not stated" in steps_of(vector("pellam-single-proud")["build"], 1)["effective"].note


def test_the_readers_units_and_words_are_used():
    steps = steps_of(vector("tarnbeck-plain")["build"], 1, Reader("inch", quench="squish"))
    assert steps["quench"].label == "squish"
    assert steps["deck_clearance"].answer == "7.9 thou down"


def test_an_impossible_engine_is_derived_up_to_where_it_fails():
    document = with_leaf(
        vector("pellam-single-proud")["build"], ("parts", "piston", "crown_volume"), "-80 cc"
    )
    assert "impossible engine" in steps_of(document, 1)["compression_ratio"].note


def test_the_text_holds_every_answer():
    document = vector("tarnbeck-mocked-up-and-cut")["build"]
    build = read_document(document)
    steps = working(build, evaluate(build).planned.hole(4), Reader())
    text = as_text(steps)
    for step in steps:
        assert f"= {step.answer}" in text
        assert step.formula in text


@given(builds())
def test_shares_of_the_doubt_sum_to_one_and_give_u_back(build):
    outcome = evaluate(build).planned.hole(1).outcome
    for key in ("compression_ratio", "quench", "deck_clearance"):
        rows = shares(outcome, key)
        if getattr(outcome, key) is None:
            assert rows == () or rows == []
            continue
        assert sum(r.share for r in rows) == pytest.approx(1)
        assert sum(r.part_of_u**2 for r in rows) ** 0.5 == pytest.approx(
            getattr(outcome.doubts, key)[0], rel=1e-9
        )
        assert [r.share for r in rows] == sorted((r.share for r in rows), reverse=True)


def sheet(name):
    build = read_document(demo(name))
    evaluation = evaluate(build)
    return build, evaluation


def test_the_sheet_says_from_what_to_what():
    build, evaluation = sheet("mountain-rescue")
    rows = {cut.part: cut for cut in cut_sheet.cuts(build, evaluation, Reader())}
    assert list(rows) == ["Deck left", "Head left", "Head right", "Gasket, bank right"]
    assert rows["Deck left"].take_off == "0.432 mm"
    assert rows["Deck left"].take_off_other == "17.0 thou"
    assert (rows["Deck left"].start, rows["Deck left"].finish) == ("239.610 mm", "239.178 mm")
    # 66.0333 cc − 4200 mm² · 0.25 mm
    assert rows["Head left"].finish == "chambers 64.98 cc"
    assert (rows["Gasket, bank right"].start, rows["Gasket, bank right"].finish) == ("1.350 mm", "1.040 mm")


def test_crowns_and_chambers_stand_on_the_sheet():
    build, evaluation = sheet("fire-tender")
    crown = next(c for c in cut_sheet.cuts(build, evaluation, Reader("inch")) if c.part.startswith("Piston"))
    assert (crown.part, crown.take_off, crown.finish) == (
        "Piston crowns, all",
        "11.0 thou",
        "by depth of cut",
    )
    # 0.26 in less 11 thou; 0.92 in³ is 15.076 cc, less 2600 mm² · 0.2794 mm.
    assert "leaves top land 0.2490 in, crown volume 14.35 cc" in crown.note
    build, evaluation = sheet("pilot-launch")
    chamber = next(c for c in cut_sheet.cuts(build, evaluation, Reader()) if c.part.startswith("Chamber"))
    assert (chamber.part, chamber.take_off, chamber.finish) == ("Chamber, hole 1", "0.6 cc", "51.90 cc")


def test_the_sheet_lists_each_figure_once_with_its_holes():
    _, evaluation = sheet("mountain-rescue")
    rows = [(b.label, b.where, b.value) for b in cut_sheet.figures_behind(evaluation, Reader())]
    assert ("block deck height", "holes 1, 3, 5 and 7", "239.61 mm") in rows
    assert ("finished bore", "all", "99 mm") in rows
    assert len(rows) == len(set(rows))


def test_what_a_hole_waits_for_stands_on_the_sheet_as_a_dash_without_a_band():
    # One reading and a gasket: hole 1 has its gap, hole 2 has nothing, and no doubt of nothing.
    build = read_document(
        {
            "name": "one reading",
            "engine": {"layout": "inline", "banks": [{"name": "A", "cylinders": [1, 2]}]},
            "parts": {"gasket": {"thickness": {"value": 1.2, "u": 0.02}}},
            "cylinders": {"1": {"deck_clearance": {"value": 0.4, "u": 0.01}}},
        }
    )
    known, waiting = cut_sheet.results(evaluate(build), Reader())
    # 1.96·√(0.01² + 0.02²) = 0.0438, which keeps one digit.
    assert (known.clearance, known.quench, known.quench_band) == ("0.400 mm down", "1.600 mm", "± 0.04 mm")
    assert waiting[2:] == ("—", "", "—", "", "—", "—", "")


def test_results_of_the_sheet_are_by_hole():
    _, evaluation = sheet("mountain-rescue")
    rows = cut_sheet.results(evaluation, Reader())
    assert [r.number for r in rows] == [1, 2, 3, 4, 5, 6, 7, 8]
    assert rows[1].bank == "right"
    assert rows[1].clearance == "0.580 mm down"


def test_a_leaf_is_set_taken_out_and_told_apart():
    document = vector("tarnbeck-plain")["build"]
    changed = with_leaf(document, ("cylinders", "2", "bore"), "92.02 mm")
    assert [(d.path, d.before, d.after) for d in differences(document, changed)] == [
        (("cylinders", "2", "bore"), None, "92.02 mm")
    ]
    assert with_leaf(changed, ("cylinders", "2", "bore"), None) == document
    assert "cylinders" not in document


def test_a_figure_is_one_leaf_and_the_way_of_writing_counts():
    document = vector("tarnbeck-plain")["build"]
    changed = with_leaf(
        document, ("parts", "block", "deck_height"), {"value": 225.40, "unit": "mm", "u": 0.01}
    )
    assert [d.path for d in differences(document, changed)] == [("parts", "block", "deck_height")]
    assert list(differences({"a": 1}, {"a": 1.0}))
    assert not list(differences(document, document))


@pytest.mark.parametrize("field", FIELDS)
def test_every_field_is_found_at_its_place(field):
    if field.part != "mock-up":
        assert field_at(field.path) is field
        assert place_label(field.path) == field.label


def test_places_in_words():
    assert place_label("cylinders.4.chamber_volume") == "chamber volume, hole 4"
    assert place_label("banks.left.gasket.thickness") == "compressed gasket thickness, bank left"
    assert place_label("planned.1") == "amount of the cut (operation 2)"


def _public_functions():
    for info in pkgutil.iter_modules(zygometra.core.__path__):
        module = importlib.import_module(f"zygometra.core.{info.name}")
        for name, thing in vars(module).items():
            if inspect.isfunction(thing) and thing.__module__ == module.__name__ and not name.startswith("_"):
                yield pytest.param(thing, id=f"{info.name}.{name}")


@pytest.mark.parametrize("function", list(_public_functions()))
def test_a_public_function_says_what_it_takes(function):
    doc = inspect.getdoc(function)
    assert doc
    names = [n for n in inspect.signature(function).parameters if n not in ("self",)]
    if "Parameters\n---" not in doc:
        # Short ones may say it in a sentence; they then take little.
        assert len(names) <= 4
        return
    listed = doc.split("Parameters\n", 1)[1].split("\nReturns", 1)[0].split("\nYields", 1)[0]
    for name in names:
        assert re.search(rf"(^|[\s,*]){name}(\s*[:,]|$)", listed, re.MULTILINE), f"{name} is not documented"
