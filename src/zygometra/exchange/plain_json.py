"""JSON as people and files send it: finite numbers that a figure can hold, each key once."""

from __future__ import annotations

import json
import math
from typing import Any

from zygometra.core.errors import shown

# Digits of a whole number: more than any figure of ours, fewer than a float cannot hold.
_MOST_DIGITS = 30


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
