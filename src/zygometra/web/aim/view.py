"""The aim as its page shows it."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, NamedTuple

from zygometra.core.build.lever_table import AMOUNTS
from zygometra.core.build.model import ROD_MATERIALS
from zygometra.core.fuel import HEADS, SCALES
from zygometra.core.house_rules import SCHOOLS
from zygometra.core.windows import WINDOW_SOURCES
from zygometra.core.wording import Reader

from ..build.bench import Bench
from ..forms.form import FormSlot
from ..forms.form import slot as slot_of
from .form import EDGES, GASKET, MOST_GASKETS, SOURCES, STATED, dimension_of, gasket_slot

_DOUBT = [("house", "takes the house default"), ("zero", "counts as exact (for checking arithmetic)")]
_SOURCE_WORDS = {
    "maker": "part maker",
    "book": "the engine's book",
    "house": "house",
    "customer": "customer",
    "hearsay": "hearsay",
}
# Empty rows under the gaskets that are there.
_SPARE_ROWS = 2


class AimRow(NamedTuple):
    """A few fields of one thing."""

    label: str
    slots: tuple[FormSlot, ...]


# long: what one page shows, field by field
def view(bench: Bench, form: Mapping[str, str], faults: Mapping[str, str]) -> dict[str, Any]:
    """Return what the page of the aim shows.

    Parameters
    ----------
    bench : Bench
        The build.
    form, faults : Mapping
        Texts and sentences by field.

    Returns
    -------
    dict
        For the template.
    """

    def slot(name: str, label: str, hint: str = "") -> FormSlot:
        return slot_of(form, faults, name=name, label=label, hint=hint, of=dimension_of(name))

    reader = bench.reader
    windows = [
        AimRow(label, tuple(slot(f"{result}.{edge}", f"{label}, {edge}") for edge in EDGES))
        for result, label in _results(reader)
    ]
    sources = [
        AimRow(label, tuple(slot(f"{result}.{key}", f"{label}, {key.replace('_', ' ')}") for key in SOURCES))
        for result, label in _results(reader)
    ]
    gaskets = [
        AimRow(
            str(row + 1),
            tuple(slot(gasket_slot(row, key), f"Gasket {row + 1}, {key}") for key in GASKET),
        )
        for row in range(_rows(form))
    ]
    shown = {s.name for row in (*windows, *sources, *gaskets) for s in row.slots} | set(form)
    return {
        "names": [
            slot("name", "Name"),
            slot("customer", "Customer"),
            slot("family", "Engine family"),
            slot("duty", "Duty", "such as harbour duty, towing"),
        ],
        **_choices(form, reader),
        "windows": [(row, source.slots) for row, source in zip(windows, sources, strict=True)],
        "source_choices": [("", "not said"), *((name, _SOURCE_WORDS[name]) for name in WINDOW_SOURCES)],
        "spread": slot(
            "ratio_spread", "Largest difference between holes", "of ratio; house rule where empty"
        ),
        "octane": slot(
            "octane", "Octane of the fuel", "advice only; the shop's table is among its house rules"
        ),
        "stated": slot(STATED, "Ratio as stated", "by maker or customer; compared, never used"),
        "limits": [slot(f"limit.{lever.key}", lever.label.capitalize()) for lever in AMOUNTS],
        "gaskets": gaskets,
        "gasket_per_bank": bool(form.get("gasket_per_bank")),
        # A fault that no field of the page is to blame for is said at its foot.
        "other_faults": [f"{name}: {says}" for name, says in faults.items() if name not in shown],
    }


def _choices(form: Mapping[str, str], reader: Reader) -> dict[str, Any]:
    """What is chosen rather than typed."""
    return {
        "school": form.get("school", ""),
        "school_choices": _schools(form.get("school", "")),
        "material": form.get("material", ""),
        "material_choices": [(name, name) for name in ROD_MATERIALS],
        "material_hint": f"decides the house floor for {reader.quench}",
        "head_material": form.get("head_material", ""),
        "head_choices": [("", "not said"), *((name, name) for name in HEADS)],
        "scale": form.get("scale", ""),
        "scale_hint": "RON and AKI are four to five apart",
        "scale_choices": [("", "not said"), *((name, name) for name in SCALES)],
        "doubt": form.get("unstated_doubt", ""),
        "doubt_choices": _DOUBT,
    }


def _results(reader: Reader) -> list[tuple[str, str]]:
    return [
        ("compression_ratio", "Compression ratio"),
        ("quench", reader.quench.capitalize()),
        ("deck_clearance", f"{reader.deck.capitalize()} clearance"),
    ]


def _rows(form: Mapping[str, str]) -> int:
    filled = [
        row
        for row in range(MOST_GASKETS)
        if form.get(gasket_slot(row, "name")) or form.get(gasket_slot(row, "thickness"))
    ]
    return min(MOST_GASKETS, (max(filled) + 1 if filled else 0) + _SPARE_ROWS)


def _schools(present: str) -> list[tuple[str, str]]:
    """The schools to choose from; one that only the file knows stays choosable."""
    known = [("", "the shop's own rules"), *((s.key, f"{s.label}: {s.why}") for s in SCHOOLS)]
    return known if present in [key for key, _ in known] else [*known, (present, present)]
