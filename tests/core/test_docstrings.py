"""What a public function says of itself agrees with what it takes, what it raises, and where it comes from."""

from __future__ import annotations

import ast
import importlib
import inspect
import pkgutil
import re
import textwrap

import pytest

import zygometra.core

# A number is in a unit, or says that it has none.
UNIT = re.compile(
    r"\b(mm²?|cc(/mm)?|degrees?|hundredths|days|revolutions|m/s²?|bytes|characters|thou|inch(es)?|seconds|hours"
    r"|ratio|units?)\b",
    re.I,
)
# Modules of equations: each public function there says in Notes what it computes by, and where that is from.
EQUATIONS = ("stack.arithmetic", "stack.motion", "stack.chamber", "student")
SECTION = r"{}\n-+\n(.*?)(?:\n\n\w[\w ]*\n-+\n|\Z)"


def modules():
    for found in pkgutil.walk_packages(zygometra.core.__path__, "zygometra.core."):
        yield importlib.import_module(found.name)


def public():
    for module in modules():
        for name, item in vars(module).items():
            if name.startswith("_") or getattr(item, "__module__", "") != module.__name__:
                continue
            if inspect.isfunction(item):
                yield f"{module.__name__}.{name}", item
            elif inspect.isclass(item):
                yield f"{module.__name__}.{name}", item
                for inner, method in vars(item).items():
                    if inspect.isfunction(method) and not inner.startswith("_"):
                        yield f"{module.__name__}.{name}.{inner}", method


def is_told_elsewhere(name, item):
    """A judge's parameters are said once, where judges are registered; so are those of what writes a quantity."""
    return inspect.getsource(item).startswith("@JUDGES.") or bool(re.search(r"written\.\w+\.written$", name))


# What a slot of a record takes, gives and raises is said once, at FormSlot.
OF_SLOTS = re.compile(r"\.(slots|records)\.\w+\.(read|schema|one)$")
FUNCTIONS = [
    (name, item) for name, item in public() if inspect.isfunction(item) and not OF_SLOTS.search(name)
]
SPEAKING = [(name, item) for name, item in FUNCTIONS if not is_told_elsewhere(name, item)]
named = {"ids": lambda v: v if isinstance(v, str) else ""}


def section(doc: str, title: str) -> str:
    """What stands under a title of a docstring; empty where there is no such title."""
    found = re.search(SECTION.format(title), inspect.cleandoc(doc), re.S)
    return found.group(1) if found else ""


def said_of(doc: str) -> list[str]:
    """The parameters that a docstring names, in order."""
    heads = re.findall(r"^(\**\w+(?:, \**\w+)*)(?: :.*)?$", section(doc, "Parameters"), re.M)
    return [name.strip().lstrip("*") for head in heads for name in head.split(",")]


def words_of(doc: str, name: str) -> str:
    """What a docstring says of one parameter, its type left out."""
    head = rf"^(?:\**\w+, )*\**{name}(?:, \**\w+)*(?: : [^\n]*)?\n"
    found = re.search(head + r"((?: +[^\n]*(?:\n|\Z))*)", section(doc, "Parameters"), re.M)
    return found.group(1) if found else ""


def takes(item):
    return [p for p in inspect.signature(item).parameters.values() if p.name not in ("self", "cls")]


def raised_by(item) -> set[str]:
    """The errors that a function raises in its own body, by name."""
    tree = ast.parse(textwrap.dedent(inspect.getsource(item)))
    found = set()
    for node in ast.walk(tree):
        if isinstance(node, ast.Raise) and node.exc is not None:
            error = node.exc.func if isinstance(node.exc, ast.Call) else node.exc
            found.add(error.id if isinstance(error, ast.Name) else "")
    return {name for name in found if name[:1].isupper()}


@pytest.mark.parametrize(("name", "item"), list(public()), **named)
def test_everything_public_says_what_it_is(name, item):
    assert (item.__doc__ or "").strip(), name
    assert not (item.__doc__ or "").strip().startswith(f"{item.__name__}("), name


@pytest.mark.parametrize(("name", "item"), SPEAKING, **named)
def test_parameters_are_those_of_the_signature(name, item):
    assert said_of(item.__doc__ or "") == [p.name for p in takes(item)], name


@pytest.mark.parametrize(("name", "item"), SPEAKING, **named)
def test_a_number_has_its_unit(name, item):
    for parameter in takes(item):
        if re.fullmatch(r"(float|int)( \| None)?", str(parameter.annotation)):
            assert UNIT.search(words_of(item.__doc__ or "", parameter.name)), f"{name}: {parameter.name}"


@pytest.mark.parametrize(("name", "item"), FUNCTIONS, **named)
def test_what_is_raised_is_said(name, item):
    doc = item.__doc__ or ""
    for error in raised_by(item):
        assert error in section(doc, "Raises") or re.search(rf"raises? .*{error}", doc), f"{name}: {error}"


@pytest.mark.parametrize(
    ("name", "item"), [(n, f) for n, f in FUNCTIONS if n.split("core.")[1].startswith(EQUATIONS)], **named
)
def test_an_equation_says_where_it_is_from(name, item):
    own, whole = section(item.__doc__ or "", "Notes"), ""
    module, _, method = name.removeprefix("zygometra.core.").rpartition(".")
    if module.split(".")[-1][0].isupper():
        # A model's equation stands once, at its class.
        module, _, owner = module.rpartition(".")
        kind = getattr(importlib.import_module(f"zygometra.core.{module}"), owner)
        if getattr(kind, "_is_protocol", False):
            return
        whole = section(kind.__doc__ or "", "Notes")
    assert len((own + whole).strip()) > 15, name
    assert re.search(r"[=·√∫½(]", own + whole), f"{name}: {method} names no equation"


def test_this_reading_of_docstrings_sees_what_is_missing():
    def example(length: float, name: str) -> float:
        """Return it.

        Parameters
        ----------
        length : float
            In mm.
        name : str
            Of it.

        Raises
        ------
        ValueError
            Where it is none.
        """
        raise KeyError(name)

    assert said_of(example.__doc__) == ["length", "name"]
    assert UNIT.search(words_of(example.__doc__, "length"))
    assert not UNIT.search(words_of(example.__doc__, "name"))
    assert raised_by(example) == {"KeyError"}
    assert "KeyError" not in section(example.__doc__, "Raises")
