"""A new build from blank: its layout, and nothing else that must be given.

Each figure is given where it is read: on the section, its chain of lengths and the loupe.
"""

from __future__ import annotations

from zygometra.core.build.document import Document
from zygometra.core.build.model import LAYOUTS, MOST_CYLINDERS

from ..forms.form import Form
from ..forms.read import choice, name, text, whole

# What most who start are about to build.
USUAL_HOLES = "4"


def read_new(form: Form) -> Document | None:
    """Read the form of a new build.

    Parameters
    ----------
    form : Form
        As typed; takes the faults.

    Returns
    -------
    dict or None
        A document without any figure; None where a field is at fault.
    """
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
    unnamed = f"{family or 'New'} {'single' if holes == 1 else f'{layout} {holes}'}"
    called = form.take("name", name(form["name"] or unnamed, "", example="Pilot launch 2.3"))
    if form.faults or called is None or layout is None or holes is None or angle is None:
        return None
    return _document(called, family or "", layout=layout, holes=holes, angle=angle)


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
