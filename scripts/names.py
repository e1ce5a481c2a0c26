"""How names are used: calls that count commas, class names that stand twice, words of the glossary with two senses."""

from __future__ import annotations

import ast
import re
from collections import defaultdict
from collections.abc import Iterable, Iterator
from pathlib import Path

# So many arguments may go by their place.
MOST_BY_PLACE = 4
WORD = re.compile(r"^\| ([^|]+?) \|", re.M)


def modules(source: Path) -> list[tuple[Path, ast.Module]]:
    """Return the package's modules but those of the database's migrations."""
    return [
        (path, ast.parse(path.read_text()))
        for path in sorted(source.rglob("*.py"))
        if not {"vendor", "versions"} & set(path.parts)
    ]


def _called(call: ast.Call) -> str:
    of = call.func.value if isinstance(call.func, ast.Subscript) else call.func
    return of.id if isinstance(of, ast.Name) else of.attr if isinstance(of, ast.Attribute) else ""


def _gathers(found: list[tuple[Path, ast.Module]]) -> set[str]:
    """Names of the package's functions that take any number of arguments, and of those of other packages."""
    return {
        node.name
        for _, tree in found
        for node in ast.walk(tree)
        if isinstance(node, ast.FunctionDef) and node.args.vararg is not None
    }


def counted_commas(source: Path) -> Iterator[str]:
    """Yield calls of the package's own classes and functions with more than four arguments by their place."""
    found = modules(source)
    own = {
        node.name
        for _, tree in found
        for node in ast.walk(tree)
        if isinstance(node, ast.ClassDef | ast.FunctionDef)
    } - _gathers(found)
    for path, tree in found:
        for node in ast.walk(tree):
            if isinstance(node, ast.Call) and _called(node) in own | {"cls"}:
                by_place = sum(not isinstance(argument, ast.Starred) for argument in node.args)
                if by_place > MOST_BY_PLACE:
                    yield f"{path.relative_to(source)}:{node.lineno} {_called(node)} with {by_place} by place"


def _classes(found: Iterable[tuple[Path, ast.Module]]) -> dict[str, list[Path]]:
    names: dict[str, list[Path]] = defaultdict(list)
    for path, tree in found:
        for node in ast.walk(tree):
            if isinstance(node, ast.ClassDef):
                names[node.name].append(path)
    return names


def often_named(source: Path, most: int) -> Iterator[str]:
    """Yield class names that stand in more modules than so many."""
    for name, paths in sorted(_classes(modules(source)).items()):
        if len(paths) > most:
            yield f"class {name} in {', '.join(str(path.relative_to(source)) for path in paths)}"


def with_two_senses(source: Path, glossary: Path) -> Iterator[str]:
    """Yield words of the glossary that name two classes, or two modules of one room."""
    found = modules(source)
    classes, files = _classes(found), defaultdict[tuple[str, str], list[Path]](list)
    for path, _ in found:
        name = path.parent.name if path.name == "__init__.py" else path.stem
        files[path.relative_to(source).parts[0], name].append(path)
    for words in WORD.findall(glossary.read_text() if glossary.exists() else ""):
        for word in words.split(", "):
            as_class = "".join(part.capitalize() for part in re.split("[ -]", word))
            as_module = word.replace(" ", "_").replace("-", "_")
            senses = [
                classes.get(as_class, []),
                *(paths for key, paths in files.items() if key[1] == as_module),
            ]
            for paths in senses:
                if len(paths) > 1:
                    yield f"{word} in {', '.join(str(path.relative_to(source)) for path in paths)}"
