"""A build document and the build it stands for, both ways, figures as typed.

The document is what a build file holds and what the store keeps: plain dicts,
lists, numbers and texts. It was checked when it was taken in (by the exchange),
so nothing is checked again here.
"""

# long: one translation, both ways
from __future__ import annotations

import json
import math
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from typing import Any

from ..faces.facing import read_facing
from ..fields import BANK_NAMES, CYLINDER_NAMES, FIELD, FIELDS, field_at
from ..fuel import Fuel
from ..place import Place
from ..quantity import Quantity, Unstated, read_field, read_quantity
from ..units import Kind, from_base
from ..windows import Window
from .lever_table import AMOUNTS, LEVER, SWAP, OpName
from .means import Means, PartChoice, SetUpCost, read_means, read_part, read_planning
from .model import GASKET_FIGURES, Bank, Build, Gasket, Levers, Operation, Targets
from .valve_gear import read_valve_gear

Document = dict[str, Any]


def read_document(document: Mapping[str, Any]) -> Build:
    """Return the build of a document that was checked when it was taken in.

    Parameters
    ----------
    document : dict
        A build document that :func:`check` has passed.

    Returns
    -------
    Build
        Ready to be evaluated.
    """
    unstated: Unstated = document.get("unstated_doubt", "house")
    engine, parts = document["engine"], document.get("parts") or {}
    figures = {path: read_field(raw, field_at(path), unstated) for path, raw in figures_of(document)}
    names = {"": (parts.get("gasket") or {}).get("name") or ""}
    for bank, own in (document.get("banks") or {}).items():
        if isinstance(own, dict) and (name := (own.get("gasket") or {}).get("name")):
            names[bank] = name
    head = parts.get("head") or {}
    return Build(
        name=document["name"],
        layout=engine["layout"],
        banks=tuple(Bank(b["name"], tuple(b["cylinders"])) for b in engine["banks"]),
        figures=figures,
        school=document.get("school") or "",
        unstated_doubt=unstated,
        rod_material=(parts.get("rod") or {}).get("material", "steel"),
        fuel=_fuel(document.get("fuel")),
        head_material=(parts.get("head") or {}).get("material") or "",
        gasket_names=names,
        step_fills=tuple(read_fill(fill, unstated) for fill in head.get("step_fills") or ()),
        planned=tuple(read_operation(op, unstated) for op in document.get("planned") or ()),
        targets=_targets(document.get("targets") or {}),
        levers=_levers(document.get("levers") or {}, unstated),
        planning=read_planning(document.get("planning") or {}),
        between_holes=_between(document.get("between_holes") or {}),
        stated_ratio=(document.get("stated") or {}).get("compression_ratio"),
        facing=read_facing(document.get("facing")),
        gear=read_valve_gear(document.get("valve_gear")),
    )


def _fuel(raw: Mapping[str, Any] | None) -> Fuel | None:
    """What it is to run on; a scale alone is no fuel."""
    if not raw or raw.get("octane") is None:
        return None
    return Fuel(float(raw["octane"]), raw.get("scale") or "")


def figures_of(document: Mapping[str, Any]) -> Iterator[tuple[str, Any]]:
    """Yield the place and the typed form of every figure of a document.

    Parameters
    ----------
    document : dict
        A build document.

    Yields
    ------
    path, typed : str, object
        Such as ``cylinders.3.bore`` and ``"92.02 mm"``.
    """
    for field in FIELDS:
        if field.part != "mock-up":
            node = leaf_at(document, Place.engine(field.path).keys)
            if node is not None:
                yield field.path, node
    for bank in document.get("banks") or {}:
        if bank.startswith("x-"):
            continue
        for name in BANK_NAMES:
            place = Place.on_bank(bank, name)
            node = leaf_at(document, place.keys)
            if node is not None:
                yield str(place), node
    for number, own in (document.get("cylinders") or {}).items():
        if number.startswith("x-"):
            continue
        for name in CYLINDER_NAMES:
            if own.get(name) is not None:
                yield str(Place.hole(int(number), name)), own[name]


def read_operation(op: Mapping[str, Any], unstated: Unstated) -> Operation:
    """Return the operation of one entry of ``planned``.

    Parameters
    ----------
    op : Mapping
        As it stands in a document.
    unstated : {"house", "zero"}
        What unstated doubt becomes.

    Returns
    -------
    Operation
        Read.
    """
    amount = gasket = first = last = None
    if op.get("first") is not None:
        kind = LEVER[op["op"]].kind
        first, last = (
            read_quantity(op[key], kind, dimension=op["op"], unstated=unstated, low=0)
            for key in ("first", "last")
        )
        amount = midway(first, last)
    if op.get("amount") is not None:
        kind = LEVER[op["op"]].kind
        amount = read_quantity(op["amount"], kind, dimension=op["op"], unstated=unstated, low=0)
    if op.get("gasket") is not None:
        gasket = read_gasket(op["gasket"], unstated)
    part = read_part(op["kind"], op["part"], unstated) if op.get("part") is not None else None
    height = None
    if op.get("to_height") is not None:
        height = read_quantity(op["to_height"], Kind.LENGTH, dimension=op["op"], unstated=unstated, low=0)
        # How deep that is, its build tells.
        amount = replace(height, value=math.nan)
    return Operation(
        op["op"],
        op.get("bank"),
        cylinder=op.get("cylinder"),
        amount=amount,
        gasket=gasket,
        first=first,
        last=last,
        part=part,
        to_height=height,
    )


def midway(first: Quantity, last: Quantity) -> Quantity:
    """Return the amount of a levelling cut midway between its ends, in the unit of its first (trade.md 7).

    Parameters
    ----------
    first, last : Quantity
        At the first hole and at the last.
    """
    value = (first.value + last.value) / 2
    number = from_base(value, first.unit)
    return replace(
        first,
        value=value,
        u=(first.u + last.u) / 2,
        number=number,
        as_typed=f"{number:.4g} {first.unit.symbol}",
    )


def read_gasket(raw: Mapping[str, Any], unstated: Unstated) -> Gasket:
    """Return the gasket of an operation or of the shelf.

    Parameters
    ----------
    raw : Mapping
        Name, thickness, bore.
    unstated : {"house", "zero"}
        What unstated doubt becomes.

    Returns
    -------
    Gasket
        Read.
    """

    def part(name: str) -> Quantity | None:
        value = raw.get(name)
        return None if value is None else read_field(value, FIELD[f"gasket.{name}"], unstated)

    return Gasket(
        name=raw.get("name") or "",
        thickness=part("thickness"),
        bore=part("bore"),
        opening_area=part("opening_area"),
        volume=part("volume"),
        price=float(raw.get("price") or 0),
        days=float(raw.get("days") or 0),
    )


def read_fill(fill: Mapping[str, Any], unstated: Unstated = "house") -> tuple[Quantity, Quantity]:
    """Return depth and volume of one fill in steps; in cc.

    Parameters
    ----------
    fill : Mapping
        One step fill of a file.
    unstated : {"house", "zero"}
        What unstated doubt becomes.
    """
    return (
        read_quantity(fill["depth"], Kind.LENGTH, dimension="target"),
        read_field(fill["below"], FIELD["head.chamber_volume"], unstated),
    )


def window_value(raw: Any, name: str) -> float:
    """Return an edge of a window, in mm or as a ratio.

    Parameters
    ----------
    raw : object
        As it stands in a file.
    name : str
        The name, as files have it.
    """
    if name == "compression_ratio":
        return float(raw)
    return read_quantity(raw, Kind.LENGTH, dimension="target").value


def _targets(targets: Mapping[str, Any]) -> Targets:
    def window(name: str) -> Window:
        own = targets.get(name) or {}
        low, aim, high = (
            None if own.get(key) is None else window_value(own[key], name) for key in ("min", "aim", "max")
        )
        return Window(low, aim, high)

    between = targets.get("spread") or {}
    spread = targets.get("ratio_spread")
    if spread is None:
        spread = between.get("compression_ratio")
    gap = between.get("quench")
    names = ("compression_ratio", "quench", "deck_clearance")
    sources = {
        name: tuple(own[key] for key in ("source", "second_source") if own.get(key))
        for name in names
        if (own := targets.get(name) or {}).get("source") or own.get("second_source")
    }
    return Targets(
        compression_ratio=window("compression_ratio"),
        quench=window("quench"),
        deck_clearance=window("deck_clearance"),
        ratio_spread=None if spread is None else float(spread),
        quench_spread=None if gap is None else window_value(gap, "quench"),
        sources=sources,
    )


def _levers(levers: Mapping[str, Any], unstated: Unstated) -> Levers:
    limits: dict[str, Quantity] = {
        lever.key: read_quantity(levers[lever.key]["max"], lever.kind, dimension="limit")
        for lever in AMOUNTS
        if (levers.get(lever.key) or {}).get("max") is not None
    }
    gaskets = tuple(read_gasket(g, unstated) for g in levers.get("gaskets") or ())
    means: dict[OpName, Means] = {
        op: read_means(op, levers[op], unstated)
        for op in (*(lever.key for lever in AMOUNTS), SWAP)
        if levers.get(op) is not None
    }
    parts = tuple(
        PartChoice(
            read_part(one["kind"], one["part"], unstated),
            float(one.get("price") or 0),
            float(one.get("days") or 0),
            tuple(one.get("needs") or ()),
        )
        for one in levers.get("parts") or ()
    )
    set_ups = {
        name: SetUpCost(*(float(one.get(key) or 0) for key in ("cost", "minutes", "days")))
        for name, one in (levers.get("set_ups") or {}).items()
        if not name.startswith("x-")
    }
    per_bank, needs = bool(levers.get("gasket_per_bank", False)), tuple(levers.get("gasket_needs") or ())
    return Levers(
        limits=limits,
        gaskets=gaskets,
        gasket_per_bank=per_bank,
        means=means,
        gasket_needs=needs,
        parts=parts,
        set_ups=set_ups,
    )


def _between(raw: Mapping[str, Any]) -> dict[str, float]:
    """How far holes are expected to stand off their bank's line or mean, by figure; mm or cc."""
    kinds = {"deck_clearance": Kind.LENGTH, "chamber_volume": Kind.VOLUME}
    return {
        name: read_quantity(raw[name], kind, dimension="exact").value
        for name, kind in kinds.items()
        if raw.get(name) is not None
    }


# -- build to document --------------------------------------------------------


def operation_document(op: Operation) -> Document:
    """Return one operation as it stands in a build file, figures as typed.

    Parameters
    ----------
    op : Operation
        A planned operation.

    Returns
    -------
    dict
        An entry of ``planned``.
    """
    entry: Document = {"op": op.op}
    if op.bank is not None:
        entry["bank"] = op.bank
    if op.cylinder is not None:
        entry["cylinder"] = op.cylinder
    if op.to_height is not None:
        entry["to_height"] = op.to_height.as_typed
    elif op.first is not None and op.last is not None:
        entry |= {"first": op.first.as_typed, "last": op.last.as_typed}
    elif op.amount is not None:
        entry["amount"] = op.amount.as_typed
    if op.gasket is not None:
        gasket: Document = {"name": op.gasket.name} if op.gasket.name else {}
        for name in GASKET_FIGURES:
            if (quantity := getattr(op.gasket, name)) is not None:
                gasket[name] = quantity.as_typed
        entry["gasket"] = gasket
    if op.part is not None:
        entry |= {"kind": op.part.kind, "part": dict(op.part.as_typed)}
    return entry


def to_text(document: Mapping[str, Any]) -> str:
    """Return a document as the text of a build file.

    Parameters
    ----------
    document : dict
        A build document.

    Returns
    -------
    str
        JSON, indented.
    """
    return json.dumps(document, indent=1, ensure_ascii=False) + "\n"


@dataclass(frozen=True, slots=True)
class Difference:
    """One leaf that differs between two documents; None where it does not stand."""

    path: tuple[str, ...]
    before: Any
    after: Any


def differences(before: Any, after: Any, path: tuple[str, ...] = ()) -> Iterator[Difference]:
    """Yield the leaves that differ: whole figures, the whole plan, single names.

    Parameters
    ----------
    before, after : dict
        Two build documents.
    path : tuple of str
        Where they stand; empty at the top.

    Yields
    ------
    Difference
        In the order of the keys.

    Examples
    --------
    >>> [d.path for d in differences({"a": {"b": 1}}, {"a": {"b": 2}})]
    [('a', 'b')]
    """
    if not is_figure(path):
        # What stands on one side only is told leaf by leaf too.
        if before is None and isinstance(after, dict):
            before = {}
        elif after is None and isinstance(before, dict):
            after = {}
    if isinstance(before, dict) and isinstance(after, dict) and not is_figure(path):
        for key in dict.fromkeys([*before, *after]):
            yield from differences(before.get(key), after.get(key), (*path, key))
    elif not same_text(before, after):
        yield Difference(path, before, after)


def is_figure(path: tuple[str, ...]) -> bool:
    """Tell whether a figure stands at a path.

    Parameters
    ----------
    path : tuple of str
        Keys from the top of the document.
    """
    if not path or path[0] == "mock-up":
        return False
    try:
        field_at(Place.of_keys(path))
    except KeyError:
        return False
    return True


def same_text(before: Any, after: Any) -> bool:
    """Tell whether two leaves are written alike: ``1`` is not ``1.0``, nor ``true``.

    Parameters
    ----------
    before : object
        One leaf.
    after : object
        The other.
    """
    return json.dumps(before, sort_keys=True) == json.dumps(after, sort_keys=True)


def leaf_at(document: Mapping[str, Any], keys: tuple[str, ...]) -> Any:
    """Return what stands under some keys of a document; None where nothing does.

    Parameters
    ----------
    document : dict
        A build document.
    keys : tuple of str
        Key by key.

    Returns
    -------
    object
        As typed.

    Examples
    --------
    >>> leaf_at({"a": {"b": 1}}, ("a", "b")), leaf_at({"a": 2}, ("a", "b"))
    (1, None)
    """
    node: Any = document
    for key in keys:
        node = node.get(key) if isinstance(node, dict) else None
    return node


def with_leaf(document: Mapping[str, Any], path: tuple[str, ...], value: Any) -> Document:
    """Return a copy of a document with one leaf set, or taken out.

    Parameters
    ----------
    document : dict
        A build document.
    path : tuple of str
        The leaf's place, key by key.
    value : object
        As typed; None takes it out, and with it objects left empty.

    Returns
    -------
    dict
        A new document.

    Examples
    --------
    >>> with_leaf({"a": {"b": 1}}, ("a", "b"), None)
    {}
    """
    changed = dict(document)
    if len(path) > 1:
        inner = with_leaf(document.get(path[0]) or {}, path[1:], value)
        if inner or value is not None:
            changed[path[0]] = inner
        else:
            changed.pop(path[0], None)
    elif value is None:
        changed.pop(path[0], None)
    else:
        changed[path[0]] = value
    return changed
