"""The dimensions that a page asks for, by the names under which its fields ask what was understood."""

from __future__ import annotations

from zygometra.core.build.lever_table import LEVERS
from zygometra.core.errors import QuantityError
from zygometra.core.fields import FIELD, Field, field_at
from zygometra.core.mix.parts import KIND
from zygometra.core.units import Kind

# What has a field of its own on a page, and no place among a build's figures.
_ASKED: dict[str, Field] = {
    field.part + "." + field.name: field
    for field in (
        *(
            Field("lever", x.key, x.key, x.label, kind=x.kind, low=0, high=x.most)
            for x in LEVERS
            if x.has_amount
        ),
        Field("aim", "quench", "q", "quench", kind=Kind.LENGTH, low=-50, high=50, doubt="target"),
        Field(
            "aim", "deck_clearance", "c", "deck clearance", kind=Kind.LENGTH, low=-50, high=50, doubt="target"
        ),
    )
} | {"lever.gasket": FIELD["gasket.thickness"]}


def shelf_name(kind: str, field: Field) -> str:
    """Return the name under which a figure of a kind of part on the shelf is asked for."""
    return f"shelf.{kind}.{field.name}"


def field_named(name: str) -> Field | None:
    """Return the dimension of a name; None where there is none.

    Parameters
    ----------
    name : str
        ``lever.deck_cut``, ``aim.quench``, ``shelf.piston.pin_bore``, or the place of a
        figure in a build, such as ``parts.block.bore``.
    """
    if name in _ASKED:
        return _ASKED[name]
    if name.startswith("shelf."):
        of, _, dimension = name.removeprefix("shelf.").partition(".")
        return KIND[of].dimension(dimension) if of in KIND else None
    try:
        return field_at(name)
    except (KeyError, ValueError, QuantityError):
        return None
