"""A part between what a person types and what the shelf keeps."""

from __future__ import annotations

from typing import Any

from zygometra.core.errors import QuantityError, shown
from zygometra.core.fields import Field
from zygometra.core.mix.parts import KIND, MOST_PIECES, STATES, Part, check_code, read_dimension
from zygometra.core.typed import MOST_WORD, whole_number
from zygometra.core.units import Kind
from zygometra.core.usual_figures import BASES
from zygometra.exchange.shelf_csv import read_price

from ..forms.figure import figure_of
from ..forms.figure import form_of as figure_form
from ..forms.form import Form
from ..forms.read import attempt, choice, text, whole
from ..people import told_error

_WHOLE = "a whole number, such as 4"
# Of a dimension: its figure, its basis, its tolerance.
FIGURE, BASIS, TOLERANCE, WORD = "d", "b", "p", "t"


def slot(of: str, name: str) -> str:
    """Return the name of a field: of a dimension's figure, basis or tolerance, or of a word."""
    return f"{of}-{name}"


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
    out |= {slot(WORD, name): word for name, word in part.texts.items()}
    for name in part.figures:
        texts = figure_form(part.quantity(name))
        out[slot(FIGURE, name)] = texts["value"] or texts["readings"].replace("\n", "; ")
        out[slot(BASIS, name)], out[slot(TOLERANCE, name)] = texts["basis"], texts["plus_minus"]
    return out


def read_part(form: Form, kind: str, before: Part | None) -> Part | None:
    """Read a part's form.

    Parameters
    ----------
    form : Form
        As typed; takes the faults.
    kind : str
        The kind's key.
    before : Part or None
        The part as it is kept: a figure left as it stands is kept to the letter.

    Returns
    -------
    Part or None
        None where a field is at fault.
    """
    code = before.code if before else form.take("code", attempt(form["code"], check_code, wanted=_CODE))
    state = form.take("state", choice(form["state"] or "idea", STATES))
    price = form.take("price", attempt(form["price"], read_price))
    on_shelf = form.take("on_shelf", whole(form["on_shelf"], _WHOLE, high=MOST_PIECES))
    lead = form.take("lead_days", whole(form["lead_days"], _WHOLE, high=MOST_PIECES))
    called = form.take("name", text(form["name"]))
    supplier = form.take("supplier", text(form["supplier"]))
    figures = _figures(form, kind, before)
    words = {
        t.name: form.take(slot(WORD, t.name), text(form[slot(WORD, t.name)], most=MOST_WORD))
        for t in KIND[kind].texts
    }
    if form.faults or code is None or state is None:
        return None
    texts = {name: word for name, word in words.items() if word}
    return Part(
        kind=kind,
        code=code,
        name=called or "",
        figures=figures,
        texts=texts,
        supplier=supplier or "",
        price=price,
        state=state,
        on_shelf=on_shelf or 0,
        lead_days=lead,
    )


_CODE = "letters, digits, point and dash, up to 40, such as CR-104"


def _figures(form: Form, kind: str, before: Part | None) -> dict[str, Any]:
    """The figures that were typed; one whose texts were not touched stays to the letter."""
    shown_before = form_of(before) if before else {}
    figures: dict[str, Any] = {}
    for dimension in KIND[kind].dimensions:
        name = dimension.name
        slots = [slot(of, name) for of in (FIGURE, BASIS, TOLERANCE)]
        if not form[slots[0]]:
            continue
        if before and all(form[s] == shown_before.get(s, "") for s in slots):
            figures[name] = before.figures[name]
            continue
        try:
            figures[name] = _figure(form, dimension)
            read_dimension(kind, name, figures[name])
        except QuantityError as error:
            form.faults[slots[0]] = told_error(error)
    return figures


def _figure(form: Form, dimension: Field) -> Any:
    typed = form[slot(FIGURE, dimension.name)]
    if dimension.kind is Kind.COUNT:
        return whole_number(typed, _WHOLE)
    basis = form[slot(BASIS, dimension.name)]
    if basis not in ("", *BASES):
        raise QuantityError(f"the basis {shown(basis)}", "one of " + ", ".join(BASES))
    texts = {
        "basis": basis,
        "plus_minus": form[slot(TOLERANCE, dimension.name)],
        "readings" if ";" in typed else "value": typed,
    }
    return figure_of(texts, dimension, form.reader)
