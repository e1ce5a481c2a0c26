"""Cuts that go past the end of what they cut, and crowns of which nobody has said what a cut meets."""

from __future__ import annotations

import math
from collections.abc import Iterable

from ..stack.in_hole import PLACES
from ..stack.results import Hole
from ..stack.sources import chamber_model, value_of
from ..windows import Window
from ..written import Length, Limit, Volume, judged
from .registry import Case, Judges
from .said import Code, Finding, Said, said

JUDGES = Judges()

THROUGH_CHAMBER = Code(
    "head-cut-past-chamber",
    "stop",
    "a head cut of {cut} goes past {what}, {end} down: what is left of the chamber is not known.",
    "Milling cannot take more than the chamber holds, nor go deeper than it was filled or than its walls meet.",
    do="Take less off the head, fill a further step, or share the change with another lever.",
    is_final=True,
)
THROUGH_POCKET = Code(
    "deck-cut-past-chamber",
    "stop",
    "a deck cut of {cut} takes more than the chamber of {chamber} holds above the valves.",
    "Where the valves lie in the block, the deck cut takes the chamber with it.",
    do="Take less off the deck, or check the valve pocket's area and the chamber volume.",
    is_final=True,
)
THROUGH_LAND = Code(
    "crown-cut-through-land",
    "stop",
    "a crown cut of {cut} takes the whole top land of {land}.",
    "The top ring groove would be open.",
    do="Cut less, or find a piston with less compression height.",
    is_final=True,
)
THROUGH_CROWN = Code(
    "crown-cut-through-crown",
    "stop",
    "a crown cut of {cut} goes through the crown, {thickness} thick under its rim.",
    "Nothing would be left to hold the pressure.",
    do="Cut less: the piston maker's least thickness decides.",
    is_final=True,
)
THROUGH_DISH = Code(
    "crown-cut-through-dish",
    "stop",
    "a crown cut of {cut} goes through the dish, which ends {depth} down: the flat is left.",
    "A dish cannot turn into a dome; below its floor a cut takes no more of it.",
    do="Check the dish area and the crown volume, or cut less.",
    is_final=True,
)
LITTLE_LEFT = Code(
    "crown-cut-leaves-little",
    "warn",
    "a crown cut of {cut} leaves {left} of {what}; the house wants {least}.",
    "Top land and crown carry heat and load; thin, they sink, crack or nip the ring.",
    do="Cut less, or ask the piston's maker: the maker's figure wins.",
)
THROUGH_TOP = Code(
    "crown-cut-through-top",
    "stop",
    "a crown cut of {cut} goes through what stands above the rim, {thickness} thick.",
    "Nothing would be left to hold the pressure.",
    do="Cut less: the piston maker's least thickness decides.",
    is_final=True,
)
TOP_LEAVES_LITTLE = Code(
    "crown-cut-leaves-little-on-top",
    "warn",
    "a crown cut of {cut} leaves {left} of crown under what stood above the rim; the house wants {least}.",
    "A dome or raised centre is often hollow from below: its top may be as thin as the rim.",
    do="Cut less, or ask the piston's maker: the maker's figure wins.",
)
TOP_UNTOLD = Code(
    "crown-top-thickness-untold",
    "warn",
    "a crown cut of {cut} takes {off} off what stands above the rim; how thick the crown is there, nobody said.",
    "A dome or raised centre is often hollow from below: its top may be as thin as the rim.",
    do="Measure from its top to its underside, and give the crown thickness under what stands above the rim.",
)
THROUGH_BOWL = Code(
    "bowl-through-crown",
    "stop",
    "a bowl of {sunk} more goes through the crown under it, {thickness} thick.",
    "Nothing would be left to hold the pressure.",
    do="Sink less: the piston maker's least thickness decides.",
    is_final=True,
)
BOWL_LEAVES_LITTLE = Code(
    "bowl-leaves-little",
    "warn",
    "a bowl of {sunk} more leaves {left} of crown under it; the house wants {least}.",
    "Under a bowl the crown carries heat and load; thin, it sinks or cracks.",
    do="Sink less, or ask the piston's maker: the maker's figure wins.",
)
DISH_UNTOLD = Code(
    "dish-opening-untold",
    "warn",
    "{cut} goes off the rim of a dish of which nobody told the opening: what is left of it is not known.",
    "A cut takes opening times depth where the walls are straight, and less where they are not: between nothing and "
    "all of the dish. Volume and ratio wait.",
    do="Give the dish area: its opening and that of pockets at the rim, 0 where nothing opens there; or fill it "
    "after the cut.",
)
UNDESCRIBED = Code(
    "crown-undescribed",
    "stop",
    "a crown cut of {cut} is planned, and nobody has said what stands above the rim.",
    "A flat cut meets a dome or raised centre first: until the tool reaches the rim, the gap does not move.",
    do="Give the height above the rim: 0 where nothing stands above it, else its height and area.",
    is_final=True,
)


@JUDGES.of_hole(THROUGH_CHAMBER)
def head_past_chamber(case: Case, hole: Hole) -> Said | None:
    """A head cut against the chamber it takes from: its fills, its walls, and all it holds."""
    o, model = hole.outcome, chamber_model(case.build, hole.sources)
    if "head" not in o.beyond or model is None:
        return None
    if o.head_cut > model.deepest:
        end = "its deepest fill" if case.build.step_fills else "where its drafted walls meet"
        cut, edge = judged(o.head_cut, model.deepest, typed=True)
        return said(THROUGH_CHAMBER, cut=cut, what=end, end=edge)
    opened = sum(op.amount.value for _, op in hole.cuts if op.op == "open_chamber" and op.amount)
    chamber = value_of(hole.sources, "parts.head.chamber_volume") + opened
    cut, edge = judged(o.head_cut, model.cut_for(chamber), typed=True)
    return said(THROUGH_CHAMBER, cut=cut, what="all that the chamber holds", end=edge)


@JUDGES.of_hole(THROUGH_POCKET)
def deck_past_chamber(_case: Case, hole: Hole) -> Said | None:
    """A deck cut against the chamber that lies in the block."""
    o = hole.outcome
    if "deck" not in o.beyond:
        return None
    chamber = value_of(hole.sources, "parts.head.chamber_volume")
    return said(THROUGH_POCKET, cut=Length(o.deck_cut), chamber=Volume(chamber))


@JUDGES.of_hole(THROUGH_LAND, THROUGH_CROWN, THROUGH_DISH)
def crown_past_its_end(case: Case, hole: Hole) -> Said | None:
    """A crown cut against top land, crown thickness and dish: what is planned, and what was made already."""
    o, crown = hole.outcome, hole.outcome.areas.crown
    rim, whole = crown.rim_cut(o.crown_cut), _whole_cut(case, hole)
    if not whole:
        return None
    for (place, _, _), code, name in zip(
        _REMAINS, (THROUGH_LAND, THROUGH_CROWN), ("land", "thickness"), strict=True
    ):
        source = hole.sources.get(place)
        if source is not None and rim >= source.quantity.value:
            cut, edge = judged(whole, source.quantity.value + whole - rim, typed=True)
            return said(code, cut=cut, land=edge) if name == "land" else said(code, cut=cut, thickness=edge)
    if rim > crown.dish_depth:
        cut, edge = judged(o.crown_cut, crown.above_rim + crown.dish_depth, typed=True)
        return said(THROUGH_DISH, cut=cut, depth=edge)
    return None


def _whole_cut(case: Case, hole: Hole) -> float:
    """What comes off a crown in all, in mm: what the log says was made, and what is still planned."""
    cuts = case.build.cuts
    made = cuts.on_hole("crown_cut", case.build.bank_of(hole.number), hole.number, ()) if cuts.passes else 0.0
    return made + hole.outcome.crown_cut


@JUDGES.of_hole(LITTLE_LEFT)
def what_a_crown_cut_leaves(case: Case, hole: Hole) -> Said | None:
    """What a crown cut leaves of top land and crown against what the house wants to remain, also once it is made."""
    whole = _whole_cut(case, hole)
    rim = hole.outcome.areas.crown.rim_cut(hole.outcome.crown_cut)
    if not whole:
        return None
    for place, rule, what in _REMAINS:
        source = hole.sources.get(place)
        left = None if source is None else source.quantity.value - rim
        if left is not None and left > 0 and Window(low=case.rules[rule]).miss(left):
            gap, least = judged(left, case.rules[rule], 0.05)
            return said(LITTLE_LEFT, cut=Length(whole), left=gap, what=what, least=least)
    return None


@JUDGES.of_hole(THROUGH_TOP, TOP_LEAVES_LITTLE, TOP_UNTOLD)
def what_is_left_of_the_top(case: Case, hole: Hole) -> Said | None:
    """What goes off above the rim against the crown under it, also once it is made."""
    whole, o = _whole_cut(case, hole), hole.outcome
    if not whole or hole.above_rim is None:
        return None
    metal = hole.sources.get("parts.piston.above_rim_thickness")
    off = o.areas.crown.above_rim - hole.above_rim
    made = whole - o.crown_cut
    if metal is None:
        # What was made before is in the height already: it took from the top first.
        off += min(made, _stood_above(case) - o.areas.crown.above_rim)
        return said(TOP_UNTOLD, cut=Length(whole), off=Length(off)) if off > 0 else None
    left = metal.quantity.value - off
    if left <= 0:
        cut, edge = judged(whole, whole + left, typed=True)
        return said(THROUGH_TOP, cut=cut, thickness=edge)
    if (off or made) and Window(low=case.rules["crown_left"]).miss(left):
        gap, least = judged(left, case.rules["crown_left"], 0.05)
        return said(TOP_LEAVES_LITTLE, cut=Length(whole), left=gap, least=least)
    return None


def _stood_above(case: Case) -> float:
    """What stood above the rim before any pass, in mm."""
    told = case.build.figures.get("parts.piston.above_rim")
    return 0.0 if told is None else max(told.value, 0.0)


@JUDGES.of_hole(THROUGH_BOWL, BOWL_LEAVES_LITTLE)
def what_a_bowl_leaves(case: Case, hole: Hole) -> Said | None:
    """What a bowl leaves of the crown under it, where the bowl's area and the crown are known."""
    sunk = math.fsum(op.amount.value for _, op in hole.cuts if op.op == "bowl" and op.amount)
    thickness, area = (hole.sources.get(f"parts.piston.{name}") for name in ("crown_thickness", "dish_area"))
    if not sunk or thickness is None or area is None or not area.quantity.value:
        return None
    left = thickness.quantity.value - sunk * 1000 / area.quantity.value
    if left <= 0:
        return said(THROUGH_BOWL, sunk=Volume(sunk), thickness=Limit(thickness.quantity.value))
    if Window(low=case.rules["crown_left"]).miss(left):
        gap, least = judged(left, case.rules["crown_left"], 0.05)
        return said(BOWL_LEAVES_LITTLE, sunk=Volume(sunk), left=gap, least=least)
    return None


_REMAINS = (
    ("parts.piston.top_land_height", "land_left", "top land"),
    ("parts.piston.crown_thickness", "crown_left", "crown under the rim"),
)


def asked_before_a_crown_is_cut(findings: Iterable[Finding]) -> str:
    """Return what must be said of a crown before its cut is kept or printed; empty where nothing must.

    Parameters
    ----------
    findings : iterable of Finding
        Of a build with the plan.
    """
    return next((f"{found.says} {found.do}" for found in findings if found.code == UNDESCRIBED.key), "")


@JUDGES.of_hole(DISH_UNTOLD)
def dish_untold(_case: Case, hole: Hole) -> Said | None:
    """A rim that is cut over a dish of which nobody told the opening."""
    o, begun = hole.outcome, hole.sources.get(PLACES["dish_begun"])
    volume = hole.sources.get("parts.piston.crown_volume")
    if o.areas.crown.untold is not None and (rim := o.areas.crown.rim_cut(o.crown_cut)) > 0:
        made = 0.0 if begun is None else begun.quantity.value
        return said(DISH_UNTOLD, cut=Length(rim + made))
    if begun is not None and volume is None:
        return said(DISH_UNTOLD, cut=Length(begun.quantity.value))
    return None


@JUDGES.of_hole(UNDESCRIBED)
def crown_undescribed(_case: Case, hole: Hole) -> Said | None:
    """A crown cut on a crown of which nobody has said what stands above its rim."""
    if not hole.outcome.crown_cut or "parts.piston.above_rim" in hole.sources:
        return None
    return said(UNDESCRIBED, cut=Length(hole.outcome.crown_cut))
