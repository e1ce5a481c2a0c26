"""A new build from blank: the few figures without which nothing can be said of an engine."""

from __future__ import annotations

from typing import Any

from zygometra.core.build.document import Document, with_leaf
from zygometra.core.build.model import LAYOUTS, MOST_CYLINDERS
from zygometra.core.errors import BuildFaults, QuantityError
from zygometra.core.fields import FIELD, FIELDS, Field
from zygometra.core.place import Place
from zygometra.exchange.build_file import check

from ..forms.figure import figure_of
from ..forms.form import Form
from ..forms.read import choice, name, text, whole

ASKED: tuple[Field, ...] = (
    *(f for f in FIELDS if f.required),
    FIELD["head.opening_area"],
    FIELD["engine.bore_pitch"],
)
EXAMPLES = {
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
}


def read_new(form: Form) -> Document | None:
    """Read the form of a new build.

    Parameters
    ----------
    form : Form
        As typed; takes the faults.

    Returns
    -------
    dict or None
        A checked document; None where a field is at fault.
    """
    called = form.take("name", name(form["name"], "", example="Pilot launch 2.3"))
    layout = form.take("layout", choice(form["layout"], LAYOUTS, what="layout"))
    wanted = f"a number of cylinders, 1 to {MOST_CYLINDERS}"
    holes = form.take("holes", whole(form["holes"], wanted, low=1, high=MOST_CYLINDERS, required=True))
    angle: int | None = 0
    if layout == "vee":
        wanted = "the angle between the banks in degrees, such as 90"
        angle = form.take("angle", whole(form["angle"], wanted, low=1, high=180, required=True))
    if holes and layout in ("vee", "flat") and holes % 2:
        form.refuse("holes", str(holes), f"an even number for a {layout} engine, such as 8")
    family = form.take("family", text(form["family"]))
    figures = {item: _figure(form, item) for item in ASKED}
    if form.faults or called is None or layout is None or holes is None or angle is None:
        return None
    document = _document(called, family or "", layout, holes, angle)
    for item, figure in figures.items():
        if figure is not None:
            document = with_leaf(document, Place.engine(item.path).keys, figure)
    try:
        check(document)
    except BuildFaults as error:
        form.refuse_all(error)
        return None
    return document


def _figure(form: Form, item: Field) -> Any:
    typed = form[item.path]
    if not typed:
        if item.required:
            form.refuse(item.path, "nothing", f"the {item.label}, such as {EXAMPLES[item.path]}")
        return None
    try:
        return figure_of({"value": typed, "basis": form["basis"]}, item, form.reader)
    except QuantityError as error:
        form.faults[item.path] = str(error)
        return None


def _document(called: str, family: str, layout: str, holes: int, angle: int) -> Document:
    numbers = list(range(1, holes + 1))
    banks = [{"name": "A", "cylinders": numbers}]
    if layout != "inline":
        banks = [{"name": "left", "cylinders": numbers[::2]}, {"name": "right", "cylinders": numbers[1::2]}]
    engine: Document = {
        "layout": layout,
        "bank_angle": {"inline": 0, "flat": 180}.get(layout, angle),
        "banks": banks,
    }
    if family:
        engine["family"] = family
    return {
        "format": "zygometra.build",
        "version": 1,
        "name": called,
        "school": "paper-first",
        "engine": engine,
        "parts": {"rod": {"material": "steel"}},
    }
