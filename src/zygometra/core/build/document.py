"""A build document and the build it stands for, both ways, figures as typed.

The document is what a build file holds and what the store keeps: plain dicts,
lists, numbers and texts. It was checked when it was taken in (by the exchange),
so nothing is checked again here.
"""

# long: one translation, both ways
from __future__ import annotations

import json
from collections.abc import Iterator, Mapping
from typing import Any, TypeVar

from msgspec import Struct

from ..fields import BANK_NAMES, CYLINDER_NAMES, FIELDS, field_at
from ..place import Place
from ..quantity import Unstated
from ..records import Record, Refused
from .build_record import BuildRecord, LeversRecord, PlannedOperation, Spreads, Windows, record_of_document
from .model import GASKET_FIGURES, Bank, Build, Levers, Operation, Targets
from .parts_record import gasket_of

Document = dict[str, Any]
R = TypeVar("R", bound=Record)


def read_document(document: Mapping[str, Any]) -> Build:
    """Return the build of a document that was checked when it was taken in.

    Parameters
    ----------
    document : dict
        A build document that :func:`check` has passed.

    Returns
    -------
    Build
        Ready to be evaluated; without what is noted beside it.
    """
    return build_of(record_of_document(document))


def build_of(record: BuildRecord) -> Build:
    """Return the build that a record of a document stands for.

    Parameters
    ----------
    record : BuildRecord
        As it was read, with nothing refused in it.

    Returns
    -------
    Build
        Ready to be evaluated; without what is noted beside it.
    """
    engine, parts = record.engine, record.parts
    names = {"": (parts.get("gasket") or {}).get("name") or ""}
    for bank, own in record.banks.items():
        if name := (own.get("gasket") or {}).get("name"):
            names[bank] = name
    head = parts.get("head") or {}
    return Build(
        name=record.name,
        layout=engine.layout,
        banks=tuple(Bank(bank.name, bank.cylinders) for bank in engine.banks),
        figures=dict(figures_of(record.figures)),
        school=record.school,
        unstated_doubt=record.unstated_doubt,
        rod_material=(parts.get("rod") or {}).get("material", "steel"),
        fuel=None if record.fuel is None else record.fuel.fuel,
        head_material=head.get("material") or "",
        gasket_names=names,
        step_fills=tuple((fill.depth, fill.below) for fill in head.get("step_fills") or ()),
        planned=tuple(one.operation for one in _sound(record.planned)),
        targets=_targets(record.targets),
        levers=_levers(record.levers),
        planning=record.planning,
        between_holes=record.between_holes,
        stated_ratio=record.stated.get("compression_ratio"),
        facing=record.facing,
        gear=record.valve_gear,
    )


def _sound(listed: tuple[R | Refused, ...]) -> Iterator[R]:
    """What is listed: nothing of a checked document is refused."""
    for one in listed:
        if isinstance(one, Refused):
            raise one.wrong
        yield one


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
    """
    return PlannedOperation.read(dict(op), unstated).operation


def _targets(wanted: Windows) -> Targets:
    windows = wanted.by_result
    between = wanted.spread or Spreads()
    spread = between.compression_ratio if wanted.ratio_spread is None else wanted.ratio_spread
    return Targets(
        **{name: one.window for name, one in windows.items()},
        ratio_spread=spread,
        quench_spread=between.quench,
        sources={name: one.sources for name, one in windows.items() if one.sources},
    )


def _levers(record: LeversRecord) -> Levers:
    return Levers(
        limits={op: means.limit for op, means in record.means.items() if means.limit is not None},
        gaskets=tuple(gasket_of(values) for values in record.gaskets),
        gasket_per_bank=record.gasket_per_bank,
        means=record.means,
        gasket_needs=record.gasket_needs,
        parts=tuple(one.choice for one in _sound(record.parts)),
        set_ups=record.set_ups,
    )


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


class Difference(Struct, frozen=True):
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
