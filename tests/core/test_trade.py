"""The arithmetic as it is told: its examples are run, what the code cites stands there, and figures have units."""

from __future__ import annotations

import ast
import doctest
import re
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[2]
TRADE = ROOT / "docs/trade.md"
CORE = ROOT / "src/zygometra/core"
CITED = re.compile(r"trade\.md ((?:\d+)(?:, \d+)*)")


def sections():
    return dict(re.findall(r"^## (\d+) (.+)$", TRADE.read_text(), re.M))


def citations():
    """Every section that some module of the core cites, with one that does."""
    found = {}
    for path in sorted(CORE.rglob("*.py")):
        for numbers in CITED.findall(path.read_text()):
            for number in numbers.split(", "):
                found.setdefault(number, path.relative_to(ROOT).as_posix())
    return found


def test_its_examples_are_true():
    found = doctest.testfile(str(TRADE), module_relative=False)
    assert found.failed == 0
    # One at the least for each section of plain arithmetic.
    assert found.attempted >= 20


def test_what_is_cited_stands_there_and_what_stands_there_is_cited():
    told, cited = sections(), citations()
    assert not {number: where for number, where in cited.items() if number not in told}
    assert not {number: title for number, title in told.items() if number not in cited}
    assert list(map(int, told)) == list(range(1, len(told) + 1))


def test_nothing_cites_what_a_reader_cannot_open():
    for path in [*CORE.rglob("*.py"), *(ROOT / "docs").glob("*.md")]:
        assert not re.search(r"handbook", path.read_text(), re.I), path


@pytest.mark.parametrize(
    "name", ["deck_clearance", "ratio_of", "flat_cut", "chamfer_volume", "causes", "band_factor"]
)
def test_a_formula_says_where_it_is_told(name):
    texts = (path.read_text() for path in CORE.rglob("*.py"))
    body = next(
        re.search(rf"def {name}\(.*?\"\"\".*?\"\"\"", text, re.S) for text in texts if f"def {name}(" in text
    )
    assert CITED.search(body[0])


# What multiplies or divides, and is no arithmetic of the trade: digits, units, row numbers, what findings say.
NO_TRADE = {"digits", "units", "written", "findings", "rules_data", "shelf", "typed"}
COUNTS = {
    "sets",
    "top_ends_in_all",
    "all_rows",
    "pairs",
    "ruled",
    "groups",
    "number",
    "recipes",
    "opened",
    "quantity",
    "count",
}
# How a docstring names a unit, or says that there is none.
UNIT = re.compile(
    r"\b(mm²?|cc|µm|thou|degrees?|rpm|m/s|seconds?|minutes|days|money|shares?|units?|RON|percent|hundredths)\b|mm²|°|%"
)
NUMBERS = re.compile(
    r"\b(float|int|Table|NDArray|Column|Linear|Quantity|Window|Figures|Hole\w*|Expression|Solution|Ends)\b"
)


def public(path):
    """Every public function and method of a module that says what it is."""
    for node in ast.walk(ast.parse(path.read_text())):
        for one in node.body if isinstance(node, ast.Module | ast.ClassDef) else ():
            private = isinstance(node, ast.ClassDef) and node.name.startswith("_")
            if isinstance(one, ast.FunctionDef) and not one.name.startswith("_") and not private:
                yield one, ast.get_docstring(one) or ""


def reckons(function):
    """Whether it multiplies or divides figures."""
    kinds = ast.Mult | ast.Div | ast.Pow
    return any(
        isinstance(node, ast.BinOp) and isinstance(node.op, kinds) and not isinstance(node.left, ast.Constant)
        for node in ast.walk(function)
    )


def test_who_reckons_cites_where_it_is_told():
    silent = [
        f"{path.relative_to(CORE)}:{one.name}"
        for path in sorted(CORE.rglob("*.py"))
        if not NO_TRADE & {path.stem, path.parent.name}
        for one, told in public(path)
        if reckons(one) and one.name not in COUNTS and not CITED.search(told)
    ]
    assert not silent


def test_public_functions_that_take_or_give_numbers_name_their_units():
    told = [
        bool(UNIT.search(text))
        for path in sorted(CORE.rglob("*.py"))
        for one, text in public(path)
        if NUMBERS.search(ast.unparse(one.args) + " " + (ast.unparse(one.returns) if one.returns else ""))
    ]
    print(f"{sum(told)} of {len(told)} public functions with numbers name their units")
    assert len(told) > 400
    assert sum(told) / len(told) > 0.9
