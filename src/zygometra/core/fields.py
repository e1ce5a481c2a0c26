"""Every dimension a build can carry: its place, its name, what it measures, its limits.

One table, so that a file, a column, a page and a formula call the same thing by
the same name. A place is written ``parts.block.deck_height``; the same dimension
measured on one bank is ``banks.A.deck_height``, in one hole ``cylinders.3.bore``.
"""

from __future__ import annotations

from msgspec import Struct

from .place import Place, Scope
from .uncertainty import Cause, Term
from .units import Kind


class Field(Struct, frozen=True):
    """One dimension of a part.

    ``low`` and ``high`` are the outermost values that any engine from a model to a
    ship's could have, in the kind's base unit: beyond them it is a slip of the pen.
    Where a ``required`` one is missing, some results of a build wait for it; a part on the
    shelf cannot be combined without it.
    ``doubt`` is the name under which the house rules know its doubt, where that is not
    its own.
    """

    part: str
    name: str
    symbol: str
    label: str
    kind: Kind
    low: float
    high: float
    required: bool = False
    per_bank: bool = False
    per_cylinder: bool = False
    help: str = ""
    doubt: str = ""

    @property
    def path(self) -> str:
        """Where the dimension stands when it holds for the whole engine."""
        return f"{PART_PATHS[self.part]}.{self.name}"

    @property
    def is_each_holes(self) -> bool:
        """True where every hole has one of its own; a gasket is one, though pellets tell what it is hole by hole."""
        return self.per_cylinder and self.part != "gasket"


PART_PATHS = {
    "block": "parts.block", "bore edge": "parts.block.edge_chamfer", "crank": "parts.crank", "rod": "parts.rod",
    "piston": "parts.piston", "gasket": "parts.gasket", "head": "parts.head", "cam": "cam", "engine": "engine",
    "stated": "stated", "mock-up": "mock-up",
}  # fmt: skip

_LENGTH, _AREA, _VOLUME, _ANGLE = Kind.LENGTH, Kind.AREA, Kind.VOLUME, Kind.ANGLE

FIELDS: tuple[Field, ...] = (
    Field("block", "deck_height", "H", "block deck height", kind=_LENGTH, low=20, high=3000, required=True,
          per_bank=True, per_cylinder=True, help="crank centreline to the deck, along the cylinder axis"),
    Field("block", "bore", "B", "finished bore", kind=_LENGTH, low=5, high=1500, required=True, per_cylinder=True),
    Field("block", "pocket_area", "A_pocket", "valve pocket area in the block", kind=_AREA, low=0, high=2_000_000,
          help="valve-in-block engines: a deck cut takes this area from the chamber too"),
    Field("block", "swept_volume", "Vs", "swept volume of one hole", kind=_VOLUME, low=0, high=2_000_000,
          help="where it is given instead of bore and stroke"),
    Field("bore edge", "width", "w", "width of the bore's edge chamfer", kind=_LENGTH, low=0, high=20,
          doubt="edge_width", help="along the deck from the bore's wall; 0 where the edge is sharp"),
    Field("bore edge", "angle", "β", "angle of the bore's edge chamfer", kind=_ANGLE, low=5, high=85,
          doubt="edge_angle", help="from the deck"),
    Field("crank", "stroke", "S", "stroke", kind=_LENGTH, low=5, high=3000, required=True, per_cylinder=True),
    Field("rod", "length", "L", "rod length", kind=_LENGTH, low=10, high=5000, required=True, per_cylinder=True,
          help="centre to centre"),
    Field("piston", "compression_height", "P", "compression height", kind=_LENGTH, low=3, high=1000, required=True,
          per_cylinder=True, help="pin centre to the flat rim of the crown"),
    Field("piston", "crown_volume", "V_crown", "crown volume", kind=_VOLUME, low=-20000, high=20000, required=True,
          per_cylinder=True, help="dish and pockets +, dome −"),
    Field("piston", "top_land_height", "h", "top land height", kind=_LENGTH, low=0, high=200,
          help="rim to the top ring"),
    Field("piston", "top_land_diameter", "D", "top land diameter", kind=_LENGTH, low=5, high=1500),
    Field("piston", "dish_area", "A_dish", "dish area", kind=_AREA, low=0, high=2_000_000,
          help="opening of the dish and pockets at the rim"),
    Field("piston", "above_rim", "z", "height above the rim", kind=_LENGTH, low=0, high=200,
          help="of a dome or raised centre; 0 where nothing stands above the rim"),
    Field("piston", "above_rim_area", "A_above", "area above the rim", kind=_AREA, low=0, high=2_000_000,
          help="of what stands above the rim"),
    Field("piston", "above_rim_thickness", "T_above", "crown thickness under what stands above the rim",
          kind=_LENGTH, low=0, high=300,
          help="from the top of a dome or raised centre to its underside, before any cut"),
    Field("piston", "crown_thickness", "T_r", "crown thickness under the rim", kind=_LENGTH, low=0, high=300,
          help="rim to underside, before any cut"),
    Field("gasket", "thickness", "t", "compressed gasket thickness", kind=_LENGTH, low=0, high=20, required=True,
          per_bank=True, per_cylinder=True),
    Field("gasket", "bore", "G", "gasket bore", kind=_LENGTH, low=5, high=1600, required=True, per_bank=True,
          doubt="gasket_bore"),
    Field("gasket", "opening_area", "A_gasket", "gasket opening area", kind=_AREA, low=0, high=2_000_000,
          per_bank=True, help="only where the opening is not round; used instead of the gasket bore"),
    Field("gasket", "volume", "V_gasket", "gasket volume", kind=_VOLUME, low=0, high=20000, per_bank=True,
          doubt="gasket_volume", help="where it is given instead of thickness and opening"),
    Field("head", "chamber_volume", "V_chamber", "chamber volume", kind=_VOLUME, low=0, high=50000, required=True,
          per_cylinder=True),
    Field("head", "opening_area", "A_open", "chamber opening area", kind=_AREA, low=0, high=2_000_000,
          help="at the head face; decides what a head cut takes"),
    Field("head", "opening_perimeter", "p", "chamber opening perimeter", kind=_LENGTH, low=0, high=20000),
    Field("head", "wall_draft", "α", "chamber wall draft", kind=_ANGLE, low=0, high=80),
    Field("head", "removal_rate", "k", "chamber loss per head cut", kind=Kind.RATE, low=0, high=2000,
          help="a known rate; it is used instead of the opening area"),
    Field("head", "other_volume", "V_other", "other known pockets", kind=_VOLUME, low=-1000, high=1000,
          help="spark plug well, fly cuts not in the chamber figure"),
    Field("cam", "intake_closes", "θ", "intake closes after BDC", kind=_ANGLE, low=-60, high=150),
    Field("cam", "at_lift", "lift", "lift at which intake closing is quoted", kind=_LENGTH, low=0, high=20),
    Field("engine", "bore_pitch", "pitch", "bore pitch", kind=_LENGTH, low=0, high=5000,
          help="centre to centre along a bank"),
    Field("engine", "bank_angle", "bank angle", "angle between the banks", kind=_ANGLE, low=0, high=180),
    Field("engine", "displacement", "V_total", "displacement as stated", kind=_VOLUME, low=0, high=5_000_000,
          help="as advertised; only compared with what bore and stroke give"),
    Field("stated", "clearance_volume", "Vc", "clearance volume as stated", kind=_VOLUME, low=0, high=60000,
          help="of one hole; only compared with what its parts give"),
    Field("stated", "piston_clearance", "clearance", "piston clearance as stated", kind=_LENGTH, low=0, high=5,
          help="on diameter; kept with the build"),
    Field("mock-up", "deck_clearance", "c", "deck clearance read on a mock-up", kind=_LENGTH, low=-50, high=200,
          per_cylinder=True, help="down +, proud −"),
)  # fmt: skip

FIELD: dict[str, Field] = {f"{f.part}.{f.name}": f for f in FIELDS}
# The same by where they stand for the whole engine.
FIELD_AT: dict[str, Field] = {f.path: f for f in FIELDS}

# A bank or a hole names a dimension without its part; the two lengths that would
# be ambiguous there say what they are the length of.
BANK_NAMES: dict[str, Field] = {
    "deck_height": FIELD["block.deck_height"],
    "gasket.thickness": FIELD["gasket.thickness"],
    "gasket.bore": FIELD["gasket.bore"],
    "gasket.opening_area": FIELD["gasket.opening_area"],
    "gasket.volume": FIELD["gasket.volume"],
}
_IN_HOLE_AS = {"length": "rod_length", "thickness": "gasket_thickness"}
CYLINDER_NAMES: dict[str, Field] = {_IN_HOLE_AS.get(f.name, f.name): f for f in FIELDS if f.per_cylinder}


STEP_FILLS = "parts.head.step_fills."


def place_label(path: str) -> str:
    """Return what stands at a path in words.

    Parameters
    ----------
    path : str
        A figure's place, or that of a planned operation.

    Returns
    -------
    str
        Such as ``chamber volume, hole 4``.

    Examples
    --------
    >>> place_label("cylinders.4.bore"), place_label("planned.0.gasket.bore")
    ('finished bore, hole 4', 'gasket to fit, bore (operation 1)')
    >>> place_label("parts.head.step_fills.1.below")
    'volume of fill 2'
    """
    if path.startswith(STEP_FILLS):
        at, _, what = path.removeprefix(STEP_FILLS).partition(".")
        return f"{'depth' if what == 'depth' else 'volume'} of fill {int(at) + 1}"
    place = Place.parse(path)
    if place.scope is Scope.PLAN and place.operation is not None:
        part = "amount of the cut "
        if place.field:
            what, _, name = place.field.partition(".")
            part = f"{what} to fit, {name.replace('_', ' ')} "
        return f"{part}(operation {place.operation + 1})"
    try:
        label = field_at(place).label
    except KeyError:
        return path
    if place.scope is Scope.BANK:
        return f"{label}, bank {place.bank}"
    return f"{label}, hole {place.number}" if place.scope is Scope.HOLE else label


def term_label(term: Term) -> str:
    """Return what a source of doubt is called: a figure's label, or what readings brought.

    Parameters
    ----------
    term : Term
        Of a figure.

    Returns
    -------
    str
        Such as ``gauge depth-2``, ``readings of finished bore, hole 3``.
    """
    if term.cause is Cause.FIGURE:
        return place_label(term.key)
    if term.cause is Cause.RIM:
        at, _, depth = term.about.partition(", ")
        return f"rim {depth} the deck, {place_label(at)}"
    if term.cause.is_of_its_place_alone:
        return f"{_OF_A_PLACE[term.cause]} of {place_label(term.about)}"
    return f"{_CAUSES.get(term.cause, str(term.cause))} {term.about}".strip()


_OF_A_PLACE = {Cause.READ: "readings", Cause.ROUNDING: "rounding"}
_CAUSES = {
    Cause.ZERO_ROUNDING: "rounding of the zero",
    Cause.SHOT: "size of a shot of",
    Cause.CUT: "what the machine missed its depth by,",
    Cause.BETWEEN: "scatter between holes, hole",
}


def field_at(path: str | Place) -> Field:
    """Return the field that stands at ``path`` of a build document.

    Parameters
    ----------
    path : str or Place
        For example ``parts.block.deck_height``, ``banks.A.gasket.bore``,
        ``cylinders.3.bore``, ``cam.intake_closes``.

    Returns
    -------
    Field
        The field.

    Raises
    ------
    KeyError
        If no dimension stands there.

    Examples
    --------
    >>> field_at("cylinders.3.rod_length").symbol
    'L'
    """
    place = Place.parse(path) if isinstance(path, str) else path
    match place.scope:
        case Scope.BANK:
            return BANK_NAMES[place.field]
        case Scope.HOLE:
            return CYLINDER_NAMES[place.field]
    return FIELD_AT[place.field]
