"""What a public function says of itself agrees with what it takes."""

from __future__ import annotations

import importlib
import inspect
import pkgutil
import re

import pytest

import zygometra.core


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


FUNCTIONS = [(name, item) for name, item in public() if inspect.isfunction(item)]


def said_of(doc: str) -> list[str]:
    """The parameters that a docstring names, in order."""
    section = re.search(r"Parameters\n-+\n(.*?)(?:\n\n\w+\n-+\n|\Z)", inspect.cleandoc(doc), re.S)
    if section is None:
        return []
    heads = re.findall(r"^(\**\w+(?:, \**\w+)*)(?: :.*)?$", section.group(1), re.M)
    return [name.strip().lstrip("*") for head in heads for name in head.split(",")]


@pytest.mark.parametrize(("name", "item"), list(public()), ids=lambda v: v if isinstance(v, str) else "")
def test_everything_public_says_what_it_is(name, item):
    assert (item.__doc__ or "").strip(), name
    assert not (item.__doc__ or "").strip().startswith(f"{item.__name__}("), name


@pytest.mark.parametrize(("name", "item"), FUNCTIONS, ids=lambda v: v if isinstance(v, str) else "")
def test_parameters_are_those_of_the_signature(name, item):
    said = said_of(item.__doc__ or "")
    takes = [p for p in inspect.signature(item).parameters if p not in ("self", "cls")]
    assert not said or said == takes, name
