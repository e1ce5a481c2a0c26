"""A new build from blank: the few figures without which nothing can be said of an engine."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from zygometra.core.build.document import with_leaf
from zygometra.core.errors import BuildFaults, QuantityError, shown
from zygometra.core.fields import FIELD, FIELDS, Field
from zygometra.core.place import Place
from zygometra.core.wording import Reader
from zygometra.exchange.build_file import check

from ..figures.typed import figure_of

ASKED: tuple[Field, ...] = (
    *(f for f in FIELDS if f.required),
    FIELD["head.opening_area"],
    FIELD["engine.bore_pitch"],
)
LAYOUTS = {"inline": "inline", "vee": "vee", "flat": "flat"}


@dataclass(slots=True)
class NewBuild:
    """What was typed, and what is wrong with it, field by field."""

    typed: dict[str, str] = field(default_factory=dict)
    faults: dict[str, str] = field(default_factory=dict)
    document: dict[str, Any] | None = None


def read_new(form: Mapping[str, str], reader: Reader) -> NewBuild:
    """Read the form of a new build.

    Parameters
    ----------
    form : Mapping
        As typed.
    reader : Reader
        Whose bare numbers these are.

    Returns
    -------
    NewBuild
        With a checked document, or with a sentence for each field at fault.
    """
    new = NewBuild({key: value for key, value in form.items() if key != "csrf_token"})
    name = (form.get("name") or "").strip()
    if not 0 < len(name) <= 120:
        new.faults["name"] = (
            f"Found {shown(name)}; wanted a name of 1 to 120 characters, such as Pilot launch 2.3."
        )
    layout = form.get("layout", "")
    if layout not in LAYOUTS:
        new.faults["layout"] = "Found no layout; wanted inline, vee or flat."
    holes = _number(new, "holes", 1, 32, "a number of cylinders, 1 to 32")
    angle = 0
    if layout == "vee":
        angle = _number(new, "angle", 1, 180, "the angle between the banks in degrees, such as 90")
    if holes and layout in ("vee", "flat") and holes % 2:
        new.faults["holes"] = f"Found {holes}; wanted an even number for a {layout} engine, such as 8."
    figures: dict[str, Any] = {}
    for item in ASKED:
        text = (form.get(item.path) or "").strip()
        if not text:
            if item.required:
                new.faults[item.path] = f"Found nothing; wanted the {item.label}, such as {_example(item)}."
            continue
        try:
            figures[item.path] = figure_of({"value": text, "basis": form.get("basis", "")}, item, reader)
        except QuantityError as error:
            new.faults[item.path] = str(error)
    if new.faults:
        return new
    document = _document(name, (form.get("family") or "").strip()[:120], layout, holes, angle)
    for path, figure in figures.items():
        document = with_leaf(document, Place.parse(path).keys, figure)
    try:
        check(document)
    except BuildFaults as error:
        for fault in error.faults:
            new.faults[fault.path] = f"Found {fault.found}; wanted {fault.wanted}."
        return new
    new.document = document
    return new


def _number(new: NewBuild, key: str, low: int, high: int, wanted: str) -> int:
    text = new.typed.get(key, "").strip()
    if text.isdecimal() and len(text) < 4 and low <= int(text) <= high:
        return int(text)
    new.faults[key] = f"Found {shown(text)}; wanted {wanted}."
    return 0


def _example(item: Field) -> str:
    return {
        "parts.block.deck_height": "225.40 mm",
        "parts.block.bore": "92 mm",
        "parts.crank.stroke": "86 mm",
        "parts.rod.length": "148 mm or 6.1 in",
        "parts.piston.compression_height": "34.2 mm",
        "parts.piston.crown_volume": "4.5 cc (a dome: −6.2 cc)",
        "parts.gasket.thickness": "1.2 mm or 40 thou",
        "parts.gasket.bore": "93.5 mm",
        "parts.head.chamber_volume": "52 cc",
        "parts.head.opening_area": "4200 mm2",
        "engine.bore_pitch": "97 mm",
    }[item.path]


def examples() -> dict[str, str]:
    """Return an example for each field that is asked."""
    return {item.path: _example(item) for item in ASKED}


def _document(name: str, family: str, layout: str, holes: int, angle: int) -> dict[str, Any]:
    numbers = list(range(1, holes + 1))
    banks = [{"name": "A", "cylinders": numbers}]
    if layout != "inline":
        banks = [{"name": "left", "cylinders": numbers[::2]}, {"name": "right", "cylinders": numbers[1::2]}]
    engine: dict[str, Any] = {
        "layout": layout,
        "bank_angle": {"inline": 0, "flat": 180}.get(layout, angle),
        "banks": banks,
    }
    if family:
        engine["family"] = family
    return {
        "format": "zygometra.build",
        "version": 1,
        "name": name,
        "school": "paper-first",
        "engine": engine,
        "parts": {"rod": {"material": "steel"}},
    }
