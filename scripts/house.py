"""Measures how a house is to walk through: what is written more than once, and which files go in circles."""

from __future__ import annotations

import ast
import re
from collections import defaultdict
from collections.abc import Callable, Iterator
from pathlib import Path

SOURCE = Path("src/zygometra")
CORE = SOURCE / "core"
# Build, stack and measuring: a build in stages would open them.
MOST_IN_CIRCLES = 18


def trees(root: Path, folder: Path = SOURCE) -> Iterator[tuple[Path, ast.Module]]:
    """Yield the files under a folder of a checkout, from its root, parsed."""
    for path in sorted((root / folder).rglob("*.py")):
        yield path.relative_to(root), ast.parse(path.read_text())


# -- arithmetic that is written out ------------------------------------------------------


def _divides(node: ast.AST) -> bool:
    return isinstance(node, ast.BinOp) and isinstance(node.op, ast.Div)


def _is_number(node: ast.AST, value: float) -> bool:
    return isinstance(node, ast.Constant) and node.value == value


def _says(node: ast.AST, pattern: str) -> bool:
    return re.search(pattern, ast.unparse(node)) is not None


def _gasket(node: ast.AST) -> bool:
    """An opening times a thickness in cc."""
    in_cc = isinstance(node, ast.BinOp) and _divides(node) and _is_number(node.right, 1000)
    in_cc = in_cc or (isinstance(node, ast.Call) and ast.unparse(node.func) == "cylinder_volume")
    return in_cc and _says(node, "thickness") and _says(node, "opening|area|bore")


def _milled(node: ast.AST) -> bool:
    """Half of how fast an opening closes, times a cut and the cut again."""
    return (
        isinstance(node, ast.BinOp)
        and isinstance(node.op, ast.Mult)
        and _says(node, r"^0\.5 \* .*(cut \* cut|cut \*\* 2)$")
    )


def _ratio(node: ast.AST) -> bool:
    """A sum over one of its two parts, or one more than a quotient of volumes."""
    if not isinstance(node, ast.BinOp):
        return False
    if _divides(node) and isinstance(node.left, ast.BinOp) and isinstance(node.left.op, ast.Add):
        return ast.unparse(node.right) in (ast.unparse(node.left.left), ast.unparse(node.left.right))
    return (
        isinstance(node.op, ast.Add)
        and _is_number(node.left, 1)
        and _divides(node.right)
        and _says(node, "swept")
    )


def _room(node: ast.AST) -> bool:
    """A swept volume over a ratio less one."""
    if not (isinstance(node, ast.BinOp) and _divides(node) and isinstance(node.right, ast.BinOp)):
        return False
    return (
        isinstance(node.right.op, ast.Sub) and _is_number(node.right.right, 1) and _says(node.left, "swept")
    )


WRITTEN: dict[str, Callable[[ast.AST], bool]] = {
    "the gasket's volume": _gasket,
    "the milled volume": _milled,
    "the ratio": _ratio,
    "the volume of a ratio": _room,
}


def written(root: Path) -> dict[str, list[str]]:
    """Return where in core each arithmetic is written out."""
    found: dict[str, list[str]] = {what: [] for what in WRITTEN}
    for path, tree in trees(root, CORE):
        for node in ast.walk(tree):
            for what, is_it in WRITTEN.items():
                if is_it(node):
                    found[what].append(f"{path.name}:{node.lineno}")  # type: ignore[attr-defined]
    return found


# -- tuples, statements, reasons ---------------------------------------------------------


def _functions(tree: ast.Module) -> Iterator[ast.FunctionDef]:
    return (node for node in ast.walk(tree) if isinstance(node, ast.FunctionDef))


def by_number(root: Path) -> list[str]:
    """Return the names in core of which one function reads the third or a later member by its number."""
    found = []
    for path, tree in trees(root, CORE):
        for function in _functions(tree):
            numbers = defaultdict(set)
            for node in ast.walk(function):
                if (
                    isinstance(node, ast.Subscript)
                    and isinstance(node.slice, ast.Constant)
                    and isinstance(node.value, ast.Name)
                ):
                    if isinstance(node.slice.value, int):
                        numbers[node.value.id].add(node.slice.value)
            found += [f"{path.name}:{function.name} {name}" for name, at in numbers.items() if max(at) >= 2]
    return found


def statements(root: Path) -> int:
    """Return how many statements core has, docstrings apart."""
    count = 0
    for _, tree in trees(root, CORE):
        for node in ast.walk(tree):
            count += isinstance(node, ast.stmt)
            if (
                isinstance(node, ast.Module | ast.ClassDef | ast.FunctionDef)
                and ast.get_docstring(node) is not None
            ):
                count -= 1
    return count


def ignored(root: Path) -> int:
    """Return how often the types are told to keep quiet, but for shapes that are made of data."""
    text = "".join(path.read_text() for path in (root / SOURCE).rglob("*.py"))
    return len([found for found in re.findall(r"type: ignore\[([^]]*)\]", text) if "valid-type" not in found])


# -- circles -----------------------------------------------------------------------------


def _imports(path: Path, tree: ast.Module, known: set[str]) -> set[str]:
    """The files that a file asks for, wherever in it and for whatever: for its types too."""
    own = list(path.with_suffix("").parts[1:])
    found = set()
    for node in ast.walk(tree):
        if isinstance(node, ast.Import):
            found |= {alias.name for alias in node.names}
        elif isinstance(node, ast.ImportFrom):
            base = own[: len(own) - node.level] if node.level else []
            module = ".".join([*base, *([node.module] if node.module else [])])
            found |= {
                f"{module}.{alias.name}" if f"{module}.{alias.name}" in known else module
                for alias in node.names
            }
    return found & known


def circles(root: Path) -> list[list[str]]:
    """Return the sets of files that reach one another through what they ask for, the largest first."""
    files = {
        ".".join(path.with_suffix("").parts[1:]).removesuffix(".__init__"): (path, tree)
        for path, tree in trees(root)
    }
    graph = {name: _imports(path, tree, set(files)) for name, (path, tree) in files.items()}
    reached = {name: _reached(graph, name) for name in graph}
    seen, found = set[str](), []
    for name in sorted(graph):
        circle = sorted(other for other in reached[name] if name in reached[other])
        if len(circle) > 1 and name not in seen:
            seen |= set(circle)
            found.append(circle)
    return sorted(found, key=len, reverse=True)


def _reached(graph: dict[str, set[str]], name: str) -> set[str]:
    reached, ahead = {name}, [name]
    while ahead:
        more = graph[ahead.pop()] - reached
        reached |= more
        ahead += more
    return reached


def faults(root: Path) -> Iterator[str]:
    """Yield what is worse than it was: an arithmetic that is written again, a tuple read by number, a circle."""
    for what, places in written(root).items():
        if len(places) > 1:
            yield f"{what} is written in {', '.join(places)}"
    yield from (f"read by number: {name}" for name in by_number(root))
    found = circles(root)
    if sum(map(len, found)) > MOST_IN_CIRCLES:
        yield f"{sum(map(len, found))} files in circles, at most {MOST_IN_CIRCLES}"


def report(root: Path) -> Iterator[str]:
    """Yield the lines of the report."""
    for what, places in written(root).items():
        yield f"places in core where {what} is written: {len(places)} ({', '.join(places)})"
    numbered = by_number(root)
    yield f"tuples in core read by number: {len(numbered)} {', '.join(numbered)}".rstrip()
    yield f"statements in core, docstrings apart: {statements(root)}"
    yield f"types told to keep quiet, shapes apart: {ignored(root)}"
    rounds = circles(root)
    yield f"files in circles, for types and within functions too: {sum(map(len, rounds))} in {len(rounds)}"
    for circle in rounds:
        yield f"  {len(circle):2} {' '.join(name.removeprefix('zygometra.') for name in circle)}"
