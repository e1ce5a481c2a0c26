"""Prints what no other check measures: long lines, functions and files, names, folded tables, circles.

usage: .venv/bin/python scripts/quality.py       ends with 1 where something stands without a reason

A function over 40 lines (its docstring not counted) or a file over 400 carries its reason
beside it: a comment ``# long: …`` above the function, or at the top of the file.
"""

from __future__ import annotations

import ast
import re
import subprocess
import sys
import tokenize
from collections.abc import Iterator
from pathlib import Path

import house
import names

ROOT = Path(__file__).parents[1]
CODE = ("src", "tests", "scripts")
MOST_COLUMNS, MOST_IN_FUNCTION, MOST_IN_FILE, LEAST_REPEATED = 120, 40, 400, 8
# Tables, where a row is a line.
TABLES = {
    "fields.py",
    "house_rules.py",
    "likely.py",
    "mix/parts.py",
    "mix/usual.py",
    "units.py",
    "usual_figures.py",
}
KEEP_AWAY = re.compile(r"#\s*fmt:\s*(skip|off)")
REASON = re.compile(r"^\s*# long: (\S.{8,})$")


def files(*suffixes: str) -> Iterator[Path]:
    """Yield the project's own files of some kinds."""
    for folder in CODE:
        for path in sorted((ROOT / folder).rglob("*")):
            if path.suffix in suffixes and "vendor" not in path.parts:
                yield path


def longest_line(*suffixes: str) -> tuple[int, str]:
    """Return the length in columns of the longest line of some kinds of file, and where it is."""
    longest = (0, "nowhere")
    for path in files(*suffixes):
        for number, text in enumerate(path.read_text().splitlines(), 1):
            longest = max(longest, (len(text), f"{path.relative_to(ROOT)}:{number}"))
    return longest


def folded() -> list[str]:
    """Return where the formatter is told to keep away outside the tables."""
    found = []
    for path in files(".py"):
        if any(path.as_posix().endswith(f"core/{table}") for table in TABLES):
            continue
        with path.open("rb") as source:
            for token in tokenize.tokenize(source.readline):
                if token.type == tokenize.COMMENT and KEEP_AWAY.match(token.string):
                    found.append(f"{path.relative_to(ROOT)}:{token.start[0]}")
    return found


def _own_length(function: ast.FunctionDef | ast.AsyncFunctionDef) -> int:
    """How many lines a function has without its docstring."""
    length = (function.end_lineno or 0) - function.lineno + 1
    first = function.body[0]
    if ast.get_docstring(function) is not None:
        length -= (first.end_lineno or 0) - first.lineno + 1
    return length


def _reason_above(lines: list[str], number: int) -> str:
    """The reason in the comment right above a line; empty where there is none."""
    found = REASON.match(lines[number - 2]) if number >= 2 else None
    return found.group(1) if found else ""


def long_functions() -> Iterator[tuple[str, int, str]]:
    """Yield functions over 40 lines: where, how long, and the reason beside them."""
    for path in files(".py"):
        text = path.read_text()
        for node in ast.walk(ast.parse(text)):
            if not isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef):
                continue
            if (length := _own_length(node)) > MOST_IN_FUNCTION:
                top = min([node.lineno, *(d.lineno for d in node.decorator_list)])
                where = f"{path.relative_to(ROOT)}:{node.lineno} {node.name}"
                yield where, length, _reason_above(text.splitlines(), top)


def long_files() -> Iterator[tuple[str, int, str]]:
    """Yield files over 400 lines: which, how long, and the reason among their first lines."""
    for path in files(".py", ".html", ".css", ".js"):
        lines = path.read_text().splitlines()
        if len(lines) > MOST_IN_FILE:
            reasons = [m.group(1) for text in lines[:30] if (m := REASON.match(text))]
            yield str(path.relative_to(ROOT)), len(lines), " ".join(reasons)


def repeated() -> list[str]:
    """Return the passages of at least eight lines that stand twice, as pylint finds them."""
    told = subprocess.run(
        [sys.executable, "-m", "pylint", "--disable=all", "--enable=duplicate-code", "--score=n", "-j=2"]
        + [f"--min-similarity-lines={LEAST_REPEATED}", "--ignore-imports=y", "--ignore-signatures=y"]
        + ["--ignore-docstrings=y", "--ignore-comments=y", "src/zygometra", "scripts", "tests/support"],
        cwd=ROOT,
        capture_output=True,
        text=True,
        check=False,
    )
    if told.returncode & 32:
        raise SystemExit(f"pylint could not be run: {told.stderr.strip()}")
    return [line for line in told.stdout.splitlines() if line.startswith("==")]


def named() -> list[str]:
    """Print how names are used, and return what stands without a reason."""
    source, wrong = ROOT / "src/zygometra", list[str]()
    for what, where in (
        ("calls with more than four arguments by their place", names.counted_commas(source)),
        ("class names that stand twice in the core", names.often_named(source / "core", 1)),
        ("class names that stand in three modules", names.often_named(source, 2)),
        ("words of the glossary with two senses", names.with_two_senses(source, ROOT / "docs/glossary.md")),
    ):
        found = list(where)
        print(f"{what}: {len(found)}")
        wrong += [f"{what}: {one}" for one in found]
    return wrong


def main() -> int:
    """Print the report; return 1 where something stands without a reason."""
    wrong: list[str] = []
    for kind, suffixes in (
        ("markup", (".html",)),
        ("style", (".css",)),
        ("script", (".js",)),
        ("Python", (".py",)),
    ):
        length, where = longest_line(*suffixes)
        print(f"longest line of {kind}: {length} columns ({where})")
        if length > MOST_COLUMNS and kind != "Python":
            wrong.append(f"a line of {length} columns in {where}")
    skips, passages = folded(), repeated()
    print(f"formatter told to keep away, outside tables: {len(skips)} {' '.join(skips)}".rstrip())
    print(
        f"passages of {LEAST_REPEATED} lines or more that stand twice: {len(passages)} {' '.join(passages)}".rstrip()
    )
    wrong += [f"formatter told to keep away: {where}" for where in skips]
    wrong += [f"stands twice: {where}" for where in passages]
    wrong += named()
    print("\n".join(house.report(ROOT)))
    wrong += house.faults(ROOT)
    for what, found in (
        ("functions over 40 lines", long_functions()),
        ("files over 400 lines", long_files()),
    ):
        rows = list(found)
        print(f"{what}: {len(rows)}")
        for where, length, reason in rows:
            print(f"  {length:4} {where}: {reason or 'NO REASON BESIDE IT'}")
            if not reason:
                wrong.append(f"no reason beside {where}, {length} lines")
    print("\n".join(f"WRONG: {what}" for what in wrong) or "nothing stands without a reason")
    return 1 if wrong else 0


if __name__ == "__main__":
    raise SystemExit(main())
