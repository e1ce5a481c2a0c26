"""Parts of the shelf that may go where a build's own are: what a plan may swap in."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any, NamedTuple

from ..build.means import PART_KINDS
from ..build.model import Build
from ..quantity import Quantity
from ..stack.evaluate import state_now
from ..windows import TOLERANCE
from .parts import Part

# By what a part is held in its place: what must agree with the part that is there.
_HELD_BY = {
    "piston": ("bore", "pin_diameter"),
    "rod": ("journal_diameter", "big_end_width", "pin_bore"),
    "crank": (
        "pin_diameter",
        "pin_width",
        "main_diameter",
        "thrust_width",
        "snout_diameter",
        "seal_diameter",
    ),
    "head": ("head_pattern",),
}
# What a plan must know of it, and what else it brings along.
_WANTED = {
    "piston": ("bore", "compression_height", "crown_volume"),
    "rod": ("length",),
    "crank": ("stroke",),
    "head": ("chamber_volume",),
}
# By how much the piston stops higher for each mm of them.
_LIFTS = {"piston": ("compression_height", 1.0), "rod": ("length", 1.0), "crank": ("stroke", 0.5)}
# Between these the piston of a part worth a thought stops, proud and down, in mm: the rest is another engine's.
_PROUD, _DOWN = -1.5, 3.0
_BRINGS = {
    "piston": ("top_land_height", "top_land_diameter", "dish_area", "crown_thickness"),
    "rod": (),
    "crank": (),
    "head": ("opening_area",),
}
# So far two dimensions may be apart and still be the same fit, in mm.
_SAME = 0.05
# A piston is made for a bore and runs in one a little larger.
_BORE = 0.15


class Offer(NamedTuple):
    """A part that may be swapped in: the entry that a build file lists it by, how many are wanted and in hand.

    ``unchecked`` names what holds it in its place and is known of one side only.
    """

    part: Part
    entry: dict[str, Any]
    wanted: int
    in_hand: int
    unchecked: tuple[str, ...]


def offers_for(build: Build, shelf: Iterable[Part], fitted: Mapping[str, Part]) -> list[Offer]:
    """Return the parts of a shelf that may go where a build's own are.

    Parameters
    ----------
    build : Build
        With its bore.
    shelf : iterable of Part
        What there is, and what may be had.
    fitted : Mapping
        The parts of the shelf that the build is made of, by kind, as far as it says so.

    Returns
    -------
    list of Offer
        Kind by kind, in hand first, then by price; without the part that is there. A part that
        differs from the one it would replace in what holds it in its place is none, nor is one that would
        stop the piston far from the deck; pieces are paid for whether they are in hand or not.
    """
    found, clearances = (
        [],
        [c for hole in state_now(build).holes if (c := hole.outcome.deck_clearance) is not None],
    )
    for part in shelf:
        if part.kind not in PART_KINDS or part.kind not in _WANTED or part.state == "fitted":
            continue
        own = fitted.get(part.kind)
        if (own is not None and own.code == part.code) or not all(
            n in part.figures for n in _WANTED[part.kind]
        ):
            continue
        held = [_agree(build, part, own, name) for name in _HELD_BY[part.kind]]
        if False in held or not _near(build, part, clearances):
            continue
        unchecked = tuple(
            n.replace("_", " ") for n, ok in zip(_HELD_BY[part.kind], held, strict=True) if ok is None
        )
        wanted = _wanted(build, part.kind)
        found.append(
            Offer(
                part=part,
                entry=_entry(part, wanted),
                wanted=wanted,
                in_hand=part.in_hand,
                unchecked=unchecked,
            )
        )
    order = {kind: i for i, kind in enumerate(_WANTED)}
    found.sort(key=lambda o: (order[o.part.kind], o.in_hand < o.wanted, o.entry.get("price", 0), o.part.code))
    return found


def _agree(build: Build, part: Part, own: Part | None, name: str) -> bool | None:
    """Whether a part and what it meets agree in one thing that holds it; None where one side does not say."""
    if name == "head_pattern":
        if own is None or not own.texts.get(name) or not part.texts.get(name):
            return None
        return own.texts[name] == part.texts[name]
    theirs = part.quantity(name)
    if part.kind == "piston" and name == "bore":
        bores = [q.value for n in build.cylinders if (q := _bore(build, n)) is not None]
        if theirs is None or not bores:
            return None
        return all(-_SAME <= bore - theirs.value <= _BORE for bore in bores)
    ours = own.quantity(name) if own is not None else None
    if theirs is None or ours is None:
        return None
    return abs(theirs.value - ours.value) <= _SAME


def _near(build: Build, part: Part, clearances: list[float]) -> bool:
    """Whether the piston would stop near the deck; where the build does not say, it may."""
    if part.kind not in _LIFTS:
        return True
    name, lift = _LIFTS[part.kind]
    own, theirs = build.figures.get(f"parts.{part.kind}.{name}"), part.quantity(name)
    if own is None or theirs is None or not clearances:
        return True
    moved = lift * (theirs.value - own.value)
    return min(clearances) - moved >= _PROUD - TOLERANCE and max(clearances) - moved <= _DOWN + TOLERANCE


def _bore(build: Build, number: int) -> Quantity | None:
    return build.figures.get(f"cylinders.{number}.bore") or build.figures.get("parts.block.bore")


def _wanted(build: Build, kind: str) -> int:
    return {"crank": 1, "head": len(build.banks)}.get(kind, len(build.cylinders))


def _entry(part: Part, wanted: int) -> dict[str, Any]:
    """A part as ``levers.parts`` lists it."""
    own: dict[str, Any] = {"name": part.name or part.code}
    for name in (*(n for n in _WANTED[part.kind] if n != "bore"), *_BRINGS[part.kind]):
        if (typed := part.figures.get(name)) is not None:
            own[name] = typed
    if part.kind == "piston" and (dome := part.figures.get("dome_height")) is not None:
        own["above_rim"] = dome
    if part.kind == "rod" and part.texts.get("material") in ("steel", "titanium", "aluminium"):
        own["material"] = part.texts["material"]
    own["x-part"] = part.code
    entry: dict[str, Any] = {"kind": part.kind, "part": own}
    if part.price is not None:
        entry["price"] = part.price * wanted / 100
    if part.in_hand < wanted and part.lead_days:
        entry["days"] = part.lead_days
    return entry
