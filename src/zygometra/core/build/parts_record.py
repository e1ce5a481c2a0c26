"""The parts of a build as a file has them: tables of their dimensions, gaskets, parts to fit."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any, get_args

from ..fields import BANK_NAMES, CYLINDER_NAMES, FIELD, FIELDS
from ..fuel import HEADS
from ..quantity import Quantity
from ..records import DimensionTable, ListOf, Nested, Record
from ..slots import NAME, Dimension, Figure, OneOf, Real, Slot
from ..units import Kind
from .means import MOST_DAYS, MOST_MONEY, FittedPart, PartKind
from .model import ROD_MATERIALS, Gasket


class StepFill(Record, frozen=True, kw_only=True, eq=False):
    """One fill in steps: the volume left below a depth under the face."""

    depth: Annotated[Quantity, Figure(Kind.LENGTH, "target", 0, 100)]
    below: Annotated[Quantity, Dimension(FIELD["head.chamber_volume"])]


def dimensions(part: str) -> dict[str, Slot]:
    """Return the slots of a part's dimensions, by name.

    Parameters
    ----------
    part : str
        As :mod:`zygometra.core.fields` calls it.
    """
    return {field.name: Dimension(field) for field in FIELDS if field.part == part}


_GASKET = {**dimensions("gasket"), "name": NAME}
GASKET = DimensionTable("GasketShape", _GASKET, null=False)
GASKET_CHOICE = DimensionTable(
    "GasketChoiceShape", {**_GASKET, "price": Real(0, MOST_MONEY), "days": Real(0, MOST_DAYS)}
)
CAM = DimensionTable("Cam", dimensions("cam"), null=False)
STATED = dimensions("stated")
# The parts that hold for the whole engine.
PARTS = DimensionTable(
    "PartsShape",
    {
        "block": DimensionTable(
            "Block",
            {**dimensions("block"), "edge_chamfer": DimensionTable("EdgeChamfer", dimensions("bore edge"))},
            null=False,
        ),
        "crank": DimensionTable("Crank", dimensions("crank"), null=False),
        "rod": DimensionTable(
            "Rod", {**dimensions("rod"), "material": OneOf(*ROD_MATERIALS, null=False)}, null=False
        ),
        "piston": DimensionTable("Piston", dimensions("piston"), null=False),
        "gasket": GASKET,
        "head": DimensionTable(
            "Head",
            {
                **dimensions("head"),
                "step_fills": ListOf(Nested(StepFill), 50, 2),
                "material": OneOf(*HEADS),
            },
            null=False,
        ),
    },
)
# What was measured on, or fitted to, one bank, and in one hole.
BANK_FIGURES = DimensionTable(
    "BankFigures", {"deck_height": Dimension(BANK_NAMES["deck_height"]), "gasket": GASKET}
)
HOLE_FIGURES = DimensionTable(
    "CylinderFigures", {name: Dimension(field) for name, field in CYLINDER_NAMES.items()}
)
# The parts that may be fitted in place of what is there.
FITTED: dict[PartKind, DimensionTable] = {
    kind: DimensionTable(
        f"Fitted{kind}",
        {
            **dimensions(kind),
            "name": NAME,
            **({"material": OneOf(*ROD_MATERIALS)} if kind == "rod" else {}),
        },
    )
    for kind in get_args(PartKind)
}


def gasket_of(values: Mapping[str, Any]) -> Gasket:
    """Return the gasket of an operation or of the shelf.

    Parameters
    ----------
    values : Mapping
        As :data:`GASKET` or :data:`GASKET_CHOICE` reads it.
    """
    figures = {name: values.get(name) for name in ("thickness", "bore", "opening_area", "volume")}
    price, days = (float(values.get(key) or 0) for key in ("price", "days"))
    return Gasket(name=values.get("name") or "", **figures, price=price, days=days)


def fitted_part(kind: PartKind, raw: Any, unstated: Any) -> FittedPart:
    """Return a part to fit.

    Parameters
    ----------
    kind : str
        What it is.
    raw : object
        What should be its name and figures, as ``parts`` of a document has them.
    unstated : {"house", "zero"}
        What unstated doubt becomes.

    Raises
    ------
    QuantityError, Wrong
        If it is no such part.
    """
    values = FITTED[kind].read(raw, unstated)
    figures = {name: value for name, value in values.items() if isinstance(value, Quantity)}
    return FittedPart(kind, values.get("name") or "", figures, dict(raw))
