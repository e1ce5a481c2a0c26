"""The kinds of part on the shelf and the dimensions that decide fit and result.

One table, as for the figures of a build: a column of a file, a field of a page and a
rule of fit call the same dimension by the same name, ``rod.length``.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from ..errors import QuantityError, shown
from ..fields import FIELD, Field
from ..likely import is_usual
from ..quantity import Quantity, Unstated, read_field
from ..units import Kind

STATES = ("idea", "ordered", "received", "measured", "accepted", "fitted")
IN_HAND = ("received", "measured", "accepted")
MAKING = ("crank", "rod", "piston", "gasket", "head")


@dataclass(frozen=True, slots=True)
class Text:
    """A property that is a word: a bolt pattern, a material, a way of balancing."""

    name: str
    label: str
    needed: bool = False
    help: str = ""


@dataclass(frozen=True, slots=True)
class PartKind:
    """A kind of part: its key, what it is called, its dimensions and its words."""

    key: str
    label: str
    plural: str
    dimensions: tuple[Field, ...]
    texts: tuple[Text, ...] = ()

    def dimension(self, name: str) -> Field | None:
        """Return the dimension of a name; None where the kind has none.

        Parameters
        ----------
        name : str
            The name, as files have it.
        """
        return next((d for d in self.dimensions if d.name == name), None)

    def text(self, name: str) -> Text | None:
        """Return the word of a name; None where the kind has none.

        Parameters
        ----------
        name : str
            The name, as files have it.
        """
        return next((t for t in self.texts if t.name == name), None)

    @property
    def needed(self) -> tuple[str, ...]:
        """The dimensions and words without which a part cannot be judged."""
        return tuple(d.name for d in self.dimensions if d.required) + tuple(
            t.name for t in self.texts if t.needed
        )


_LENGTH, _COUNT = Kind.LENGTH, Kind.COUNT


def _length(kind: str, name: str, label: str, low: float, high: float, **more: Any) -> Field:
    return Field(kind, name, name, label, kind=_LENGTH, low=low, high=high, **{"doubt": "fit", **more})


def _mass(kind: str) -> Field:
    return Field(
        kind, "weight", "weight", "weight of one", kind=Kind.MASS, low=1, high=500_000, doubt="exact"
    )


_PATTERN = Text("head_pattern", "head bolt pattern", help="head, gasket and block share it")

KINDS: tuple[PartKind, ...] = (
    PartKind("block", "block", "blocks", (
        FIELD["block.deck_height"], FIELD["block.bore"],
        _length("block", "largest_bore", label="largest bore the walls allow", low=5, high=1500,
                help="from the wall map; a qualified machinist decides", doubt="bore"),
        Field("block", "cylinders", "cylinders", "cylinders", kind=_COUNT, low=1, high=32, required=True,
             doubt="exact"),
        Field("block", "banks", "banks", "banks", kind=_COUNT, low=1, high=4, required=True, doubt="exact"),
        Field("block", "main_bearings", "main bearings", "main bearings", kind=_COUNT, low=2, high=33, doubt="exact"),
        _length("block", "main_diameter", label="main journal its bearings suit", low=5, high=1000),
        _length("block", "thrust_width", label="width at the thrust bearing", low=5, high=500),
        _length("block", "snout_diameter", label="crank snout its front drive suits", low=5, high=500),
        _length("block", "seal_diameter", label="rear seal land its seal suits", low=5, high=1000),
        _length("block", "swing_room", label="room for the counterweights, radius", low=10, high=2000),
        _length("block", "big_end_room", label="room for the big end, radius", low=10, high=2000),
        FIELD["engine.bore_pitch"],
    ), texts=(
        _PATTERN, Text("flange", "flywheel flange"), Text("balance", "balance", help="internal or external"),
        Text("trigger", "trigger wheel"), Text("layout", "layout", help="inline, vee or flat"),
        Text("family", "engine family"),
    )),
    PartKind("crank", "crank", "cranks", (
        FIELD["crank.stroke"],
        _length("crank", "pin_diameter", label="rod journal", low=5, high=1000),
        _length("crank", "pin_width", label="rod journal width, each rod", low=3, high=500),
        _length("crank", "main_diameter", label="main journal", low=5, high=1000),
        _length("crank", "thrust_width", label="width at the thrust bearing", low=5, high=500),
        _length("crank", "snout_diameter", label="snout", low=5, high=500),
        _length("crank", "seal_diameter", label="rear seal land", low=5, high=1000),
        _length("crank", "counterweight_radius", label="counterweight radius", low=10, high=2000),
        _mass("crank"),
    ), texts=(Text("flange", "flywheel flange"), Text("balance", "balance"), Text("trigger", "trigger wheel"))),
    PartKind("rod", "rod", "rods", (
        FIELD["rod.length"],
        _length("rod", "journal_diameter", label="rod journal its bearings suit", low=5, high=1000),
        _length("rod", "big_end_width", label="big end width", low=3, high=500),
        _length("rod", "pin_bore", label="small end bore", low=3, high=500),
        _length("rod", "big_end_radius", label="big end, widest from the centre", low=5, high=500),
        _mass("rod"),
    ), texts=(Text("material", "material", help="steel, titanium or aluminium; sets the quench floor"),
        Text("pin", "pin in the small end", help="pressed or floating"))),
    PartKind("piston", "piston", "pistons", (
        FIELD["piston.compression_height"], FIELD["piston.crown_volume"],
        _length("piston", "bore", label="bore it is made for", low=5, high=1500, doubt="bore"),
        _length("piston", "pin_diameter", label="pin diameter", low=3, high=500),
        _length("piston", "pin_bore", label="pin bore in the bosses", low=3, high=500),
        _length("piston", "dome_height", label="dome over the rim", low=0, high=100),
        _length("piston", "skirt_length", label="skirt below the pin centre", low=3, high=500),
        FIELD["piston.top_land_height"], FIELD["piston.top_land_diameter"], FIELD["piston.dish_area"],
        FIELD["piston.crown_thickness"],
        _mass("piston"),
    ), texts=(Text("crown", "crown type", help="flat, dish, dome"),
        Text("pin", "pins it is made for", help="pressed or floating, which has grooves for retainers"))),
    PartKind("gasket", "gasket", "gaskets", (
        FIELD["gasket.thickness"], FIELD["gasket.bore"], FIELD["gasket.opening_area"],
    ), texts=(_PATTERN, Text("material", "material"))),
    PartKind("head", "head", "heads", (
        FIELD["head.chamber_volume"], FIELD["head.opening_area"],
        _length("head", "dome_room", label="room in the chamber over the face", low=0, high=200,
                help="for a dome, all round the valves shut"),
        _mass("head"),
    ), texts=(_PATTERN, Text("material", "material"))),
    PartKind("bearing", "bearings", "bearings", (
        _length("bearing", "journal", label="journal they suit", low=5, high=1000, required=True),
    ), texts=(Text("place", "place", needed=True, help="rod or main"),)),
    PartKind("ring_set", "ring set", "ring sets", (
        _length("ring_set", "bore", label="bore they are made for", low=5, high=1500, required=True),
    )),
    PartKind("pushrod", "pushrods", "pushrods", (
        _length("pushrod", "length", label="length", low=20, high=1000, required=True),
    ), texts=(Text("head_pattern", "head bolt pattern"),)),
    PartKind("fastener", "fasteners", "fasteners", (
        _length("fastener", "diameter", label="thread", low=3, high=100),
    ), texts=(Text("place", "place", needed=True, help="head, rod or main"),
            Text("head_pattern", "head bolt pattern"))),
)  # fmt: skip

# Kinds that a recipe on paper can do without.
STAND_INS = ("gasket", "head")
KIND: dict[str, PartKind] = {kind.key: kind for kind in KINDS}


@dataclass(frozen=True, slots=True)
class Part:
    """One entry of the shelf: as many alike as ``on_shelf`` says.

    Parameters
    ----------
    kind, code, name : str
        The kind's key, the shop's own number for it (one of a kind), what it is.
    figures : Mapping
        Typed figures by dimension name, as in a build file.
    texts : Mapping
        Words by name.
    supplier : str
        Who sells it.
    price : int or None
        Of one, in hundredths of the shop's money; None where not known.
    state : str
        One of :data:`STATES`.
    on_shelf : int
        How many are in the shop.
    lead_days : int or None
        Days until it can be had.
    """

    kind: str
    code: str
    name: str = ""
    figures: Mapping[str, Any] = field(default_factory=dict)
    texts: Mapping[str, str] = field(default_factory=dict)
    supplier: str = ""
    price: int | None = None
    state: str = "idea"
    on_shelf: int = 0
    lead_days: int | None = None

    @property
    def in_hand(self) -> int:
        """How many of it can be taken from the shelf: what is fitted or only ordered cannot, no unit."""
        return self.on_shelf if self.state in IN_HAND else 0

    def quantity(self, name: str, unstated: Unstated = "house") -> Quantity | None:
        """Return a figure read in base units; None where it is not known.

        Parameters
        ----------
        name : str
            The name, as files have it.
        unstated : {"house", "zero"}
            What unstated doubt becomes.
        """
        raw = self.figures.get(name)
        return None if raw is None else read_dimension(self.kind, name, raw, unstated)


# How many of a part a shop may have, and how long it may take to be had: pieces, days.
MOST_PIECES = 99_999
_CODE = re.compile(r"[A-Za-z0-9][A-Za-z0-9._/-]{0,39}")


def check_code(text: str) -> str:
    """Return a part's code if it may be one.

    Parameters
    ----------
    text : str
        As typed.

    Returns
    -------
    str
        Trimmed.

    Raises
    ------
    QuantityError
        If it holds anything but letters, digits, point, slash and dash, or more than 40.

    Examples
    --------
    >>> check_code(" CR-104 ")
    'CR-104'
    """
    code = text.strip()
    if not _CODE.fullmatch(code):
        raise QuantityError(shown(code), "letters, digits, point and dash, up to 40, such as CR-104")
    return code


def unlikely(part: Part) -> tuple[tuple[Field, Quantity], ...]:
    """Return the figures of a part that lie outside what such a dimension usually is: slips of the pen, likelier.

    Parameters
    ----------
    part : Part
        With figures as typed.
    """
    found = ((d, part.quantity(d.name)) for d in KIND[part.kind].dimensions)
    return tuple((d, q) for d, q in found if q is not None and not is_usual(d, q.value))


def newly_ordered(part: Part, before: Part | None) -> bool:
    """Tell whether a change sets a part on order: it is then that gate 14 is asked.

    Parameters
    ----------
    part : Part
        As it would be.
    before : Part or None
        As it is; None where it is not on the shelf.

    Returns
    -------
    bool
        False for a part that is on order already.
    """
    return part.state == "ordered" and (before is None or before.state != "ordered")


def put_back(part: Part, now: Part | None) -> Part:
    """Return an earlier state of a part as it may come back: an order is not set by that, so it is an idea.

    Parameters
    ----------
    part : Part
        As it was.
    now : Part or None
        As it is; None where it is off the shelf.

    Returns
    -------
    Part
        Otherwise as it was.
    """
    return replace(part, state="idea") if newly_ordered(part, now) else part


def to_the_letter(part: Part, before: Part) -> Part:
    """Return a part with every figure as it stood, to the letter, that says the same as it did.

    A table writes ``148.0 mm`` where a file had a number and a unit apart: that is no other
    figure, and taking a shop's own export in again changes nothing.

    Parameters
    ----------
    part, before : Part
        As it came in, and as it stands.

    Returns
    -------
    Part
        Otherwise as it came in.
    """
    figures = {
        name: before.figures[name] if name in before.figures and _says_the_same(part, before, name) else raw
        for name, raw in part.figures.items()
    }
    return replace(part, figures=figures)


def _says_the_same(part: Part, before: Part, name: str) -> bool:
    """Whether two figures of a name are one: value, unit, doubt, basis and readings."""
    one, other = part.quantity(name), before.quantity(name)
    if one is None or other is None:
        return bool(part.figures[name] == before.figures[name])
    return replace(one, as_typed=None) == replace(other, as_typed=None)


def read_dimension(kind: str, name: str, raw: Any, unstated: Unstated = "house") -> Quantity:
    """Read a typed figure of a part.

    Parameters
    ----------
    kind, name : str
        Which dimension.
    raw : number, str or Mapping
        As in a build file.
    unstated : {"house", "zero"}
        What unstated doubt becomes.

    Returns
    -------
    Quantity
        In base units.

    Raises
    ------
    QuantityError
        If the kind has no such dimension, or the figure cannot be understood or is
        not possible.

    Examples
    --------
    >>> read_dimension("rod", "pin_bore", "22 mm").value
    22.0
    """
    dimension = KIND[kind].dimension(name)
    if dimension is None:
        raise QuantityError(f"the dimension {shown(name)}", f"a dimension of a {KIND[kind].label}")
    read = read_field(raw, dimension, unstated)
    if dimension.kind is Kind.COUNT and read.value != int(read.value):
        raise QuantityError(shown(raw), "a whole number")
    return read


def needed_of(kind: str, cylinders: int, banks: int) -> int:
    """Return how many of a kind one engine takes.

    Parameters
    ----------
    kind : str
        The kind's key.
    cylinders, banks : int
        Of the block; no unit.

    Returns
    -------
    int
        One crank; a rod and a piston a cylinder; a gasket and a head a bank.

    Examples
    --------
    >>> needed_of("rod", 8, 2), needed_of("head", 8, 2), needed_of("crank", 8, 2)
    (8, 2, 1)
    """
    if kind in ("rod", "piston", "ring_set", "bearing"):
        return cylinders
    return banks if kind in ("gasket", "head") else 1
