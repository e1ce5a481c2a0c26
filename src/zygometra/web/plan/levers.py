"""What the shop can do, as a form: each lever with limits, tolerance, prices and times, set-ups, how plans are weighed.

A field is named by its place in the build file; what was not touched stays to the letter.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Any, NamedTuple

from zygometra.core.build.document import Document, leaf_at, with_leaf
from zygometra.core.build.lever_table import AMOUNTS, LEVER, SWAP
from zygometra.core.errors import BuildFaults, QuantityError
from zygometra.core.units import Kind
from zygometra.core.wording import Reader
from zygometra.exchange.build_file import check

from ..forms.form import FormSlot
from ..forms.read import with_unit

SUMS = ("fixed", "per_unit", "minutes", "minutes_per_unit", "days", "metal")
_LABELS = {
    "min": "least",
    "max": "most",
    "step": "step",
    "tolerance": "missed by ±",
    "fixed": "cost",
    "per_unit": "per mm or cc",
    "minutes": "minutes",
    "minutes_per_unit": "per mm or cc, minutes",
    "days": "days",
    "metal": "metal, cc per mm or cc",
    "needs": "needs",
    "machine": "machine or shop",
}
# Set-ups that a page has room for.
_SET_UPS = 4


class LeverRow(NamedTuple):
    """One lever in the form: whether it may be used, and its fields."""

    key: str
    label: str
    used: bool
    level: bool | None
    slots: tuple[FormSlot, ...]


def form_of(document: Mapping[str, Any]) -> dict[str, str]:
    """Return the form of a document: text by field.

    Parameters
    ----------
    document : Mapping
        A build document.
    """
    levers = document.get("levers") or {}
    form: dict[str, str] = {}
    for key in _keys():
        own = levers.get(key)
        form[f"use.{key}"] = "yes" if own is not None else ""
        for name in _names(key):
            form[f"levers.{key}.{name}"] = _text((own or {}).get(name))
    form["levers.deck_cut.level"] = "yes" if (levers.get("deck_cut") or {}).get("level") else ""
    form["levers.deck_cut.level_fixed"] = _text((levers.get("deck_cut") or {}).get("level_fixed"))
    for i, gasket in enumerate(levers.get("gaskets") or ()):
        for name in ("price", "days"):
            form[f"levers.gaskets[{i}].{name}"] = _text(gasket.get(name))
    form["levers.gasket_needs"] = _text(levers.get("gasket_needs"))
    named = [name for name in levers.get("set_ups") or {} if not name.startswith("x-")]
    for i in range(max(len(named), _SET_UPS)):
        name = named[i] if i < len(named) else ""
        form[f"set_up.{i}.name"] = name
        for key in ("cost", "minutes", "days"):
            form[f"set_up.{i}.{key}"] = _text(((levers.get("set_ups") or {}).get(name) or {}).get(key))
    for path in _WEIGHING:
        form[path] = _text(leaf_at(document, tuple(path.split("."))))
    return form


_WEIGHING = {
    "planning.least_yield": "least yield, of 1",
    "planning.apart.cost": "plans apart in cost",
    "planning.apart.metal_cc": "in metal, cc",
    "planning.apart.yield": "in yield, of 1",
    "planning.reading.deck_clearance.u": "reading between two cuts, u",
    "between_holes.deck_clearance": "holes off their bank's line",
    "between_holes.chamber_volume": "chambers off their mean",
}
_LENGTHS = ("planning.reading.deck_clearance.u", "between_holes.deck_clearance")


def _keys() -> tuple[str, ...]:
    return (*(lever.key for lever in AMOUNTS), SWAP)


def _names(key: str) -> tuple[str, ...]:
    if key == SWAP:
        return ("fixed", "minutes", "days", "needs")
    own = ("machine",) if LEVER[key].kind is Kind.LENGTH else ()
    return ("min", "max", "step", "tolerance", *SUMS, "needs", *own)


def _text(value: Any) -> str:
    if value is None:
        return ""
    if isinstance(value, list):
        return ", ".join(map(str, value))
    if isinstance(value, dict):
        part = value.get("plus_minus", value.get("u", value.get("value")))
        text = f"{part}"
        return f"{text} {value['unit']}" if value.get("unit") and text.replace(".", "").isdigit() else text
    return f"{value:g}" if isinstance(value, float) else str(value)


def rows_of(form: Mapping[str, str], faults: Mapping[str, str]) -> list[LeverRow]:
    """Return the levers as the page shows them.

    Parameters
    ----------
    form, faults : Mapping
        Texts and sentences by field.
    """
    labels: dict[str, str] = {lever.key: lever.label.capitalize() for lever in AMOUNTS}
    labels[SWAP] = "Heads side for side"
    rows = []
    for key in _keys():
        slots = (
            _slot(form, faults, f"levers.{key}.{n}", f"{labels[key]}, {_LABELS[n]}") for n in _names(key)
        )
        level = bool(form.get("levers.deck_cut.level")) if key == "deck_cut" else None
        rows.append(
            LeverRow(
                key=key, label=labels[key], used=bool(form.get(f"use.{key}")), level=level, slots=tuple(slots)
            )
        )
    return rows


def _slot(form: Mapping[str, str], faults: Mapping[str, str], name: str, label: str) -> FormSlot:
    return FormSlot(name, label, form.get(name, ""), faults.get(name, ""))


def view(document: Mapping[str, Any], form: Mapping[str, str], faults: Mapping[str, str]) -> dict[str, Any]:
    """Return what the page of the levers shows.

    Parameters
    ----------
    document : Mapping
        The build's.
    form, faults : Mapping
        Texts and sentences by field.
    """

    def slot(name: str, label: str) -> FormSlot:
        return _slot(form, faults, name, label)

    gaskets = []
    for i, gasket in enumerate((document.get("levers") or {}).get("gaskets") or []):
        called = gasket.get("name") or f"gasket {i + 1}"
        slots = [slot(f"levers.gaskets[{i}].{name}", f"{called}, {name}") for name in ("price", "days")]
        gaskets.append((called, slots))
    count = sum(name.endswith(".name") for name in form if name.startswith("set_up."))
    columns = ("name", "cost", "minutes", "days")
    return {
        "rows": rows_of(form, faults),
        "level_fixed": slot("levers.deck_cut.level_fixed", "Cost of levelling"),
        "gaskets": gaskets,
        "gasket_needs": slot("levers.gasket_needs", "A gasket needs"),
        "set_ups": [
            [slot(f"set_up.{i}.{key}", f"set-up {i + 1}, {key}") for key in columns] for i in range(count)
        ],
        "weighing": [slot(path, label.capitalize()) for path, label in _WEIGHING.items()],
        "other_faults": [says for name, says in faults.items() if name not in form],
    }


# long: one part of the form after another
def document_of(document: Mapping[str, Any], form: Mapping[str, str], reader: Reader) -> Document:
    """Return the document with what was changed in the form; a text that is no number stays one, for the check.

    Parameters
    ----------
    document : Mapping
        As it stands.
    form : Mapping
        As it was sent.
    reader : Reader
        Whose bare lengths these are.
    """
    before = form_of(document)
    out = dict(document)

    def touched(name: str) -> bool:
        # A box that is not ticked is not sent; any other field that is missing was not on that page.
        there = name in form or name == "levers.deck_cut.level"
        return there and form.get(name, "").strip() != before.get(name, "")

    for key in _keys():
        if not form.get(f"use.{key}"):
            out = with_leaf(out, ("levers", key), None)
            continue
        if leaf_at(out, ("levers", key)) is None:
            out = with_leaf(out, ("levers", key), {})
        volume = key != SWAP and LEVER[key].kind is Kind.VOLUME
        for name in _names(key):
            path = f"levers.{key}.{name}"
            if touched(path):
                out = with_leaf(
                    out, ("levers", key, name), _value(name, form[path].strip(), reader, volume=volume)
                )
    if form.get("use.deck_cut"):
        if touched("levers.deck_cut.level"):
            out = with_leaf(
                out, ("levers", "deck_cut", "level"), True if form.get("levers.deck_cut.level") else None
            )
        if touched("levers.deck_cut.level_fixed"):
            sum_of = number_of(form["levers.deck_cut.level_fixed"].strip())
            out = with_leaf(out, ("levers", "deck_cut", "level_fixed"), sum_of)
    out = _gaskets(out, form, touched)
    if touched("levers.gasket_needs"):
        out = with_leaf(out, ("levers", "gasket_needs"), names_of(form["levers.gasket_needs"]))
    out = _set_ups(out, form, before)
    for path in _WEIGHING:
        if touched(path):
            text = form[path].strip()
            value: Any = number_of(text)
            if path in _LENGTHS and text:
                value = _with_unit(text, Kind.LENGTH, reader)
            elif path == "between_holes.chamber_volume" and text:
                value = _with_unit(text, Kind.VOLUME, reader)
            out = with_leaf(out, tuple(path.split(".")), value)
    return out


def _gaskets(out: Document, form: Mapping[str, str], touched: Any) -> Document:
    listed = [dict(gasket) for gasket in (out.get("levers") or {}).get("gaskets") or []]
    changed = False
    for i, gasket in enumerate(listed):
        for name in ("price", "days"):
            path = f"levers.gaskets[{i}].{name}"
            if touched(path):
                changed = True
                value = number_of(form[path].strip())
                gasket.pop(name, None) if value is None else gasket.update({name: value})
    return with_leaf(out, ("levers", "gaskets"), listed) if changed else out


def _set_ups(out: Document, form: Mapping[str, str], before: Mapping[str, str]) -> Document:
    names = [name for name in form if name.startswith("set_up.")]
    if all(form.get(name, "").strip() == before.get(name, "") for name in names):
        return out
    set_ups: dict[str, Any] = {}
    for i in range(sum(name.endswith(".name") for name in names)):
        called = form.get(f"set_up.{i}.name", "").strip()
        if called:
            sums = {
                key: number_of(form.get(f"set_up.{i}.{key}", "").strip())
                for key in ("cost", "minutes", "days")
            }
            set_ups[called] = {key: value for key, value in sums.items() if value is not None}
    return with_leaf(out, ("levers", "set_ups"), set_ups or None)


def _value(name: str, text: str, reader: Reader, *, volume: bool) -> Any:
    if not text:
        return None
    if name == "needs":
        return names_of(text)
    if name == "machine":
        return text
    if name in SUMS:
        return number_of(text)
    typed = _with_unit(text, Kind.VOLUME if volume else Kind.LENGTH, reader)
    if name == "tolerance":
        return {"value": 0, "unit": "cc" if volume else "mm", "plus_minus": typed}
    return typed


def _with_unit(text: str, kind: Kind, reader: Reader) -> str:
    """A dimension as a file writes it; what is not understood stays as it was typed, for the check to tell."""
    try:
        return with_unit(text, kind, reader)
    except QuantityError:
        return text


def names_of(text: str) -> list[str] | None:
    """Return names from a list with commas.

    Parameters
    ----------
    text : str
        As typed.
    """
    return [part.strip() for part in text.split(",") if part.strip()] or None


def number_of(text: str) -> float | int | str | None:
    """Return a plain number; a text that is none stays one, so that the check tells it by its place.

    Parameters
    ----------
    text : str
        As typed; no unit.
    """
    if not text:
        return None
    try:
        value = float(text.replace(",", "."))
    except ValueError:
        return text
    if not math.isfinite(value):
        return text
    return int(value) if value == int(value) and abs(value) < 1e15 else value


def faults_of(document: Document) -> dict[str, str]:
    """Return what is wrong with a document, a sentence by field.

    Parameters
    ----------
    document : dict
        As it would become.
    """
    try:
        check(document)
    except BuildFaults as refused:
        out = {}
        for fault in refused.faults:
            path = (
                fault.path.removesuffix(".plus_minus").split("[")[0] if ".needs" in fault.path else fault.path
            )
            out[path.removesuffix(".plus_minus")] = f"Found {fault.found}; wanted {fault.wanted}."
        return out
    return {}
