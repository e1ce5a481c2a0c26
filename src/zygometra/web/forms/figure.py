"""From the figure form to a figure as a build file writes it, and back."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any, NamedTuple

from zygometra.core.errors import QuantityError
from zygometra.core.fields import Field
from zygometra.core.likely import is_usual, meant_instead, usual_words
from zygometra.core.quantity import Quantity, read_field
from zygometra.core.spoken import as_written
from zygometra.core.units import BASE, Kind, Unit, from_base, read_typed
from zygometra.core.wording import Reader

from ..people import told_error
from .read import bare_unit_of, is_sided, is_small, with_unit

TEXTS = ("value", "plus_minus", "u", "readings", "resolution", "gauge_u")


def figure_of(form: Mapping[str, str], field: Field, reader: Reader) -> Any:
    """Return the figure that a form describes, as it stands in a build file.

    Parameters
    ----------
    form : Mapping
        ``value``, ``basis``, ``plus_minus``, ``u``, ``readings``, ``resolution``,
        ``gauge_u`` and ``each``, as typed.
    field : Field
        The dimension.
    reader : Reader
        Whose bare numbers these are.

    Returns
    -------
    object
        Text where nothing but a value was typed, else an object; None where the
        form is empty.

    Raises
    ------
    QuantityError
        If a text cannot be understood, or the whole is not possible.
    """
    texts = {name: (form.get(name) or "").strip() for name in TEXTS}
    readings = _split(texts["readings"])
    basis = form.get("basis") or ""
    if not texts["value"] and not readings:
        if any(texts.values()):
            raise QuantityError("a doubt without a value", f"a value, such as {BASE[field.kind].example}")
        return None
    sided = is_sided(field)
    texts = {name: as_written(typed, sided=sided) for name, typed in texts.items()}
    readings = [as_written(reading, sided=sided) for reading in readings]
    bare = bare_unit_of(field, reader, texts["value"] or readings[0])
    if not basis and not readings and not any(texts[n] for n in TEXTS[1:]) and not form.get("each"):
        figure: Any = with_unit(texts["value"], field.kind, reader, small=is_small(field))
    else:
        figure = _object(texts, readings, basis=basis, field=field, bare=bare)
        if form.get("each"):
            figure["each"] = True
    read_field(figure, field)
    return figure


class Understood(NamedTuple):
    """What a figure means while it is typed, whether it is at fault, what is usual, and what else may be meant."""

    says: str
    faulty: bool = False
    usual: str = ""
    offers: tuple[str, ...] = ()


def as_understood(typed: str, field: Field, reader: Reader) -> Understood:
    """Return what a figure means that is being typed, and what else it may have been meant to be."""
    if not typed.strip():
        return Understood(f"bare number: {bare_unit_of(field, reader).symbol}")
    if ";" in typed:
        return _readings_understood(typed, field, reader)
    try:
        written = with_unit(typed, field.kind, reader, small=is_small(field), sided=is_sided(field))
        spoken = read_typed(written, field.kind)
    except QuantityError as error:
        return Understood(told_error(error), faulty=True)
    offers = meant_instead(field, spoken.number, spoken.unit or BASE[field.kind])
    usual = usual_words(field, reader) if offers else ""
    try:
        quantity = read_field(written, field)
    except QuantityError as error:
        return Understood(told_error(error), faulty=True, usual=usual, offers=offers)
    if not is_usual(field, quantity.value):
        usual = usual_words(field, reader)
    beside = reader.beside(quantity)
    says = f"{reader.quantity(quantity)}{f' = {beside}' if beside else ''}"
    return Understood(says, usual=usual, offers=offers)


def _readings_understood(typed: str, field: Field, reader: Reader) -> Understood:
    """What several readings of one figure come to."""
    try:
        quantity = read_field(figure_of({"readings": typed}, field, reader), field)
    except QuantityError as error:
        return Understood(told_error(error), faulty=True)
    usual = "" if is_usual(field, quantity.value) else usual_words(field, reader)
    beside = reader.beside(quantity)
    mean = f"{reader.quantity(quantity)}{f' = {beside}' if beside else ''}"
    return Understood(f"{len(quantity.readings)} readings, mean {mean}", usual=usual)


def _object(
    texts: Mapping[str, str], readings: list[str], basis: str, field: Field, bare: Unit
) -> dict[str, Any]:
    """All in the unit of the value; a part typed in another unit keeps its own."""
    first = texts["value"] or readings[0]
    unit = read_typed(first, field.kind).unit or bare
    figure: dict[str, Any] = {}
    if texts["value"]:
        figure["value"] = _plain(read_typed(texts["value"], field.kind).number)
        if not re.fullmatch(r"[\d.,]+\s*\D*", texts["value"]):
            figure["x-typed"] = texts["value"]
    figure["unit"] = unit.symbol
    if basis:
        figure["basis"] = basis
    for name in ("plus_minus", "u", "resolution", "gauge_u"):
        if texts[name]:
            figure[name] = _in(texts[name].lstrip("±").strip(), field, unit)
    if readings:
        figure["readings"] = [_in(reading, field, unit) for reading in readings]
    return figure


def _in(text: str, field: Field, unit: Unit) -> Any:
    typed = read_typed(text, field.kind)
    if typed.unit is None or typed.unit is unit:
        return _plain(typed.number)
    return text


def _plain(number: float) -> float | int:
    return int(number) if number == int(number) and abs(number) < 1e9 else number


def _split(text: str) -> list[str]:
    """Readings one a line, or parted by semicolons; commas are decimal marks."""
    return [part.strip() for part in re.split(r"[;\n]+", text) if part.strip()]


def form_of(quantity: Quantity | None, basis: str = "") -> dict[str, str]:
    """Return the form's texts for a figure as it stands.

    Parameters
    ----------
    quantity : Quantity or None
        The figure; None where none stands yet.
    basis : str
        Offered where none stands yet.
    """
    form = dict.fromkeys([*TEXTS, "basis", "each"], "")
    if quantity is None:
        return form | {"basis": basis}
    raw = quantity.as_typed
    symbol = quantity.unit.symbol
    if not isinstance(raw, dict):
        form["value"] = raw if isinstance(raw, str) else f"{raw} {symbol}"
        return form
    if "value" in raw:
        form["value"] = raw.get("x-typed") or (
            raw["value"] if isinstance(raw["value"], str) else f"{raw['value']} {symbol}"
        )
    # Each part shows its unit: a value typed anew in another unit must not drag them along.
    for name in ("plus_minus", "u", "resolution", "gauge_u"):
        if raw.get(name) is not None:
            form[name] = _with_unit(raw[name], symbol)
    form["readings"] = "\n".join(_with_unit(r, symbol) for r in raw.get("readings") or ())
    form["basis"] = raw.get("basis") or ""
    form["each"] = "yes" if raw.get("each") else ""
    return form


def _with_unit(part: Any, symbol: str) -> str:
    return part if isinstance(part, str) else f"{part} {symbol}"


def doubt_words(quantity: Quantity, reader: Reader) -> str:
    """Return a figure's doubt in a few words."""
    u = quantity.u
    if quantity.kind is Kind.LENGTH:
        size = reader.band(u)
    else:
        size = f"{from_base(u, BASE[quantity.kind]):.2g} {BASE[quantity.kind].symbol}"
    return {
        "stated": f"u {size}",
        "tolerance": f"u {size} from its tolerance",
        "readings": f"u {size} from {len(quantity.readings)} reading{'' if len(quantity.readings) == 1 else 's'}",
        "house": f"u {size}, house default",
        "none": "none stated",
    }[quantity.doubt]
