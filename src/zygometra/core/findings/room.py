"""Is there room: above the piston, under the head, in the gasket, at the top land?"""

from __future__ import annotations

from collections.abc import Iterable

from ..digits import figure
from ..measuring.rooms import rooms
from ..place import Place
from ..stack.assumed import is_assumed
from ..stack.results import Hole
from ..windows import Window
from ..wording import is_level
from ..written import Clearance, Length, Proud, Volume, judged
from .registry import Case, Judges
from .said import Code, Said, said

JUDGES = Judges()

NO_ROOM = Code(
    "clearance-volume-impossible",
    "stop",
    "no room is left above the piston ({terms}: {volume}).",
    "The clearance volume must be above nought; one of its terms must be wrong.",
    do="Check the dome, the chamber volume and the stack of that hole.",
    is_final=True,
)
OVER_GASKET = Code(
    "proud-over-gasket",
    "stop",
    "the piston stops {stands}, the gasket is {thickness} thick: it meets the head.",
    "The crown reaches the head face before top dead centre.",
    do="Cut the crown, fit a thicker gasket, or look for the wrong part.",
    is_final=True,
)
OVER_LAND = Code(
    "proud-over-top-land",
    "stop",
    "the piston stops {stands}, its top land is {land} high: the ring leaves the bore.",
    "The top ring would spring out over the deck.",
    do="Cut the crown no further, or look for the wrong part.",
    is_final=True,
)
PROUD = Code(
    "piston-proud",
    "warn",
    "the piston stops {stands}.",
    "The crown enters the gasket opening and needs room all round.",
    do="Check the gasket opening and keep {quench} above its floor.",
)
FAR_DOWN = Code(
    "piston-far-down",
    "warn",
    "the piston stops {stands}: is it the right one?",
    "A compression height of {height}, or a rod of {rod}, would bring its rim to the deck. A short rod "
    "with a short piston looks like this.",
    do="Check the part numbers of piston, rod and crank before anything is cut.",
)
SMALL_GASKET = Code(
    "gasket-smaller-than-bore",
    "stop",
    "the gasket opening {opening} is smaller than the bore {bore}.",
    "Its edge hangs into the bore, burns, and is struck by a proud crown.",
    do="Choose a gasket for this bore.",
)
LITTLE_ROOM = Code(
    "gasket-room",
    "warn",
    "the gasket opening is only {room} larger than the bore (house rule {rule}).",
    "It must clear the bore all round, wherever the dowels put it.",
    do="Measure the opening and lay the gasket on the dowels.",
)
OVER_PAD = Code(
    "room-over-pad-small",
    "warn",
    "Hole {hole}: over the pad {room} is left to the plane of the head's face; the floor is {floor}.",
    "A quench pad lies under the head's flat: it comes closest there, whatever the rim does.",
    do="Fit a thicker gasket, or cut the crown; check with clay before it runs.",
)
LAND_OVER_BORE = Code(
    "top-land-over-bore",
    "stop",
    "the top land {land} is not smaller than the bore {bore}.",
    "The piston does not enter the bore; one of the two figures is wrong.",
    do="Measure both again.",
    is_final=True,
)


@JUDGES.of_hole(NO_ROOM)
def room_above_piston(_case: Case, hole: Hole) -> Said | None:
    """A clearance volume of nought or less is an impossible engine."""
    if hole.outcome.clearance is None or hole.outcome.clearance > 0:
        return None
    terms = hole.outcome.terms._asdict()
    sum_of = " ".join(f"{name} {figure(cc, 2)}" for name, cc in terms.items() if cc)
    return said(NO_ROOM, terms=sum_of, volume=Volume(hole.outcome.clearance))


@JUDGES.of_hole(FAR_DOWN)
def piston_far_down(case: Case, hole: Hole) -> Said | None:
    """A piston so far down the bore that it is likely a wrong part, and what would bring it up."""
    o, get = hole.outcome, hole.sources.get
    if o.deck_clearance is None or o.deck_clearance <= case.rules["far_down"]:
        return None
    height, rod = get("parts.piston.compression_height"), get("parts.rod.length")
    return said(
        FAR_DOWN,
        stands=Clearance(o.deck_clearance, o.doubts.deck_clearance.u),
        height=Length(height.quantity.value + o.deck_clearance) if height else "another piston",
        rod=Length(rod.quantity.value + o.deck_clearance) if rod else "another length",
    )


@JUDGES.of_hole(OVER_GASKET, OVER_LAND, PROUD)
def piston_proud(_case: Case, hole: Hole) -> Said | None:
    """A piston that stops proud, against gasket and top land."""
    o = hole.outcome
    if o.deck_clearance is None or o.deck_clearance >= 0:
        return None
    out, u = -o.deck_clearance, o.doubts.deck_clearance.u
    if o.gasket_thickness is not None and out >= o.gasket_thickness:
        _, thickness = judged(out, o.gasket_thickness, u)
        return said(OVER_GASKET, stands=Proud(out, u, o.gasket_thickness), thickness=thickness)
    land = hole.sources.get("parts.piston.top_land_height")
    if land is not None and out >= (left := land.quantity.value - o.areas.crown.rim_cut(o.crown_cut)):
        _, edge = judged(out, left, u)
        return said(OVER_LAND, stands=Proud(out, u, left), land=edge)
    return None if is_level(o.deck_clearance) else said(PROUD, stands=Proud(out, u))


@JUDGES.of_hole(SMALL_GASKET, LITTLE_ROOM)
def gasket_room(case: Case, hole: Hole) -> Said | None:
    """A round gasket opening against the bore under it."""
    get = hole.sources.get
    gasket, bore = get("parts.gasket.bore"), get("parts.block.bore")
    if gasket is None or bore is None or get("parts.gasket.opening_area") is not None or is_assumed(gasket):
        return None
    opening, width = gasket.quantity.value, bore.quantity.value
    if opening < width:
        smaller, larger = judged(opening, width)
        return said(SMALL_GASKET, opening=smaller, bore=larger)
    room, rule = opening - width, case.rules["gasket_room"]
    if room < rule:
        little, wanted = judged(room, rule)
        return said(LITTLE_ROOM, room=little, rule=wanted)
    return None


@JUDGES.of_engine(OVER_PAD)
def room_over_pads(case: Case) -> Iterable[Said]:
    """A pad that was read, which lies under the head's flat, against the floor."""
    floor = case.rules.quench_floor(case.build.rod_material)
    for number, spots in rooms(case.build, case.planned).items():
        for spot in spots:
            if spot.on == "pad" and spot.value is not None and Window(low=floor).miss(spot.value):
                room, least = judged(spot.value, floor, spot.uncertainty.u)
                yield said(OVER_PAD, Place.hole(number), hole=str(number), room=room, floor=least)


@JUDGES.of_hole(LAND_OVER_BORE)
def top_land(_case: Case, hole: Hole) -> Said | None:
    """The top land against the bore it runs in."""
    get = hole.sources.get
    land, bore = get("parts.piston.top_land_diameter"), get("parts.block.bore")
    if land is not None and bore is not None and land.quantity.value >= bore.quantity.value:
        return said(LAND_OVER_BORE, land=Length(land.quantity.value), bore=Length(bore.quantity.value))
    return None
