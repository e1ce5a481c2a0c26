"""Routes of the aim: what the build is for, its windows, its limits, the gaskets to be had."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from flask import Blueprint, make_response, redirect, render_template, request, url_for
from werkzeug.wrappers import Response as BaseResponse

from zygometra.core.build.document import differences, with_leaf
from zygometra.core.build.lever_table import AMOUNTS
from zygometra.core.build.model import ROD_MATERIALS
from zygometra.core.errors import BuildFaults, QuantityError, shown
from zygometra.core.house_rules import SCHOOLS
from zygometra.core.units import Kind, read_typed
from zygometra.core.wording import Reader
from zygometra.exchange.build_file import check
from zygometra.store import builds

from .. import bench as benches
from ..db import db
from ..people import person
from ..saving import conflict

aim = Blueprint("aim", __name__, template_folder="templates")

EDGES = ("min", "aim", "max")
GAPS = ("quench", "deck_clearance")
MOST_GASKETS = 12


def _text(value: Any) -> str:
    if value is None:
        return ""
    if isinstance(value, dict):
        if "value" not in value:
            return ""
        return f"{value['value']} {value.get('unit', 'mm')}"
    return str(value)


def _form_of(document: dict[str, Any]) -> dict[str, str]:
    """The form's texts for a build as it stands."""
    form = {
        "name": document["name"],
        "customer": document.get("customer") or "",
        "duty": document.get("duty") or "",
        "family": document["engine"].get("family") or "",
        "school": document.get("school") or "",
        "unstated_doubt": document.get("unstated_doubt", "house"),
        "material": (document["parts"].get("rod") or {}).get("material", "steel"),
    }
    targets, levers = document.get("targets") or {}, document.get("levers") or {}
    for result in ("compression_ratio", *GAPS):
        for edge in EDGES:
            form[f"{result}.{edge}"] = _text((targets.get(result) or {}).get(edge))
    form["ratio_spread"] = _text(targets.get("ratio_spread"))
    for lever in AMOUNTS:
        form[f"limit.{lever.key}"] = _text((levers.get(lever.key) or {}).get("max"))
    for i, gasket in enumerate(levers.get("gaskets") or ()):
        for key in ("name", "thickness", "bore"):
            form[f"gasket.{i}.{key}"] = _text(gasket.get(key))
    form["gasket_per_bank"] = "yes" if levers.get("gasket_per_bank") else ""
    return form


@aim.get("/builds/<int:build_id>/aim")
def page(build_id: int) -> str:
    """Show what is wanted of a build."""
    bench = benches.open_bench(build_id)
    return _page(bench, _form_of(bench.document), {})


def _page(bench: benches.Bench, form: Mapping[str, str], faults: dict[str, str]) -> str:
    gaskets = [
        i for i in range(MOST_GASKETS) if form.get(f"gasket.{i}.name") or form.get(f"gasket.{i}.thickness")
    ]
    state = bench.evaluation.planned if bench.evaluation else None
    return render_template(
        "aim/page.html",
        bench=bench,
        build=bench.build,
        document=bench.document,
        station="aim",
        path=benches.path_of(bench),
        reckonings=benches.reckon(bench),
        hole=bench.build.cylinders[0],
        form=form,
        faults=faults,
        school_choices=_schools(form.get("school", "")),
        materials=ROD_MATERIALS,
        rows=range(min(MOST_GASKETS, (max(gaskets) + 1 if gaskets else 0) + 2)),
        rest=[],
        differs=[],
        engine=benches.engine_line(bench.build, bench.document, state),
    )


@aim.post("/builds/<int:build_id>/aim")
def save(build_id: int) -> BaseResponse:
    """Save what is wanted."""
    bench = benches.open_bench(build_id)
    form = {key: value.strip() for key, value in request.form.items()}
    document, faults = _document_of(bench.document, form, bench.reader)
    if not faults:
        try:
            check(document)
        except BuildFaults as error:
            faults = {_slot(f.path): f"Found {f.found}; wanted {f.wanted}." for f in error.faults}
    if faults:
        return make_response(_page(bench, form, faults), 422)
    says = "aim: " + ", ".join(
        " ".join(d.path[-2:]).replace("_", " ") for d in differences(bench.document, document)
    )
    try:
        builds.save(
            db(),
            build_id,
            document,
            expected_version=request.form.get("version", 0, int),
            actor=person(),
            says=says,
        )
    except builds.Stale as stale:
        mine = {d.path: d.after for d in differences(bench.document, document)}
        return conflict(stale, mine, says)
    db().commit()
    return redirect(url_for("aim.page", build_id=build_id))


def _slot(path: str) -> str:
    """The form's field for a place in the document."""
    head, _, rest = path.partition(".")
    if head == "targets":
        return rest
    if head == "levers":
        if rest.startswith("gaskets["):
            return "gasket." + rest.removeprefix("gaskets[").replace("]", "")
        return f"limit.{rest.removesuffix('.max')}" if rest.endswith(".max") else rest
    return _RENAMED.get(path, path)


_RENAMED = {"engine.family": "family", "parts.rod.material": "material"}


def _document_of(
    document: dict[str, Any], form: Mapping[str, str], reader: Reader
) -> tuple[dict[str, Any], dict[str, str]]:
    faults: dict[str, str] = {}
    leaves: dict[tuple[str, ...], Any] = {
        ("name",): form.get("name") or "",
        ("customer",): form.get("customer") or None,
        ("duty",): form.get("duty") or None,
        ("engine", "family"): form.get("family") or None,
        ("school",): form.get("school") or None,
        ("unstated_doubt",): form.get("unstated_doubt"),
        ("parts", "rod", "material"): form.get("material"),
    }
    if form.get("unstated_doubt") == "house" and "unstated_doubt" not in document:
        leaves.pop(("unstated_doubt",))
    for edge in EDGES:
        leaves["targets", "compression_ratio", edge] = _number(f"compression_ratio.{edge}", form, faults)
        for gap in GAPS:
            leaves["targets", gap, edge] = _length(f"{gap}.{edge}", form, faults, reader)
    leaves["targets", "ratio_spread"] = _number("ratio_spread", form, faults)
    for lever in AMOUNTS:
        slot = f"limit.{lever.key}"
        leaves["levers", lever.key, "max"] = _length(slot, form, faults, reader, lever.kind)
    leaves["levers", "gaskets"] = _gaskets(document, form, faults, reader)
    leaves["levers", "gasket_per_bank"] = True if form.get("gasket_per_bank") else None
    before = _form_of(document)
    for path, value in leaves.items():
        slot = _slot(".".join(path))
        # A field that was not touched keeps what stands there, to the letter.
        if slot in before and form.get(slot, "") == before[slot]:
            continue
        document = with_leaf(document, path, value)
    return document, faults


def _number(slot: str, form: Mapping[str, str], faults: dict[str, str]) -> float | int | None:
    text = form.get(slot) or ""
    if not text:
        return None
    try:
        number = float(text.replace(",", "."))
    except ValueError:
        faults[slot] = f"Found {shown(text)}; wanted a number such as 9.75."
        return None
    return int(number) if number == int(number) and abs(number) < 1e6 else number


def _length(
    slot: str,
    form: Mapping[str, str],
    faults: dict[str, str],
    reader: Reader,
    kind: Kind = Kind.LENGTH,
) -> str | None:
    text = form.get(slot) or ""
    if not text:
        return None
    try:
        typed = read_typed(text, kind)
    except QuantityError as error:
        faults[slot] = str(error)
        return None
    if typed.unit is not None:
        return text
    unit = "cc" if kind is Kind.VOLUME else "thou" if reader.system == "inch" else "mm"
    return f"{text} {unit}"


def _gaskets(
    document: dict[str, Any], form: Mapping[str, str], faults: dict[str, str], reader: Reader
) -> list[dict[str, Any]] | None:
    """The shelf of gaskets; one whose texts were not touched stays as it stands."""
    before = _form_of(document)
    kept = (document.get("levers") or {}).get("gaskets") or []
    gaskets = []
    for i in range(MOST_GASKETS):
        slots = [f"gasket.{i}.{key}" for key in ("name", "thickness", "bore")]
        texts = [form.get(slot, "") for slot in slots]
        if i < len(kept) and texts == [before.get(slot, "") for slot in slots]:
            gaskets.append(kept[i])
        elif any(texts):
            gasket: dict[str, Any] = {"name": texts[0]} if texts[0] else {}
            for key, slot in zip(("thickness", "bore"), slots[1:], strict=True):
                if (length := _length(slot, form, faults, reader)) is not None:
                    gasket[key] = length
            if "thickness" not in gasket and slots[1] not in faults:
                faults[slots[1]] = "Found nothing; wanted the gasket's compressed thickness, such as 1.2 mm."
            gaskets.append(gasket)
    return gaskets or None


def _schools(present: str) -> list[tuple[str, str]]:
    """The schools to choose from; one that only the file knows stays choosable."""
    known = [("", "the shop's own rules"), *((s.key, f"{s.label}: {s.why}") for s in SCHOOLS)]
    return known if present in [key for key, _ in known] else [*known, (present, present)]
