"""The form of the aim: what stands in a document as texts, and back, with a sentence a field at fault."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from zygometra.core.build.document import Document, with_leaf
from zygometra.core.build.lever_table import AMOUNTS
from zygometra.core.fuel import HEADS, SCALES
from zygometra.core.windows import WINDOW_SOURCES

from ..forms.form import Form
from ..forms.named import field_named
from ..forms.read import choice, number, quantity, text

EDGES = ("min", "aim", "max")
GAPS = ("quench", "deck_clearance")
# Where a window comes from: one source, or a second one beside it.
SOURCES = ("source", "second_source")
MOST_GASKETS = 12
GASKET = ("name", "thickness", "bore")
# The ratio that somebody stated: compared with the figures, never used.
STATED = "stated.compression_ratio"
_NUMBER = "a number such as 9.75"
# Where a field of the form stands in the document, where that is not its own name.
_RENAMED = {
    "engine.family": "family",
    "parts.rod.material": "material",
    "parts.head.material": "head_material",
    "fuel.octane": "octane",
    "fuel.scale": "scale",
}


def gasket_slot(row: int, key: str) -> str:
    """Return the name of a field of the gaskets' table."""
    return f"gasket.{row}.{key}"


def _text(value: Any) -> str:
    if value is None:
        return ""
    if isinstance(value, dict):
        if "value" not in value:
            return ""
        return f"{value['value']} {value.get('unit', 'mm')}"
    return str(value)


def form_of(document: Mapping[str, Any]) -> dict[str, str]:
    """Return the form's texts for a build as it stands."""
    form = {
        "name": document["name"],
        "customer": document.get("customer") or "",
        "duty": document.get("duty") or "",
        "family": document["engine"].get("family") or "",
        "school": document.get("school") or "",
        "unstated_doubt": document.get("unstated_doubt", "house"),
        "material": ((document.get("parts") or {}).get("rod") or {}).get("material", "steel"),
    }
    fuel = document.get("fuel") or {}
    form |= {
        "head_material": ((document.get("parts") or {}).get("head") or {}).get("material") or "",
        "octane": _text(fuel.get("octane")),
        "scale": fuel.get("scale") or "",
    }
    targets, levers = document.get("targets") or {}, document.get("levers") or {}
    for result in ("compression_ratio", *GAPS):
        for edge in EDGES:
            form[f"{result}.{edge}"] = _text((targets.get(result) or {}).get(edge))
        for source in SOURCES:
            form[f"{result}.{source}"] = (targets.get(result) or {}).get(source) or ""
    form["ratio_spread"] = _text(targets.get("ratio_spread"))
    form[STATED] = _text((document.get("stated") or {}).get("compression_ratio"))
    for lever in AMOUNTS:
        form[f"limit.{lever.key}"] = _text((levers.get(lever.key) or {}).get("max"))
    for row, gasket in enumerate(levers.get("gaskets") or ()):
        for key in GASKET:
            form[gasket_slot(row, key)] = _text(gasket.get(key))
    form["gasket_per_bank"] = "yes" if levers.get("gasket_per_bank") else ""
    return form


def slot_of(path: str) -> str:
    """Return the form's field for a place in the document, as the files' faults name it."""
    head, _, rest = path.partition(".")
    if head == "targets":
        return rest
    if head == "levers":
        if rest.startswith("gaskets["):
            return "gasket." + rest.removeprefix("gaskets[").replace("]", "")
        return f"limit.{rest.removesuffix('.max')}" if rest.endswith(".max") else rest
    return _RENAMED.get(path, path)


def document_of(document: Mapping[str, Any], form: Form) -> Document:
    """Return the document that a form describes.

    Parameters
    ----------
    document : Mapping
        As it stands.
    form : Form
        As typed; takes the faults.

    Returns
    -------
    dict
        A field that was not touched keeps what stands there, to the letter.
    """
    leaves: dict[tuple[str, ...], Any] = {
        ("name",): form["name"],
        ("customer",): _words(form, "customer"),
        ("duty",): _words(form, "duty"),
        ("engine", "family"): _words(form, "family"),
        ("school",): _words(form, "school"),
        ("unstated_doubt",): form["unstated_doubt"],
        ("parts", "rod", "material"): form["material"],
        ("parts", "head", "material"): _one_of(form, "head_material", HEADS, "a head of iron or aluminium"),
        ("fuel", "octane"): _number(form, "octane"),
        ("fuel", "scale"): _one_of(form, "scale", SCALES, "RON, AKI or MON"),
    }
    if form["unstated_doubt"] == "house" and "unstated_doubt" not in document:
        leaves.pop(("unstated_doubt",))
    for edge in EDGES:
        leaves["targets", "compression_ratio", edge] = _number(form, f"compression_ratio.{edge}")
        for gap in GAPS:
            leaves["targets", gap, edge] = _length(form, f"{gap}.{edge}")
    for result in ("compression_ratio", *GAPS):
        for source in SOURCES:
            leaves["targets", result, source] = _source(form, f"{result}.{source}")
    leaves["targets", "ratio_spread"] = _number(form, "ratio_spread")
    leaves["stated", "compression_ratio"] = _number(form, STATED)
    for lever in AMOUNTS:
        leaves["levers", lever.key, "max"] = _length(form, f"limit.{lever.key}")
    leaves["levers", "gaskets"] = _gaskets(document, form)
    leaves["levers", "gasket_per_bank"] = True if form["gasket_per_bank"] else None
    before = form_of(document)
    out = dict(document)
    for path, value in leaves.items():
        slot = slot_of(".".join(path))
        if slot not in before or form[slot] != before[slot]:
            out = with_leaf(out, path, value)
    return out


def _words(form: Form, slot: str) -> str | None:
    return form.take(slot, text(form[slot], most=2000)) or None


def _one_of(form: Form, slot: str, among: tuple[str, ...], what: str) -> str | None:
    return form.take(slot, choice(form[slot], ("", *among), what=what)) or None


def _source(form: Form, slot: str) -> str | None:
    return form.take(slot, choice(form[slot], ("", *WINDOW_SOURCES), what="source")) or None


def _number(form: Form, slot: str) -> float | int | None:
    value = form.take(slot, number(form[slot], _NUMBER))
    return int(value) if value is not None and value == int(value) and abs(value) < 1e6 else value


def dimension_of(slot: str) -> str:
    """Return the name of the dimension that a field of the form takes; empty where it takes none."""
    of, _, key = slot.partition(".")
    if of in GAPS:
        return f"aim.{of}"
    if of == "limit":
        return f"lever.{key}"
    return f"parts.gasket.{key.partition('.')[2]}" if of == "gasket" and not key.endswith("name") else ""


def _length(form: Form, slot: str) -> str | None:
    field = field_named(dimension_of(slot))
    assert field is not None
    return form.take(slot, quantity(form[slot], field, form.reader))


def _gaskets(document: Mapping[str, Any], form: Form) -> list[Document] | None:
    """The shelf of gaskets; one whose texts were not touched stays as it stands."""
    before = form_of(document)
    kept = (document.get("levers") or {}).get("gaskets") or []
    gaskets = []
    for row in range(MOST_GASKETS):
        slots = [gasket_slot(row, key) for key in GASKET]
        texts = [form[slot] for slot in slots]
        if row < len(kept) and texts == [before.get(slot, "") for slot in slots]:
            gaskets.append(kept[row])
        elif any(texts):
            gaskets.append(_gasket(form, texts[0], slots))
    return gaskets or None


def _gasket(form: Form, called: str, slots: list[str]) -> Document:
    gasket: Document = {"name": called} if called else {}
    for key, slot in zip(GASKET[1:], slots[1:], strict=True):
        if (length := _length(form, slot)) is not None:
            gasket[key] = length
    if "thickness" not in gasket and slots[1] not in form.faults:
        form.refuse(slots[1], "nothing", "the gasket's compressed thickness, such as 1.2 mm")
    return gasket
