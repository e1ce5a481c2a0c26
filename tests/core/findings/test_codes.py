"""Codes, judges and the one renderer: what is registered is documented, and what is said is written once."""

from __future__ import annotations

import re
import string
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from support.cases import demo, vector
from zygometra.core.build.document import read_document
from zygometra.core.findings.collect import CODES, OF_FIGURES, OF_PLAN, findings, worst_first
from zygometra.core.findings.registry import Case, Judges
from zygometra.core.findings.said import RANK, Code, render, said
from zygometra.core.house_rules import rules_for
from zygometra.core.place import Place
from zygometra.core.stack.evaluate import evaluate
from zygometra.core.wording import Reader
from zygometra.core.written import Clearance, Length, Limit, Number, Ratio, Volume

PAGE = (Path(__file__).parents[3] / "docs/findings.md").read_text()
SAMPLE = Code(
    "sample", "warn", "{quench} {gap} at the {deck} is {word}.", "Because of {gap}.", do="Do {word}."
)


@pytest.mark.parametrize("code", CODES, ids=lambda code: code.key)
def test_every_code_is_documented_with_what_why_and_what_to_do(code):
    section = re.search(rf"^## `{code.key}` · (\w+)\n(.*?)(?=^## |\Z)", PAGE, re.M | re.S)
    assert section is not None
    assert section[1] == code.severity
    for head, words in (("What", code.says), ("Why", code.why), ("What to do", code.do)):
        assert f"- {head}: {words}\n" in section[2] + "\n"


def test_the_page_speaks_of_no_code_that_nobody_says():
    assert set(re.findall(r"^## `([\w-]+)`", PAGE, re.M)) == {code.key for code in CODES}


def test_a_code_belongs_to_one_judge():
    keys = [code.key for judge in (*OF_PLAN, *OF_FIGURES) for code in judge.codes]
    assert len(keys) == len(set(keys))


@pytest.mark.parametrize(
    "name", ["hill-climb", "sawmill-six", "mountain-rescue", "pilot-launch", "fire-tender"]
)
def test_a_judge_says_only_what_it_is_registered_with(name):
    build = read_document(demo(name))
    case = Case(build, evaluate(build), rules_for(build.school))
    for judge in (*OF_PLAN, *OF_FIGURES):
        assert {found.code for found in judge.ask(case, Reader())} <= {code.key for code in judge.codes}


def test_a_sentence_is_written_in_the_readers_units_and_words():
    what = said(SAMPLE, gap=Length(0.508), word="thin")
    assert render(what, Reader()).says == "quench 0.508 mm at the deck is thin."
    written = render(what, Reader("inch", "squish", "face"))
    assert (written.says, written.why, written.do) == (
        "squish 20.0 thou at the face is thin.",
        "Because of 20.0 thou.",
        "Do thin.",
    )


@pytest.mark.parametrize(
    ("given_", "mm", "inch"),
    [
        (Length(10.0), "10.000 mm", "0.3937 in"),
        (Length(1.234, 0.05), "1.23 mm", "48.6 thou"),
        (Clearance(-0.254), "0.254 mm proud", "10.0 thou proud"),
        (Clearance(0.0), "level with the deck", "level with the deck"),
        (Limit(0.9), "0.90 mm", "35.4 thou"),
        (Volume(-12.5), "−12.50 cc", "−12.50 cc"),
        (Ratio(9.653, 0.072), "9.65", "9.65"),
        (Number(2287.4), "2287", "2287"),
    ],
)
def test_each_quantity_is_written_its_own_way(given_, mm, inch):
    assert (given_.written(Reader()), given_.written(Reader("inch"))) == (mm, inch)


def test_what_somebody_typed_is_no_template():
    assert render(said(SAMPLE, gap=Length(1), word="{quench} {0} {"), Reader()).do == "Do {quench} {0} {."


def test_a_judge_may_find_it_worse():
    assert render(said(SAMPLE, severity="stop", gap=Length(1), word=""), Reader()).severity == "stop"


def test_holes_of_which_the_same_is_to_be_said_share_a_finding():
    judges = Judges()
    thin = Code("thin", "note", "stops {stands}.", "", do="")

    @judges.of_hole(thin)
    def every_second(_case, hole):
        return (
            said(thin, stands=Clearance(round(hole.outcome.deck_clearance, 1))) if hole.number % 2 else None
        )

    build = read_document(vector("quillon-vee-two-banks")["build"])
    case = Case(build, evaluate(build), rules_for(""))
    found = list(judges[0].ask(case, Reader()))
    assert sorted(n for f in found for n in f.where.holes) == [n for n in sorted(build.cylinders) if n % 2]
    assert all(f.says.startswith(("Hole ", "Holes ")) for f in found)
    assert len({f.says.partition(": ")[2] for f in found}) == len(found)


@given(st.lists(st.sampled_from(sorted(RANK)), max_size=12))
def test_the_worst_come_first_and_the_rest_keep_their_order(severities):
    made = [
        render(said(SAMPLE, Place.of_plan(i), severity, gap=Length(1), word=""), Reader())
        for i, severity in enumerate(severities)
    ]
    order = worst_first(made)
    assert [RANK[f.severity] for f in order] == sorted(RANK[s] for s in severities)
    for severity in RANK:
        places = [f.where.operation for f in order if f.severity == severity]
        assert places == sorted(places)


@pytest.mark.parametrize("name", ["hill-climb", "sawmill-six", "mountain-rescue"])
@pytest.mark.parametrize("reader", [Reader(), Reader("inch", "squish", "face", "gudgeon pin")])
def test_nothing_of_a_template_is_left_in_a_sentence(name, reader):
    build = read_document(demo(name))
    for f in findings(build, evaluate(build), rules_for(build.school), reader):
        for text in (f.says, f.why, f.do):
            assert not any(mark in text for mark in "{}"), text


@pytest.mark.parametrize("code", CODES, ids=lambda code: code.key)
def test_templates_name_plain_words(code):
    for text in (code.says, code.why, code.do):
        for _, name, spec, conversion in string.Formatter().parse(text):
            assert name is None or (name.isidentifier() and not spec and conversion is None)
