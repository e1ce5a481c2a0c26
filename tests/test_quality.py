"""The report of lines, functions and files sees what it is meant to see."""

from __future__ import annotations

import importlib.util
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[1]


@pytest.fixture
def report(tmp_path, monkeypatch):
    """The report, looking at a project of our own making."""
    spec = importlib.util.spec_from_file_location("quality", ROOT / "scripts/quality.py")
    module = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(module)
    for folder in module.CODE:
        (tmp_path / folder).mkdir()
    monkeypatch.setattr(module, "ROOT", tmp_path)
    monkeypatch.setattr(module, "repeated", list)
    return module


def function_of(lines, above="", *, doc=False):
    said = ['    """One.', *["    more."] * 60, '    """'] if doc else []
    return "\n".join([above, "def long():", *said, *[f"    x{n} = {n}" for n in range(lines - 1)], ""])


def test_an_empty_project_has_nothing_to_explain(report, capsys):
    assert report.main() == 0
    assert "functions over 40 lines: 0" in capsys.readouterr().out


@pytest.mark.parametrize(("lines", "found"), [(39, 0), (40, 0), (41, 1), (200, 1)])
def test_a_function_is_long_beyond_forty_lines(report, tmp_path, lines, found):
    (tmp_path / "src/a.py").write_text(function_of(lines))
    assert len(list(report.long_functions())) == found
    assert report.main() == found


def test_a_docstring_does_not_make_a_function_long(report, tmp_path):
    (tmp_path / "src/a.py").write_text(function_of(40, doc=True))
    assert list(report.long_functions()) == []


@pytest.mark.parametrize(
    ("above", "reason"),
    [
        ("# long: one drawing, from back to front", "one drawing, from back to front"),
        ("# long:", ""),
        ("# long: x", ""),
        ("# one drawing", ""),
        ("", ""),
    ],
)
def test_a_reason_stands_right_above_its_function(report, tmp_path, above, reason):
    (tmp_path / "src/a.py").write_text(function_of(50, above))
    assert [r for _, _, r in report.long_functions()] == [reason]
    assert report.main() == (0 if reason else 1)


def test_a_reason_stands_above_decorators(report, tmp_path):
    text = function_of(50).replace("def long", "# long: one table, row by row\n@cache\ndef long")
    (tmp_path / "src/a.py").write_text(text)
    assert [r for _, _, r in report.long_functions()] == ["one table, row by row"]


@pytest.mark.parametrize(
    ("name", "found"), [("a.py", 1), ("a.css", 1), ("a.html", 1), ("a.js", 1), ("a.txt", 0)]
)
def test_a_file_is_long_beyond_four_hundred_lines(report, tmp_path, name, found):
    (tmp_path / "src" / name).write_text("# x\n" * 401)
    assert len(list(report.long_files())) == found
    (tmp_path / "src" / name).write_text("# x\n" * 400)
    assert list(report.long_files()) == []


def test_a_file_says_its_reason_among_its_first_lines(report, tmp_path):
    (tmp_path / "src/a.py").write_text('"""One."""\n\n# long: one format, both ways\n' + "x = 1\n" * 500)
    assert [r for _, _, r in report.long_files()] == ["one format, both ways"]
    (tmp_path / "src/a.py").write_text("x = 1\n" * 500 + "# long: said too late\n")
    assert [r for _, _, r in report.long_files()] == [""]


@pytest.mark.parametrize(("name", "wrong"), [("a.html", 1), ("a.css", 1), ("a.js", 1), ("a.py", 0)])
def test_long_lines_of_markup_style_and_script_are_wrong(report, tmp_path, name, wrong, capsys):
    # Lines of Python are ruff's to judge, table by table.
    (tmp_path / "src" / name).write_text("x" * 121)
    assert report.main() == wrong
    assert "121 columns" in capsys.readouterr().out


def test_what_is_vendored_is_not_ours(report, tmp_path):
    (tmp_path / "src/vendor").mkdir()
    (tmp_path / "src/vendor/a.css").write_text("x" * 9000 + "\n" * 900)
    assert report.main() == 0


def test_the_formatter_keeps_away_only_from_tables(report, tmp_path):
    folder = tmp_path / "src/zygometra/core/mix"
    folder.mkdir(parents=True)
    (folder / "parts.py").write_text("x = 1  # fmt: skip\n")
    assert report.folded() == []
    (folder / "judge.py").write_text("x = 1  # fmt: skip\ny = 2\n# fmt: off\n")
    assert report.folded() == ["src/zygometra/core/mix/judge.py:1", "src/zygometra/core/mix/judge.py:3"]
    assert report.main() == 2 - 1


def test_a_passage_that_stands_twice_is_wrong(report, monkeypatch, capsys):
    monkeypatch.setattr(report, "repeated", lambda: ["==a:[1:9]", "==b:[3:11]"])
    assert report.main() == 1
    assert "stand twice: 2 ==a:[1:9] ==b:[3:11]" in capsys.readouterr().out


def core_of(tmp_path, **files):
    folder = tmp_path / "src/zygometra/core"
    folder.mkdir(parents=True, exist_ok=True)
    for name, text in files.items():
        (folder / f"{name}.py").write_text(text)


def test_an_arithmetic_may_be_written_once(report, tmp_path, capsys):
    core_of(tmp_path, a="v = opening * thickness / 1000\nr = (swept + full) / full\n")
    assert report.main() == 0
    core_of(tmp_path, b="w = area_of(bore) * of.thickness / 1000\n", c="ratio = 1 + swept / every\n")
    assert report.main() == 1
    said = capsys.readouterr().out
    assert "WRONG: the gasket's volume is written in a.py:1, b.py:1" in said
    assert "WRONG: the ratio is written in a.py:2, c.py:1" in said


def test_members_of_a_tuple_have_names(report, tmp_path, capsys):
    core_of(tmp_path, a="def f(row):\n    return row[0], row[1]\n\n\ndef g(item):\n    return item[6]\n")
    assert report.main() == 1
    assert "read by number: a.py:g item" in capsys.readouterr().out


def test_circles_are_found_through_types_and_functions_too(report, tmp_path, monkeypatch, capsys):
    monkeypatch.setattr(report.house, "MOST_IN_CIRCLES", 1)
    late = "def f():\n    from . import b\n"
    core_of(
        tmp_path,
        a=late,
        b="if TYPE_CHECKING:\n    from .c import C\n",
        c="from . import a\n",
        d="from . import a\n",
    )
    assert report.main() == 1
    assert "   3 core.a core.b core.c" in capsys.readouterr().out


NAMES = [
    (
        "core/a.py",
        "class Twice: ...\n",
        "core/b.py",
        "class Twice: ...\n",
        "class names that stand twice in the core",
    ),
    (
        "core/a.py",
        "class Bench: ...\n",
        "web/b.py",
        "class Bench: ...\n",
        "words of the glossary with two senses",
    ),
    ("core/bench.py", "", "core/stack/bench.py", "", "words of the glossary with two senses"),
    (
        "a.py",
        "def of(a, b, c, d, e): ...\n",
        "b.py",
        "of(1, 2, 3, 4, 5)\n",
        "calls with more than four arguments",
    ),
]
FINE = [
    ("core/a.py", "class Once: ...\n", "web/b.py", "class Once: ...\n"),
    ("core/bench.py", "class Bench: ...\n", "web/bench.py", ""),
    ("a.py", "def of(a, b, c, d, e): ...\n", "b.py", "of(1, 2, 3, 4, e=5)\n"),
    ("a.py", "def of(*many): ...\n", "b.py", "of(1, 2, 3, 4, 5)\nprint(1, 2, 3, 4, 5)\n"),
]


def laid_down(tmp_path, *pairs):
    (tmp_path / "docs").mkdir()
    (tmp_path / "docs/glossary.md").write_text(
        "| word | means |\n|---|---|\n| bench, vice | a place to work |\n"
    )
    for name, text in zip(pairs[::2], pairs[1::2], strict=True):
        path = tmp_path / "src/zygometra" / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(text)


@pytest.mark.parametrize("case", NAMES, ids=[case[4].split()[0] + case[0] for case in NAMES])
def test_a_name_has_one_sense_and_nobody_counts_commas(report, tmp_path, capsys, case):
    laid_down(tmp_path, *case[:4])
    assert report.main() == 1
    assert f"WRONG: {case[4]}" in capsys.readouterr().out


@pytest.mark.parametrize("case", FINE)
def test_what_is_alike_in_two_rooms_and_four_by_place_is_fine(report, tmp_path, case):
    laid_down(tmp_path, *case)
    assert report.main() == 0


def test_a_class_name_stands_in_two_modules_at_the_most(report, tmp_path, capsys):
    rooms = [part for room in ("web", "store", "drawing") for part in (f"{room}/a.py", "class Row: ...\n")]
    laid_down(tmp_path, *rooms[:4])
    assert report.main() == 0
    (tmp_path / "src/zygometra/drawing").mkdir()
    (tmp_path / "src/zygometra/drawing/a.py").write_text(rooms[5])
    assert report.main() == 1
    assert "WRONG: class names that stand in three modules: class Row" in capsys.readouterr().out
