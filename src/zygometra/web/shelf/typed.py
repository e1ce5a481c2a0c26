"""A part between what a person types and what the shelf keeps."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from zygometra.core.errors import QuantityError, shown
from zygometra.core.fields import Field
from zygometra.core.house_rules import BASES
from zygometra.core.mix.parts import KIND, STATES, Part, read_dimension
from zygometra.core.units import Kind
from zygometra.core.wording import Reader
from zygometra.exchange.shelf_csv import read_price

from ..figures.typed import figure_of
from ..figures.typed import form_of as figure_form


@dataclass(slots=True)
class TypedPart:
    """A part's form: what was typed, what is wrong with it, and the part where nothing is."""

    typed: dict[str, str]
    faults: dict[str, str] = field(default_factory=dict)
    part: Part | None = None


def form_of(part: Part) -> dict[str, str]:
    """Return a part as its form shows it: figures with their units, doubt apart."""
    out = {
        "code": part.code,
        "name": part.name,
        "supplier": part.supplier,
        "state": part.state,
        "on_shelf": str(part.on_shelf),
        "price": "" if part.price is None else f"{part.price / 100:.2f}",
        "lead_days": "" if part.lead_days is None else str(part.lead_days),
    }
    out |= {f"t-{name}": word for name, word in part.texts.items()}
    for name in part.figures:
        texts = figure_form(part.quantity(name))
        out[f"d-{name}"] = texts["value"] or texts["readings"].replace("\n", "; ")
        out[f"b-{name}"], out[f"p-{name}"] = texts["basis"], texts["plus_minus"]
    return out


def read_form(form: Mapping[str, str], kind: str, reader: Reader, before: Part | None) -> TypedPart:
    """Read a part's form.

    Parameters
    ----------
    form : Mapping
        As typed.
    kind : str
        The kind's key.
    reader : Reader
        Whose bare numbers these are.
    before : Part or None
        The part as it is kept: a figure left as it stands is kept to the letter.

    Returns
    -------
    TypedPart
        With the part, or with a sentence for each field at fault.
    """
    out = TypedPart({key: value for key, value in form.items() if key != "csrf_token"})
    code = before.code if before else form.get("code", "").strip()
    if not re.fullmatch(r"[A-Za-z0-9][A-Za-z0-9._/-]{0,39}", code):
        out.faults["code"] = (
            f"Found {shown(code)}; wanted letters, digits, point and dash, up to 40, such as CR-104."
        )
    state = form.get("state", "idea")
    if state not in STATES:
        out.faults["state"] = f"Found {shown(state)}; wanted one of {', '.join(STATES)}."
    price = lead = None
    on_shelf = 0
    try:
        text = form.get("price", "").strip()
        price = read_price(text) if text else None
    except QuantityError as error:
        out.faults["price"] = str(error)
    for name in ("on_shelf", "lead_days"):
        text = form.get(name, "").strip()
        if text and not (text.isdecimal() and len(text) < 6):
            out.faults[name] = f"Found {shown(text)}; wanted a whole number, such as 4."
        elif text and name == "on_shelf":
            on_shelf = int(text)
        elif text:
            lead = int(text)
    shown_before = form_of(before) if before else {}
    figures: dict[str, Any] = {}
    for dimension in KIND[kind].dimensions:
        keys = [f"{letter}-{dimension.name}" for letter in "dbp"]
        if not form.get(keys[0], "").strip():
            continue
        if before and all(form.get(key, "").strip() == shown_before.get(key, "") for key in keys):
            figures[dimension.name] = before.figures[dimension.name]
            continue
        try:
            figures[dimension.name] = _figure(form, dimension, reader)
            read_dimension(kind, dimension.name, figures[dimension.name])
        except QuantityError as error:
            out.faults[keys[0]] = str(error)
    texts = {
        t.name: form.get(f"t-{t.name}", "").strip()[:80]
        for t in KIND[kind].texts
        if form.get(f"t-{t.name}", "").strip()
    }
    if not out.faults:
        out.part = Part(
            kind,
            code,
            form.get("name", "").strip()[:120],
            figures,
            texts,
            form.get("supplier", "").strip()[:120],
            price,
            state,
            on_shelf,
            lead,
        )
    return out


def _figure(form: Mapping[str, str], dimension: Field, reader: Reader) -> Any:
    text = form[f"d-{dimension.name}"].strip()
    if dimension.kind is Kind.COUNT:
        return int(text) if text.isdecimal() else text
    texts = {
        "basis": form.get(f"b-{dimension.name}", "").strip(),
        "plus_minus": form.get(f"p-{dimension.name}", ""),
    }
    if texts["basis"] not in ("", *BASES):
        raise QuantityError(f"the basis {shown(texts['basis'])}", "one of " + ", ".join(BASES))
    return figure_of(texts | {"readings" if ";" in text else "value": text}, dimension, reader)
