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

from zygometra.core.build.build_record import PlannedOperation, Windows
from zygometra.core.build.document import Document
from zygometra.core.build.lever_table import FIT, LEVER, SWAP
from zygometra.core.build.model import MOST_CYLINDERS, Build
from zygometra.core.build.parts_record import StepFill
from zygometra.core.errors import BuildFaults, Fault, QuantityError, shown
from zygometra.core.measuring.facts import FactKind, FoundBy, facts_of, found_by
from zygometra.core.measuring.read_in import BuildFile, file_record, measured
from zygometra.core.records import InOrder, Refused, Wrong
from zygometra.core.units import Kind

from .lever_faults import lever_faults
from .logbook_faults import logbook_faults
from .plain_json import loads, unstorable

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
        document = document_from_text(text)
        file = _checked(document)[0]
    except BuildFaults as error:
        return ReadBuild(None, {}, error.faults)
    found = {(fact.kind, fact.key): found_by(fact.record) for fact in facts_of(file.listed, {})}
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
    return _checked(document)[1]


def _checked(document: Document) -> tuple[BuildFile, Build]:
    """The record of a build file and the build it comes to."""
    faults = list(unstorable(document, "$"))
    if faults:
        raise BuildFaults(faults)
    if isinstance(document.get("format"), str) and document["format"] == "zygometra.build":
        version = document.get("version")
        if version != 1 or isinstance(version, bool):
            raise BuildFaults([Fault("version", shown(version), "1, the version this reader knows")])
    try:
        file = file_record(document)
    except Wrong as error:
        raise BuildFaults(list(error.at(""))) from None
    faults = list(_cross_faults(file))
    if faults:
        raise BuildFaults(faults)
    build = measured(file)
    faults = list(_rods_too_short(build))
    if faults:
        raise BuildFaults(faults)
    return file, build


# long: what it puts together is told field by field, a line each
def _cross_faults(file: BuildFile) -> Iterator[Fault]:
    """What the shape alone cannot tell: names that must match, windows in order."""
    names: list[str] = []
    numbers: list[int] = []
    for i, bank in enumerate(file.engine.banks):
        for number in bank.cylinders:
            if number in numbers:
                yield Fault(
                    f"engine.banks[{i}].cylinders",
                    f"cylinder {number} twice",
                    "each cylinder in one bank once",
                )
            numbers.append(number)
        if bank.name in names:
            yield Fault(f"engine.banks[{i}].name", f"{shown(bank.name)} twice", "each bank a name of its own")
        names.append(bank.name)
    if len(numbers) > MOST_CYLINDERS:
        yield Fault("engine.banks", f"{len(numbers)} cylinders", f"at most {MOST_CYLINDERS}")
    known_banks = "one of " + ", ".join(names)
    known_holes = "one of " + ", ".join(map(str, sorted(numbers)))
    if file.engine.layout == "vee" and file.engine.bank_angle is None:
        yield Fault("engine.bank_angle", "nothing", "the angle between the banks, such as 90")
    for name in file.banks:
        if name not in names:
            yield Fault(f"banks.{name}", f"the bank {shown(name)}", known_banks)
    for key in file.cylinders:
        if int(key) not in numbers:
            yield Fault(f"cylinders.{key}", f"cylinder {key}", known_holes)
    yield from _swap_faults(file)
    yield from _plan_faults(file.planned, names, numbers)
    yield from _window_faults(file.targets)
    yield from lever_faults(file, names)
    yield from _fill_faults(file)
    yield from logbook_faults(file, names, numbers)


def _swap_faults(file: BuildFile) -> Iterator[Fault]:
    """Heads change sides only where there are two alike."""
    counts = [len(bank.cylinders) for bank in file.engine.banks]
    for i, one in enumerate(file.planned):
        if one.typed["op"] == SWAP and (len(counts) != 2 or counts[0] != counts[1]):
            found = f"swap_heads on {len(counts)} bank{'' if len(counts) == 1 else 's'}"
            yield Fault(f"planned[{i}].op", found, "two banks with as many holes each")


def _plan_faults(
    planned: tuple[PlannedOperation | Refused, ...], names: list[str], numbers: list[int]
) -> Iterator[Fault]:
    """What is wrong with the operations of a plan, each with its place."""
    known_banks = "one of " + ", ".join(names)
    known_holes = "one of " + ", ".join(map(str, sorted(numbers)))
    for i, one in enumerate(planned):
        yield from _operation_faults(
            f"planned[{i}]",
            one.typed,
            names=names,
            numbers=numbers,
            known_banks=known_banks,
            known_holes=known_holes,
        )
        if isinstance(one, Refused):
            yield from one.wrong.at(f"planned[{i}]")


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


def _window_faults(targets: Windows) -> Iterator[Fault]:
    for name, window in targets.by_result.items():
        edges = (("min", window.low), ("aim", window.aim), ("max", window.high))
        given = [(key, value) for key, value in edges if value is not None]
        for (low, a), (high, b) in itertools.pairwise(given):
            if a > b:
                typed = window.typed
                wanted = f"at least {low}, {shown(typed[low])}"
                yield Fault(f"targets.{name}.{high}", shown(typed[high]), wanted)


def _fill_faults(file: BuildFile) -> Iterator[Fault]:
    fills: tuple[StepFill, ...] = (file.parts.get("head") or {}).get("step_fills") or ()
    for i, (shallow, deep) in enumerate(itertools.pairwise(fills), start=1):
        if deep.depth.value <= shallow.depth.value or deep.below.value >= shallow.below.value:
            yield Fault(
                f"parts.head.step_fills[{i}]",
                "a step that does not go down",
                "deeper steps in order, each with less volume below it",
            )
    if fills and fills[0].depth.value != 0:
        yield Fault("parts.head.step_fills[0].depth", shown(fills[0].depth.as_typed), "0, the head face")


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
    faults = list(unstorable(plan, "planned"))
    if not faults:
        try:
            planned = InOrder(PlannedOperation, 200).read(plan, build.unstated_doubt)
        except Wrong as error:
            faults = list(error.at("planned"))
        except QuantityError as error:
            faults = [Fault("planned", error.found, error.wanted)]
        else:
            faults = list(_plan_faults(planned, [bank.name for bank in build.banks], list(build.cylinders)))
    if faults:
        raise BuildFaults(faults)
