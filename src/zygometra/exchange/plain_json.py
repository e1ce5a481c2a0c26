"""JSON as people and files send it: finite numbers that a figure can hold, each key once."""

from __future__ import annotations

import json
import math
from collections.abc import Iterator
from typing import Any

from zygometra.core.errors import Fault, shown
from zygometra.core.typed import is_printable

# Digits of a whole number: more than any figure of ours, fewer than a float cannot hold.
_MOST_DIGITS = 30
# Values that a text may hold: more than a build of 20,000 readings does.
_MOST_VALUES = 600_000


def loads(text: str) -> Any:
    """Return what a JSON text holds.

    Parameters
    ----------
    text : str
        From a file, a form or an address.

    Returns
    -------
    object
        Plain values; every number is finite.

    Raises
    ------
    json.JSONDecodeError
        If it is no JSON.
    ValueError
        If a number is not finite or too long, or a key stands twice; with what was found.
    RecursionError
        If it is nested too deep.

    Examples
    --------
    >>> loads('{"bore": 92.5}')
    {'bore': 92.5}
    """
    if sum(map(text.count, ",[{")) > _MOST_VALUES:
        raise ValueError(f"more than {_MOST_VALUES:,} values".replace(",", " "))
    return json.loads(
        text,
        parse_constant=_no_constant,
        parse_float=_finite,
        parse_int=_whole,
        object_pairs_hook=_no_twins,
    )


def _no_constant(name: str) -> float:
    raise ValueError(f"the number {name}")


def _finite(digits: str) -> float:
    number = float(digits)
    if not math.isfinite(number):
        raise ValueError(f"the number {digits[:20]}, which is not finite")
    return number


def _whole(digits: str) -> int:
    if len(digits) > _MOST_DIGITS:
        raise ValueError(f"a number of {len(digits)} digits")
    return int(digits)


def _no_twins(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    keys = dict(pairs)
    if len(keys) != len(pairs):
        seen: set[str] = set()
        twin = next(k for k, _ in pairs if k in seen or seen.add(k))  # type: ignore[func-returns-value]
        raise ValueError(f"the key {shown(twin)} twice")
    return keys


def unstorable(node: Any, path: str, depth: int = 0) -> Iterator[Fault]:
    """Yield what no file of ours may hold: nested too deep, control characters, numbers without end.

    Parameters
    ----------
    node : object
        The document, or a part of it.
    path : str
        Where it stands; ``$`` for the whole.
    depth : int
        How deep that is.

    Yields
    ------
    Fault
        With its place.
    """
    if depth > 40:
        yield Fault(path, "objects nested too deep", "at most 40 levels")
    elif isinstance(node, dict):
        for key, value in node.items():
            yield from unstorable(key, f"{path} (a key)", depth + 1)
            yield from unstorable(value, f"{path}.{key}" if path != "$" else str(key), depth + 1)
    elif isinstance(node, list):
        for i, item in enumerate(node):
            yield from unstorable(item, f"{path}[{i}]", depth + 1)
    elif isinstance(node, str) and not is_printable(node):
        yield Fault(path, f"a control character in {shown(node)}", "text that can be printed")
    elif isinstance(node, float) and not math.isfinite(node):
        yield Fault(path, "a number too large", "a finite number")
