"""Parts that a plan may fit: those that a build lists, and those that the shelf offers."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any, NamedTuple

from zygometra.core.build.document import Document, leaf_at, with_leaf
from zygometra.core.build.means import PART_KINDS
from zygometra.core.build.model import Build
from zygometra.core.digits import figure
from zygometra.core.mix.for_build import Offer, offers_for
from zygometra.core.mix.parts import Part
from zygometra.store import shelf as store

from ..build.bench import Bench
from ..db import db
from ..forms.form import FormSlot
from .levers import names_of, number_of

# Of a large shelf so many are shown: the rest by what is asked for.
MOST_SHOWN = 60
_COLUMNS = {"price": "price", "days": "days", "needs": "needs"}


class ListedPart(NamedTuple):
    """A part that the build lists: what it is, its price and days, and whether it goes."""

    at: int
    kind: str
    name: str
    slots: tuple[FormSlot, ...]


class Offered(NamedTuple):
    """A part of the shelf that may be listed."""

    key: str
    kind: str
    name: str
    figures: str
    pieces: str
    price: str
    unchecked: str
    taken: bool


def form_of(document: Mapping[str, Any]) -> dict[str, str]:
    """Return the form of a document: text by field.

    Parameters
    ----------
    document : Mapping
        A build document.
    """
    form = {}
    for i, one in enumerate((document.get("levers") or {}).get("parts") or ()):
        for name in ("price", "days"):
            form[f"parts[{i}].{name}"] = "" if one.get(name) is None else f"{one[name]:g}"
        form[f"parts[{i}].needs"] = ", ".join(one.get("needs") or ())
    return form


def view(bench: Bench, form: Mapping[str, str], faults: Mapping[str, str]) -> dict[str, Any]:
    """Return what the page of the parts shows.

    Parameters
    ----------
    bench : Bench
        The build.
    form, faults : Mapping
        Texts and sentences by field.
    """
    listed = []
    for i, one in enumerate((bench.document.get("levers") or {}).get("parts") or ()):
        name = one["part"].get("name") or "another"
        slots = tuple(
            FormSlot(
                f"parts[{i}].{key}",
                f"{name}, {says}",
                form.get(f"parts[{i}].{key}", ""),
                faults.get(f"levers.parts[{i}].{key}", ""),
            )
            for key, says in _COLUMNS.items()
        )
        listed.append(ListedPart(i, one["kind"], name, slots))
    offers = offered(bench)
    known = {one["part"].get("x-part") for one in (bench.document.get("levers") or {}).get("parts") or ()}
    fresh = [offer for offer in offers if offer.part.code not in known]
    taken = {name for name in form if name.startswith("take.")}
    return {
        "listed": listed,
        "offered": [_offered(offer, bench, taken) for offer in fresh[:MOST_SHOWN]],
        "more": max(len(fresh) - MOST_SHOWN, 0),
        "other_faults": [says for name, says in faults.items() if name.removeprefix("levers.") not in form],
        "set_ups": ", ".join((bench.document.get("levers") or {}).get("set_ups") or ()),
    }


def with_pushrods_of_the_shelf(build: Build) -> Build:
    """Return a build whose valve gear knows the pushrods that the shelf holds or may get, beside its own.

    Parameters
    ----------
    build : Build
        As it is planned.
    """
    if build.gear.kind != "pushrod":
        return build
    lengths = {
        quantity.value
        for part in store.all_of(db(), ("pushrod",))
        if part.state != "fitted" and (quantity := part.quantity("length")) is not None
    }
    known = tuple(sorted({*build.gear.pushrods, *lengths}))
    return replace(build, gear=build.gear.with_(pushrods=known))


def offered(bench: Bench) -> list[Offer]:
    """Return the parts of the shelf that may go where the build's own are.

    Parameters
    ----------
    bench : Bench
        The build.
    """
    codes = {
        kind: code
        for kind in PART_KINDS
        if isinstance(code := leaf_at(bench.document, ("parts", kind, "x-part")), str)
    }
    fitted = store.parts_by_code(db(), codes.items())
    shelf = store.all_of(db(), PART_KINDS)
    return offers_for(bench.build, shelf, {kind: part for (kind, _), part in fitted.items()})


def _offered(offer: Offer, bench: Bench, taken: set[str]) -> Offered:
    part, key = offer.part, f"take.{offer.part.kind}.{offer.part.code}"
    price = "not stated" if part.price is None else figure(offer.entry["price"], 2)
    days = f", {part.lead_days} days" if "days" in offer.entry else ""
    return Offered(
        key=key,
        kind=part.kind,
        name=f"{part.name} {part.code}".strip(),
        figures=_figures(part, bench),
        pieces=f"{min(offer.in_hand, offer.wanted)} of {offer.wanted} in hand{days}",
        price=price,
        unchecked=", ".join(offer.unchecked),
        taken=key in taken,
    )


def _figures(part: Part, bench: Bench) -> str:
    """What decides, in the reader's units."""
    said = []
    for name, word in (
        ("compression_height", "compression height"),
        ("crown_volume", "crown"),
        ("length", "length"),
        ("stroke", "stroke"),
        ("chamber_volume", "chamber"),
    ):
        if (quantity := part.quantity(name)) is not None:
            said.append(f"{word} {bench.reader.quantity(quantity)}")
    return ", ".join(said)


def document_of(bench: Bench, form: Mapping[str, str]) -> Document:
    """Return the document with the parts as the form has them; a text that is no number stays one, for the check.

    Parameters
    ----------
    bench : Bench
        The build.
    form : Mapping
        As it was sent.
    """
    before = form_of(bench.document)
    parts = []
    for i, one in enumerate((bench.document.get("levers") or {}).get("parts") or ()):
        if form.get(f"off.{i}"):
            continue
        entry = dict(one)
        for name in _COLUMNS:
            path = f"parts[{i}].{name}"
            text = form.get(path, before[path]).strip()
            if text != before[path]:
                value: Any = names_of(text) if name == "needs" else number_of(text)
                entry.pop(name, None) if value is None else entry.update({name: value})
        parts.append(entry)
    wanted = {name for name in form if name.startswith("take.")}
    if wanted:
        parts += [
            offer.entry for offer in offered(bench) if f"take.{offer.part.kind}.{offer.part.code}" in wanted
        ]
    return with_leaf(dict(bench.document), ("levers", "parts"), parts or None)
