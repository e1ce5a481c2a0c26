"""The form of a gauge, its checks and its mishaps."""

from __future__ import annotations

import re
from typing import Any

from zygometra.core.errors import QuantityError, shown
from zygometra.core.measuring.logbook import GAUGE_FIGURES, Gauge, gauge_figure, gauge_off
from zygometra.core.records import Wrong
from zygometra.core.typed import check_text
from zygometra.core.units import Kind

from ..forms.form import Form
from ..forms.read import attempt, with_unit
from ..people import reader

_NAME = re.compile(r"[A-Za-z0-9][A-Za-z0-9 _.-]{0,39}")
MATERIALS = ("steel", "carbide", "invar", "aluminium", "granite")
KINDS = (
    "depth indicator",
    "bore gauge",
    "micrometer",
    "calliper",
    "height gauge",
    "transfer gauge",
    "burette",
    "shot syringe",
    "touch probe",
    "ultrasonic wall gauge",
    "feeler",
    "scale",
    "other",
)


def gauge_of(form: Form) -> tuple[str, dict[str, Any]] | None:
    """Return the gauge that a form describes, as a file has it; None where a field is at fault.

    Parameters
    ----------
    form : Form
        As typed; takes the faults.
    """
    name = form.take("name", attempt(form["name"], _name, wanted="a name such as depth-2"))
    entry: dict[str, Any] = {}
    if kind := form.take(
        "kind", attempt(form["kind"], lambda text: check_text(text, "a kind of gauge", most=80))
    ):
        entry["kind"] = kind
    for key in GAUGE_FIGURES:
        figure = form.take(key, attempt(form[key], _figure))
        if figure is not None:
            entry[key] = figure
    if form["read_with"]:
        entry["read_with"] = form.take("read_with", attempt(form["read_with"], _name))
    if form["material"] in MATERIALS:
        entry["material"] = form["material"]
    if form["compensated"]:
        entry["compensated"] = True
    if not form.faults:
        try:
            Gauge.read(entry, id=name or "")
        except Wrong as error:
            fault = next(error.at(""))
            form.refuse("u", fault.found, fault.wanted)
    return None if form.faults or name is None else (name, entry)


def _name(text: str) -> str:
    if not _NAME.fullmatch(text):
        raise QuantityError(
            shown(text), "a name of 1 to 40 letters, digits, spaces and _ . -, such as depth-2"
        )
    return text


def _figure(text: str) -> str:
    value, kind = gauge_figure(text)
    if kind is None:
        raise QuantityError(f"{text} without a unit", f"{text} mm, {text} thou or {text} cc")
    if value < 0:
        raise QuantityError(text, "nought or more")
    return text


def with_off(gauge: Gauge, typed: str) -> str:
    """Return by how much a gauge showed more than its master, with its unit; raises QuantityError where it is none."""
    written = with_unit(typed, gauge.measures or Kind.LENGTH, reader())
    gauge_off(written, gauge.measures)
    return written
