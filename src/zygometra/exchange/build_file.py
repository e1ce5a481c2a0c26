"""The build file: text to document to build, and back.

A file is taken whole or not at all. Every fault names its place, what was found
there and what is wanted.
"""

# long: what the shape of one format cannot tell
from __future__ import annotations

import itertools
import json
from collections.abc import Iterator, Mapping
from typing import Any, NamedTuple

from zygometra.core.build.document import (
    Document,
    read_fill,
    window_value,
)
from zygometra.core.build.lever_table import FIT, LEVER, SWAP
from zygometra.core.build.model import MOST_CYLINDERS, Build
from zygometra.core.errors import BuildFaults, Fault, QuantityError, shown
from zygometra.core.measuring.facts import FactKind, FoundBy, facts_of, found_by
from zygometra.core.measuring.read_in import read_measured
from zygometra.core.quantity import read_quantity
from zygometra.core.units import Kind

from .lever_faults import lever_faults
from .logbook_faults import logbook_faults
from .plain_json import loads, unstorable, without_notes
from .shape_faults import fault_of, part_faults

MOST_BYTES = 16_000_000


def document_from_text(text: str | bytes, what: str = "a build file") -> Document:
    """Read the text of a file into a document.

    Parameters
    ----------
    text : str or bytes
        JSON, UTF-8.
    what : str
        What it should be.

    Returns
    -------
    dict
        The document, not yet checked.

    Raises
    ------
    BuildFaults
        If it is not one JSON object; the fault's path is ``$`` with line and column.
    """
    if len(text) > MOST_BYTES:
        raise BuildFaults([Fault("$", f"{len(text):,} bytes".replace(",", " "), "at most 16 MB")])
    try:
        words = text.decode("utf-8-sig") if isinstance(text, bytes) else text
    except UnicodeDecodeError:
        raise BuildFaults([Fault("$", "bytes that are not text", "a JSON text in UTF-8")]) from None
    if not words.strip():
        raise BuildFaults([Fault("$", "an empty file", f"one JSON object, {what}")])
    try:
        document = loads(words)
    except json.JSONDecodeError as error:
        place = f"$ (line {error.lineno}, column {error.colno})"
        cut_short = error.pos >= len(words.rstrip()) - 1
        found = "a text that breaks off" if cut_short else f"a slip in the JSON: {error.msg.lower()}"
        raise BuildFaults([Fault(place, found, "a complete JSON object")]) from None
    except RecursionError:
        raise BuildFaults([Fault("$", "objects nested too deep", what)]) from None
    except ValueError as error:
        raise BuildFaults([Fault("$", str(error), "plain numbers and each key once")]) from None
    if not isinstance(document, dict):
        raise BuildFaults([Fault("$", shown(document), f"one JSON object, {what}")])
    return document


def build_from_text(text: str | bytes) -> tuple[Document, Build]:
    """Read and check the text of a build file.

    Parameters
    ----------
    text : str or bytes
        JSON, UTF-8.

    Returns
    -------
    document : dict
        As written, ``x-`` keys included.
    build : Build
        Ready to be evaluated.

    Raises
    ------
    BuildFaults
        With every fault found.
    """
    document = document_from_text(text)
    return document, check(document)


class ReadBuild(NamedTuple):
    """A build file that was read: its document, what each of its facts is found by (by kind and key), or its faults."""

    document: Document | None
    found: Mapping[tuple[FactKind, str], FoundBy]
    faults: list[Fault]


def read_behind(_telling: object, text: bytes) -> ReadBuild:
    """Read and check a build file in a process of its own; see :func:`build_from_text`."""
    try:
        document = build_from_text(text)[0]
    except BuildFaults as error:
        return ReadBuild(None, {}, error.faults)
    found = {(fact.kind, fact.key): found_by(fact.kind, fact.body) for fact in facts_of(document, {})}
    return ReadBuild(document, found, [])


def check(document: Document) -> Build:
    """Check a document against the format and return its build.

    Parameters
    ----------
    document : dict
        A build document.

    Returns
    -------
    Build
        Ready to be evaluated.

    Raises
    ------
    BuildFaults
        With every fault found.
    """
    from pydantic import ValidationError

    from .models import BuildFile

    faults = list(unstorable(document, "$"))
    if faults:
        raise BuildFaults(faults)
    if isinstance(document.get("format"), str) and document["format"] == "zygometra.build":
        version = document.get("version")
        if version != 1 or isinstance(version, bool):
            raise BuildFaults([Fault("version", shown(version), "1, the version this reader knows")])
    try:
        BuildFile.model_validate(without_notes(document))
    except ValidationError as error:
        raise BuildFaults([fault_of(item) for item in error.errors()]) from None
    faults = list(_cross_faults(document))
    if faults:
        raise BuildFaults(faults)
    build = read_measured(document)
    faults = list(_rods_too_short(build))
    if faults:
        raise BuildFaults(faults)
    return build


# long: what it puts together is told field by field, a line each
def _cross_faults(document: Document) -> Iterator[Fault]:
    """What the shape alone cannot tell: names that must match, windows in order."""
    engine = document["engine"]
    names, numbers = [], []
    for i, bank in enumerate(engine["banks"]):
        for number in bank["cylinders"]:
            if number in numbers:
                yield Fault(
                    f"engine.banks[{i}].cylinders",
                    f"cylinder {number} twice",
                    "each cylinder in one bank once",
                )
            numbers.append(number)
        if bank["name"] in names:
            yield Fault(
                f"engine.banks[{i}].name", f"{shown(bank['name'])} twice", "each bank a name of its own"
            )
        names.append(bank["name"])
    if len(numbers) > MOST_CYLINDERS:
        yield Fault("engine.banks", f"{len(numbers)} cylinders", f"at most {MOST_CYLINDERS}")
    known_banks = "one of " + ", ".join(names)
    known_holes = "one of " + ", ".join(map(str, sorted(numbers)))
    if engine["layout"] == "vee" and engine.get("bank_angle") is None:
        yield Fault("engine.bank_angle", "nothing", "the angle between the banks, such as 90")
    for name in _keys(document.get("banks")):
        if name not in names:
            yield Fault(f"banks.{name}", f"the bank {shown(name)}", known_banks)
    for number in _keys(document.get("cylinders")):
        if int(number) not in numbers:
            yield Fault(f"cylinders.{number}", f"cylinder {number}", known_holes)
    yield from _swap_faults(document)
    for i, op in enumerate(document.get("planned") or ()):
        yield from _operation_faults(
            f"planned[{i}]",
            op,
            names=names,
            numbers=numbers,
            known_banks=known_banks,
            known_holes=known_holes,
        )
    yield from _window_faults(document.get("targets") or {})
    yield from lever_faults(document, names)
    yield from _fill_faults(document)
    yield from logbook_faults(document, names, numbers)


def _swap_faults(document: Mapping[str, Any]) -> Iterator[Fault]:
    """Heads change sides only where there are two alike."""
    counts = [len(bank["cylinders"]) for bank in document["engine"]["banks"]]
    for i, op in enumerate(document.get("planned") or ()):
        if op["op"] == SWAP and (len(counts) != 2 or counts[0] != counts[1]):
            found = f"swap_heads on {len(counts)} bank{'' if len(counts) == 1 else 's'}"
            yield Fault(f"planned[{i}].op", found, "two banks with as many holes each")


def _keys(node: Any) -> list[str]:
    return [key for key in node or () if not key.startswith("x-")]


# long: one kind of operation after another
def _operation_faults(
    path: str,
    op: Mapping[str, Any],
    names: list[str],
    numbers: list[int],
    known_banks: str,
    known_holes: str,
) -> Iterator[Fault]:
    name = op["op"]
    if op.get("bank") is not None and op["bank"] not in names:
        yield Fault(f"{path}.bank", shown(op["bank"]), known_banks)
    cylinder = op.get("cylinder")
    if cylinder is not None and cylinder not in numbers:
        yield Fault(f"{path}.cylinder", str(cylinder), known_holes)
    if name == FIT:
        yield from _fit_faults(path, op)
        return
    if op.get("part") is not None or op.get("kind") is not None:
        yield Fault(f"{path}.part", "a part", f"no part with a {name.replace('_', ' ')}")
    if cylinder is not None and (name == SWAP or LEVER[name].reach == "bank"):
        yield Fault(
            f"{path}.cylinder", str(cylinder), f"a bank: a {name.replace('_', ' ')} acts on a whole bank"
        )
    if op.get("to_height") is not None:
        yield from _height_faults(path, op)
        return
    if ends := [key for key in ("first", "last") if op.get(key) is not None]:
        yield from _levelling_faults(path, op, ends)
        return
    if name == SWAP:
        extra = [key for key in ("bank", "amount", "gasket") if op.get(key) is not None]
        yield from (
            Fault(f"{path}.{k}", f"{k} with swap_heads", "nothing: both heads change sides") for k in extra
        )
        return
    if name == "gasket":
        yield from _fitting_faults(path, op)
        return
    if op.get("gasket") is not None:
        yield Fault(f"{path}.gasket", "a gasket", f"no gasket with a {name.replace('_', ' ')}")
    if op.get("amount") is None:
        example = "0.6 cc" if LEVER[name].kind is Kind.VOLUME else "0.18 mm"
        yield Fault(f"{path}.amount", "nothing", f"how much, such as {example}")
        return
    try:
        read_quantity(op["amount"], LEVER[name].kind, dimension=name, low=0)
    except QuantityError as error:
        yield Fault(f"{path}.amount", error.found, error.wanted)


def _height_faults(path: str, op: Mapping[str, Any]) -> Iterator[Fault]:
    """A deck that is cut to a named height."""
    if op["op"] != "deck_cut":
        yield Fault(
            f"{path}.to_height",
            f"a height with a {op['op'].replace('_', ' ')}",
            "a deck cut: decks have heights",
        )
    for key in ("amount", "first", "last", "gasket"):
        if op.get(key) is not None:
            yield Fault(f"{path}.{key}", f"{key} beside to_height", "nothing: the height says how deep")


def _fitting_faults(path: str, op: Mapping[str, Any]) -> Iterator[Fault]:
    """A gasket that is fitted."""
    if not op.get("gasket"):
        yield Fault(f"{path}.gasket", "nothing", "the gasket to fit: name, thickness, bore")
    if op.get("amount") is not None:
        yield Fault(f"{path}.amount", shown(op["amount"]), "no amount with a gasket")


def _fit_faults(path: str, op: Mapping[str, Any]) -> Iterator[Fault]:
    """A part that is fitted in place of what is there."""
    for key in ("bank", "cylinder", "amount", "gasket", "first", "last", "to_height"):
        if op.get(key) is not None:
            yield Fault(f"{path}.{key}", f"{key} with fit", "nothing: a part is fitted in the whole engine")
    if op.get("kind") is None:
        yield Fault(f"{path}.kind", "nothing", "what is fitted: piston, rod, crank, head")
    elif op.get("part") is None:
        yield Fault(f"{path}.part", "nothing", f"the {op['kind']} to fit, with its figures")
    else:
        yield from part_faults(f"{path}.part", op["kind"], op["part"])


def _levelling_faults(path: str, op: Mapping[str, Any], ends: list[str]) -> Iterator[Fault]:
    """A cut that takes more at one end of a bank than at the other."""
    if op["op"] != "deck_cut":
        yield Fault(
            f"{path}.{ends[0]}", f"{ends[0]} with a {op['op'].replace('_', ' ')}", "them with a deck cut only"
        )
    for key in ("amount", "gasket"):
        if op.get(key) is not None:
            yield Fault(f"{path}.{key}", f"{key} beside {ends[0]}", "either amount, or first and last")
    for key in ("first", "last"):
        if op.get(key) is None:
            yield Fault(f"{path}.{key}", "nothing", "how much at that end, such as 0.18 mm")


def _window_faults(targets: Mapping[str, Any]) -> Iterator[Fault]:
    for name in ("compression_ratio", "quench", "deck_clearance"):
        window = targets.get(name)
        if not window:
            continue
        values = [
            (key, window_value(window.get(key), name))
            for key in ("min", "aim", "max")
            if window.get(key) is not None
        ]
        for (low, a), (high, b) in itertools.pairwise(values):
            if a > b:
                yield Fault(
                    f"targets.{name}.{high}", shown(window[high]), f"at least {low}, {shown(window[low])}"
                )


def _fill_faults(document: Document) -> Iterator[Fault]:
    fills: list[Any] = ((document.get("parts") or {}).get("head") or {}).get("step_fills") or []
    read = [read_fill(fill) for fill in fills]
    for i, (shallow, deep) in enumerate(itertools.pairwise(read), start=1):
        if deep[0].value <= shallow[0].value or deep[1].value >= shallow[1].value:
            yield Fault(
                f"parts.head.step_fills[{i}]",
                "a step that does not go down",
                "deeper steps in order, each with less volume below it",
            )
    if read and read[0][0].value != 0:
        yield Fault("parts.head.step_fills[0].depth", shown(fills[0]["depth"]), "0, the head face")


def _rods_too_short(build: Build) -> Iterator[Fault]:
    """Rods with which no crank could turn."""
    from zygometra.core.stack.sources import hole_sources

    said = set()
    for bank in build.banks:
        for number in bank.cylinders:
            sources = hole_sources(build, bank.name, number)
            rod, stroke = sources.get("parts.rod.length"), sources.get("parts.crank.stroke")
            if rod and stroke and rod.quantity.value <= stroke.quantity.value / 2 and rod.path not in said:
                said.add(rod.path)
                yield Fault(
                    rod.path,
                    shown(rod.quantity.as_typed),
                    f"a rod longer than half the stroke of {stroke.quantity.value:g} mm",
                )


def check_operations(plan: Any, build: Build) -> None:
    """Check a plan on its own, against the build it is for.

    Parameters
    ----------
    plan : object
        What should be a list of operations as in a build file.
    build : Build
        Whose banks and holes they must name.

    Raises
    ------
    BuildFaults
        With every fault found.
    """
    from pydantic import ValidationError

    from .models import PLAN

    faults = list(unstorable(plan, "planned"))
    if not faults:
        try:
            PLAN.validate_python(without_notes(plan))
        except ValidationError as error:
            located = [{**item, "loc": ("planned", *item["loc"])} for item in error.errors()]
            faults = [fault_of(item) for item in located]
    if not faults:
        names = [bank.name for bank in build.banks]
        numbers = list(build.cylinders)
        known_banks = "one of " + ", ".join(names)
        known_holes = "one of " + ", ".join(map(str, sorted(numbers)))
        for i, op in enumerate(plan):
            faults += _operation_faults(
                f"planned[{i}]",
                op,
                names=names,
                numbers=numbers,
                known_banks=known_banks,
                known_holes=known_holes,
            )
    if faults:
        raise BuildFaults(faults)
