"""What is wrong with the shape of an entry: each of a model's errors in our words, by its place."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from typing import Any

from zygometra.core.errors import Fault, shown

from .plain_json import without_notes

_WANTED = {
    "missing": "this key",
    "extra_forbidden": "no such key (or one that starts with x-)",
    "string_type": "a text",
    "list_type": "a list",
    "dict_type": "an object",
    "model_type": "an object",
    "model_attributes_type": "an object",
    "int_type": "a whole number",
    "bool_type": "true or false",
    "string_too_short": "a text that is not empty",
}


def fault_of(item: Mapping[str, Any]) -> Fault:
    """Return one of a model's errors in our words.

    Parameters
    ----------
    item : Mapping
        As pydantic has it.
    """
    place = [p for p in item["loc"] if p != "[key]"]
    path = ""
    for step in place:
        path += f"[{step}]" if isinstance(step, int) else f".{step}" if path else str(step)
    kind, context = item["type"], item.get("ctx") or {}
    if kind == "quantity":
        return Fault(path, str(context["found"]), str(context["wanted"]))
    if kind == "extra_forbidden":
        return Fault(path, f"the unknown key {shown(str(place[-1]))}", _WANTED[kind])
    found = "nothing" if kind == "missing" else shown(item.get("input"))
    if kind == "literal_error":
        wanted = str(context["expected"]).replace("'", "")
    elif kind == "string_pattern_mismatch":
        wanted = "the number of a cylinder, 1 to 99"
    elif kind in ("greater_than_equal", "less_than_equal"):
        hole = (place and place[-1] in ("cylinder", "number")) or "cylinders" in place
        edge = context.get("ge", context.get("le"))
        bound = f"at least {edge:g}" if kind == "greater_than_equal" else f"at most {edge:g}"
        wanted = "a cylinder number, 1 to 99" if hole else "nought or more" if edge == 0 else bound
    elif kind == "string_too_long":
        wanted = f"at most {context['max_length']} characters"
    elif kind in ("too_long", "too_short"):
        limit = context.get("max_length", context.get("min_length"))
        found = f"{context.get('actual_length')} entries"
        wanted = f"{'at most' if kind == 'too_long' else 'at least'} {limit}"
    else:
        wanted = _WANTED.get(kind, str(item["msg"]).lower())
    return Fault(path, found, wanted)


def shape_faults(
    validate: Callable[[dict[str, Any]], object], raw: Mapping[str, Any], *at: str
) -> Iterator[Fault]:
    """Yield what a model finds wrong with an entry.

    Parameters
    ----------
    validate : callable
        The model's own.
    raw : Mapping
        The entry as it was typed.
    at : str
        The keys under which it stands, from the outside.

    Yields
    ------
    Fault
        With the place of each.
    """
    from pydantic import ValidationError

    try:
        validate(dict(raw))
    except ValidationError as error:
        for item in error.errors():
            yield fault_of({**item, "loc": (*at, *item["loc"])})


def part_faults(path: str, kind: str, raw: Mapping[str, Any]) -> Iterator[Fault]:
    """Yield what is wrong with a part to fit.

    Parameters
    ----------
    path : str
        Where it stands in the file.
    kind : str
        What it is.
    raw : Mapping
        As it was typed.

    Yields
    ------
    Fault
        With the place of each.
    """
    from .models import PART_SHAPES

    for fault in shape_faults(PART_SHAPES[kind].model_validate, without_notes(dict(raw))):
        yield Fault(f"{path}.{fault.path}", fault.found, fault.wanted)
