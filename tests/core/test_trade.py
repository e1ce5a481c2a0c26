"""The arithmetic as it is told: its examples are run, and what the code cites stands there."""

from __future__ import annotations

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
