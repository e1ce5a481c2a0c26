"""What a hole comes to: the trade's arithmetic, written once, from its figures to its ratio, cut or uncut.

Plain expressions over columns. A column is a hole, a draw, a recipe or a candidate: with floats they give one
hole, with arrays draws and recipes, with :class:`..linear.Linear` the coefficients of a programme, and
:mod:`.derived` takes from them the slopes that doubts, sensitivities and inverse questions go along. A figure
that has no say is None, one that nobody knows is not a number. Lengths in mm, areas in mm², volumes in cc.
"""

# long: one arithmetic, from the figures of a hole to what it comes to, half of it docstrings
from __future__ import annotations

import math
from typing import Any, NamedTuple

from .arithmetic import circle_area, cylinder_volume, deck_clearance, ring_around
from .columns import (
    cosine,
    endless_unless_positive,
    least,
    positive,
    root,
    sine,
    spanned,
    tangent,
    where_positive,
)

# A float, an array, or what carries its slopes.
Column = Any

NOT_KNOWN = math.nan


class Figures(NamedTuple):
    """The figures of a hole as it is: lengths in mm, areas in mm², volumes in cc, angles in degrees.

    None where a figure has no say: the stack where a mock-up read the clearance, the gasket's bore where its
    opening is given as an area. ``filled`` is what fills in steps say that the head cut takes. Of a dish ``to_cone``
    is how far it stands from straight walls towards a cone (nought and one, no unit), ``dish_begun`` what is off the
    rim already since its crown volume was read, ``untold_dish`` not a number where nobody told its opening.
    """

    bore: Column
    stroke: Column
    rod_length: Column
    compression_height: Column = None
    deck_height: Column = None
    read_clearance: Column = None
    gasket_thickness: Column = math.nan
    gasket_bore: Column = None
    gasket_opening: Column = None
    gasket_volume: Column = None
    chamber_volume: Column = math.nan
    other_volume: Column = None
    crown_volume: Column = math.nan
    above_rim: Column = None
    above_area: Column = None
    dish_area: Column = None
    dish_begun: Column = None
    to_cone: Column = None
    untold_dish: Column = None
    land_diameter: Column = None
    land_height: Column = None
    pocket_area: Column = None
    edge_width: Column = None
    edge_angle: Column = None
    swept_volume: Column = None
    removal_rate: Column = None
    opening_area: Column = None
    opening_perimeter: Column = None
    wall_draft: Column = None
    filled: Column = None
    intake_closes: Column = None


class Cuts(NamedTuple):
    """What a plan takes at a hole in all: mm off deck, head and crown, cc of chamber and bowl; None where nothing."""

    deck: Column = None
    head: Column = None
    crown: Column = None
    opened: Column = None
    bowl: Column = None


class Crown(NamedTuple):
    """A crown as a flat cut meets it, lengths in mm, areas in mm².

    ``above_rim`` stands above the rim over ``above_area``, both nought where nothing does or nobody said;
    ``dish_area`` is the opening of dish and pockets at the rim, ``dish`` what they hold below it in cc, infinite
    where no end of them is known. ``to_cone``, ``begun`` and ``untold`` as in :class:`Figures`, None where they have
    no say.
    """

    above_rim: Column = 0.0
    above_area: Column = 0.0
    dish_area: Column = 0.0
    dish: Column = math.inf
    to_cone: Column = None
    begun: Column = None
    untold: Column = None

    @property
    def dish_depth(self) -> Column:
        """How deep the dish is with straight walls in mm, infinite where no end of it is known (trade.md 6)."""
        return self.dish * 1000 / self.dish_area if self.dish_area else math.inf

    def rim_cut(self, total: Column) -> Column:
        """Return what a flat cut takes off the rim once nothing stands above it, in mm.

        Parameters
        ----------
        total : float, array, or what carries slopes
            Depth of the whole cut in mm, from the highest point down.

        Notes
        -----
        See trade.md 6.
        """
        return flat_cut(self, total).rim

    def gained(self, total: Column) -> Column:
        """Return what a flat cut adds to the crown's volume in cc.

        Parameters
        ----------
        total : float, array, or what carries slopes
            Depth of the whole cut in mm.

        Notes
        -----
        See trade.md 6.
        """
        return crown_gain(self, flat_cut(self, total))


class HoleVolumes(NamedTuple):
    """A hole as it is or as it is cut so far: where its rim stops, and what of its clearance volume is not the deck's.

    ``chamber`` in cc holds the pockets in the block, ``crown`` dish less dome, ``crevice`` the ring of area ``ring``
    around the top land, ``other`` the edge of the bore; the gasket is none of them.
    """

    clearance: Column
    area: Column
    chamber: Column
    crown: Column
    crevice: Column
    other: Column
    ring: Column
    shape: Crown
    pocket: Column = None
    edge: Chamfer | None = None

    @property
    def closed(self) -> Column:
        """The clearance volume without gasket and deck, in cc."""
        closed = self.chamber
        for part in (self.crown, self.crevice, self.other):
            if not _is_nought(part):
                closed = closed + part
        return closed


class Chamfer(NamedTuple):
    """The chamfer at the upper edge of a bore: width along the deck and bore in mm, angle from the deck in degrees."""

    width: Column
    angle: Column
    bore: Column


class FlatCut(NamedTuple):
    """What a flat cut over a crown meets, from the top down: mm above the rim, mm off the rim, cc of the dish."""

    above: Column
    rim: Column
    dish: Column


class Stacked(NamedTuple):
    """What a hole comes to: clearance and quench in mm, clearance volume in cc."""

    clearance: Column
    quench: Column
    volume: Column


# -- as it is --------------------------------------------------------------------------


def rim_clearance(f: Figures) -> Column:
    """Return how far the rim stops below the deck, in mm: as a mock-up read it, or as the stack gives it.

    Parameters
    ----------
    f : Figures
        Of the hole.

    Notes
    -----
    See trade.md 2.
    """
    if f.read_clearance is not None:
        return f.read_clearance
    return deck_clearance(f.deck_height, f.stroke, f.rod_length, f.compression_height)


def swept_volume(f: Figures) -> Column:
    """Return bore area × stroke in cc, or what is given in its place.

    Parameters
    ----------
    f : Figures
        Of the hole.

    Notes
    -----
    See trade.md 3.
    """
    return cylinder_volume(circle_area(f.bore), f.stroke) if f.swept_volume is None else f.swept_volume


def gasket_volume(f: Figures) -> Column:
    """Return what the gasket's opening holds in cc: its area, or its bore's, × its thickness, or as it is given.

    Parameters
    ----------
    f : Figures
        Of the hole.

    Notes
    -----
    See trade.md 3.
    """
    if f.gasket_volume is not None:
        return f.gasket_volume
    return held_by_gasket(gasket_opening(f), f.gasket_thickness)


def gasket_opening(f: Figures) -> Column:
    """Return the area of the gasket's opening in mm²: as it is given, or of a round one.

    Parameters
    ----------
    f : Figures
        Of the hole.

    Notes
    -----
    See trade.md 3.
    """
    return circle_area(f.gasket_bore) if f.gasket_opening is None else f.gasket_opening


def held_by_gasket(opening: Column, thickness: Column) -> Column:
    """Return opening × thickness in cc.

    Parameters
    ----------
    opening : float, array, or what carries slopes
        Area in mm².
    thickness : float, array, or what carries slopes
        Compressed, in mm.

    Notes
    -----
    See trade.md 3.
    """
    return cylinder_volume(opening, thickness)


def crown_of(f: Figures) -> Crown:
    """Return a crown as a flat cut meets it; in mm, mm² and cc.

    Parameters
    ----------
    f : Figures
        Of the hole: what the crown adds above its rim, what stands above the rim, its dish.

    Notes
    -----
    Dish and pockets hold V_crown + A_above·z, straight walls.
    See trade.md 6.

    Examples
    --------
    >>> of = Figures(90.0, 80.0, 140.0, dish_area=2000.0)
    >>> crown_of(of._replace(crown_volume=5.0)).dish, crown_of(of._replace(crown_volume=-5.0)).dish
    (5.0, inf)
    """
    stands = f.above_rim is not None
    above: tuple[Column, Column] = (f.above_rim, f.above_area) if stands else (0.0, 0.0)
    if f.dish_area is None:
        return Crown(above[0], above[1], untold=f.untold_dish)
    held = f.crown_volume + cylinder_volume(f.above_area, f.above_rim) if stands else f.crown_volume
    dish = endless_unless_positive(held)
    return Crown(
        above_rim=above[0],
        above_area=above[1],
        dish_area=f.dish_area,
        dish=dish,
        to_cone=f.to_cone,
        begun=f.dish_begun,
        untold=f.untold_dish,
    )


def uncut(f: Figures) -> HoleVolumes:
    """Return a hole as it is; in mm, mm² and cc.

    Parameters
    ----------
    f : Figures
        Of the hole.

    Notes
    -----
    See trade.md 3.
    """
    area = circle_area(f.bore)
    ring: Column = 0.0
    crevice: Column = 0.0
    if f.land_height is not None:
        ring = ring_around(f.bore, f.land_diameter)
        crevice = cylinder_volume(ring, f.land_height)
    other: Column = 0.0 if f.other_volume is None else f.other_volume
    edge = None if f.edge_width is None else Chamfer(f.edge_width, f.edge_angle, f.bore)
    if edge is not None:
        other = other + chamfer_volume(edge, None)
    shape = crown_of(f)
    return HoleVolumes(
        clearance=rim_clearance(f),
        area=area,
        chamber=f.chamber_volume,
        crown=f.crown_volume,
        crevice=crevice,
        other=other,
        ring=ring,
        shape=shape,
        pocket=f.pocket_area,
        edge=edge,
    )


# -- cut -------------------------------------------------------------------------------


def flat_cut(shape: Crown, cut: Column) -> FlatCut:
    """Return what a flat cut over the crown meets: what stands above the rim first, then the rim with its dish.

    Parameters
    ----------
    shape : Crown
        Before it.
    cut : float, array, or what carries slopes
        In mm, from the highest point down.

    Notes
    -----
    Above min(t, z), rim max(t − z, 0), dish min(A_dish·rim, what it holds): straight walls, less the share of what
    a cone would keep. Once the dish is cut through the flat remains; it never becomes a dome (trade.md 6).
    A dish of which nobody told the opening loses nobody knows how much.

    Examples
    --------
    >>> flat_cut(Crown(0.5, 900.0, 2000.0, 3.0), 0.8)
    FlatCut(above=0.5, rim=0.30000000000000004, dish=0.6000000000000001)
    """
    above: Column = 0.0
    dish: Column = 0.0
    rim = cut
    if not _is_nought(shape.above_rim):
        rim, above = positive(cut - shape.above_rim), least(cut, shape.above_rim)
    if not _is_nought(shape.dish_area):
        dish = cylinder_volume(shape.dish_area, rim)
        if not (isinstance(shape.dish, float) and math.isinf(shape.dish)):
            dish = least(dish, shape.dish)
        if shape.to_cone is not None:
            dish = dish - shape.to_cone * kept_by_cone(shape, rim)
    if shape.untold is not None:
        dish = dish + where_positive(rim, shape.untold)
    return FlatCut(above, rim, dish)


def kept_by_cone(shape: Crown, rim: Column) -> Column:
    """Return how much less a flat cut takes from a dish if that is a cone and no cylinder, in cc.

    Parameters
    ----------
    shape : Crown
        Before it.
    rim : float, array, or what carries slopes
        What it takes off the rim, in mm.

    Notes
    -----
    The cone has the dish's opening A and its volume V, so it is d = 3·V/A deep: A·t − V·(1 − (1 − t/d)³) at a depth t.
    Every hollow without ledges (one whose √A(z) is nowhere hollow) lies between the two. What was taken already
    belongs to the same dish: the rest of it is what both lose from there on.
    See trade.md 6.

    Examples
    --------
    >>> round(kept_by_cone(Crown(0.0, 0.0, 3000.0, 6.0), 1.0), 9)
    0.472222222
    """
    if shape.begun is None:
        return _less_than_straight(shape.dish_area, shape.dish, rim)
    whole = shape.dish + cylinder_volume(shape.dish_area, shape.begun)
    after = _less_than_straight(shape.dish_area, whole, shape.begun + rim)
    return after - _less_than_straight(shape.dish_area, whole, shape.begun)


def _less_than_straight(area: Column, volume: Column, depth: Column) -> Column:
    """What a cone of an opening and a volume loses less than a cylinder of them, to a depth, in cc."""
    straight = cylinder_volume(area, depth)
    share = least(straight / (3.0 * volume), 1.0)
    cone = least(straight, 3.0 * volume) * (1.0 - share + share * share / 3.0)
    return least(straight, volume) - cone


def _is_nought(figure: Column) -> bool:
    """True where a figure is nought for certain, not in a column of which some may be."""
    return isinstance(figure, float) and figure == 0.0


def crown_gain(shape: Crown, off: FlatCut) -> Column:
    """Return what a flat cut adds to the crown's volume in cc: less dome, then less dish.

    Parameters
    ----------
    shape : Crown
        Before it.
    off : FlatCut
        What it meets.

    Notes
    -----
    See trade.md 6.
    """
    return (
        -off.dish if _is_nought(shape.above_rim) else cylinder_volume(shape.above_area, off.above) - off.dish
    )


def with_crown_cut(h: HoleVolumes, off: FlatCut) -> HoleVolumes:
    """Return a hole with its crown cut: its rim lower, its dome less, its dish shallower, its top land shorter.

    Parameters
    ----------
    h : HoleVolumes
        Before it.
    off : FlatCut
        What the cut meets.

    Notes
    -----
    See trade.md 6.
    """
    return h._replace(
        clearance=h.clearance + off.rim,
        crown=h.crown + crown_gain(h.shape, off),
        crevice=h.crevice if _is_nought(h.ring) else h.crevice - cylinder_volume(h.ring, off.rim),
    )


def milled(f: Figures, cut: Column) -> Column:
    """Return what milling a head face takes from the chamber, in cc.

    Parameters
    ----------
    f : Figures
        A known rate k, or the opening's area with perimeter and wall draft, or what fills in steps say.
    cut : float, array, or what carries slopes
        Depth h in mm.

    Returns
    -------
    float, array, or what carries slopes
        k·h, or A₀·h − ½·p·tan α·h², h from the face as it is; not a number where nobody knows.

    Notes
    -----
    See trade.md 5.
    """
    if f.filled is not None:
        return f.filled
    if f.removal_rate is not None:
        return milled_at_rate(f.removal_rate, cut)
    if f.opening_area is None:
        return NOT_KNOWN
    if f.opening_perimeter is None or f.wall_draft is None:
        return milled_opening(f.opening_area, 0.0, cut)
    return milled_opening(f.opening_area, closing(f.opening_perimeter, f.wall_draft), cut)


def milled_at_rate(rate: Column, cut: Column) -> Column:
    """Return what milling takes from a chamber that loses the same at every depth: k·h, in cc.

    Parameters
    ----------
    rate : float, array, or what carries slopes
        k in cc per mm.
    cut : float, array, or what carries slopes
        Depth h in mm.

    Notes
    -----
    See trade.md 5.
    """
    return rate * cut


def milled_opening(area: Column, closes: Column, cut: Column) -> Column:
    """Return what milling takes from a chamber whose opening shrinks evenly: A₀·h − ½·p·tan α·h², in cc.

    Parameters
    ----------
    area : float, array, or what carries slopes
        A₀ of the uncut face in mm².
    closes : float, array, or what carries slopes
        p·tan α in mm² per mm.
    cut : float, array, or what carries slopes
        Depth h in mm.

    Notes
    -----
    See trade.md 5.
    """
    return (area * cut - 0.5 * closes * cut * cut) / 1000


def closing(perimeter: Column, draft: Column) -> Column:
    """Return how fast a chamber's opening shrinks with depth: p·tan α, in mm² per mm.

    Parameters
    ----------
    perimeter : float, array, or what carries slopes
        In mm.
    draft : float, array, or what carries slopes
        In degrees from the face's normal.

    Notes
    -----
    See trade.md 5.
    """
    return perimeter * tangent(draft)


def with_deck_cut(h: HoleVolumes, cut: Column) -> HoleVolumes:
    """Return a hole with its deck cut: its rim higher, and less of the chamber in the block and of its bore's edge.

    Parameters
    ----------
    h : HoleVolumes
        Before it.
    cut : float, array, or what carries slopes
        In mm.

    Notes
    -----
    See trade.md 5.
    """
    chamber = h.chamber
    if h.pocket is not None:
        chamber = chamber - cylinder_volume(h.pocket, cut)
    other = (
        h.other if h.edge is None else h.other - chamfer_volume(h.edge, None) + chamfer_volume(h.edge, cut)
    )
    return h._replace(clearance=h.clearance - cut, chamber=chamber, other=other)


def chamfer_volume(edge: Chamfer, deck_cut: Column) -> Column:
    """Return what the chamfer at the upper edge of a bore holds once its deck is cut, in cc.

    Parameters
    ----------
    edge : Chamfer
        As it was before the cut.
    deck_cut : float, array, or what carries slopes
        In mm; None for none.

    Returns
    -------
    float, array, or what carries slopes
        2π·(B/2 + w/3)·½·w²·tan α: a triangle turned about the bore's axis (Pappus), w what is left of its width;
        nought once the deck is below it.

    Notes
    -----
    See trade.md 3.
    """
    slant = tangent(edge.angle)
    width = edge.width if deck_cut is None else narrowed(edge.width, edge.angle, deck_cut)
    return math.pi * (edge.bore / 2 + width / 3) * width * width * slant / 1000


def narrowed(width: Column, angle: Column, deck_cut: Column) -> Column:
    """Return what a deck cut leaves of a chamfer's width, in mm: w − t/tan α, nought once the deck is below it.

    Parameters
    ----------
    width : float, array, or what carries slopes
        Before the cut, in mm.
    angle : float, array, or what carries slopes
        From the deck, in degrees.
    deck_cut : float, array, or what carries slopes
        In mm.

    Notes
    -----
    See trade.md 3.
    """
    return positive(width - deck_cut / tangent(angle))


def closed_by(h: HoleVolumes, thickness: Column, gasket: Column) -> Stacked:
    """Return what a hole comes to under a gasket.

    Parameters
    ----------
    h : HoleVolumes
        Cut.
    thickness : float, array, or what carries slopes
        Of the gasket, compressed, in mm.
    gasket : float, array, or what carries slopes
        What it holds, in cc.

    Notes
    -----
    See trade.md 3.
    """
    return Stacked(h.clearance, h.clearance + thickness, h.closed + gasket + deck_volume(h))


def deck_volume(h: HoleVolumes) -> Column:
    """Return what lies between rim and deck in cc: A·c, less than nought where the rim stands proud.

    Where the rim stands at the deck it wants no bore.

    Parameters
    ----------
    h : HoleVolumes
        Cut.

    Notes
    -----
    See trade.md 3.
    """
    return spanned(h.area, h.clearance) / 1000


def chord(edge: Chamfer, deck_cut: Column) -> Column:
    """Return the area in mm² through which a deck cut takes from a chamfer, on the average of the whole cut.

    Parameters
    ----------
    edge : Chamfer
        As it was before the cut.
    deck_cut : float or array
        In mm, above nought.

    Notes
    -----
    Where a plan wants straight lines the chamfer counts as a pocket of that area: true at both ends of the cut,
    between them too large by at most π·B/2·(t/2)²/tan α (0.003 cc for 0.3 mm off a 92 mm bore at 45°).
    See trade.md 3.
    """
    return (chamfer_volume(edge, None) - chamfer_volume(edge, deck_cut)) * 1000 / deck_cut


def trapped_volume(f: Figures) -> Column:
    """Return what the piston sweeps from where the intake closes, in cc.

    Parameters
    ----------
    f : Figures
        With ``intake_closes`` in degrees after bottom dead centre.

    Returns
    -------
    float, array, or what carries slopes
        A·x(180° + θ), x(φ) = r(1 − cos φ) + L − √(L² − r² sin² φ), r = S/2.

    Notes
    -----
    See trade.md 4.
    """
    r, angle = f.stroke / 2, f.intake_closes + 180.0
    across = r * sine(angle)
    drop = r - r * cosine(angle) + f.rod_length - root(f.rod_length * f.rod_length - across * across)
    return cylinder_volume(circle_area(f.bore), drop)


# -- one hole --------------------------------------------------------------------------


class KernelResults(NamedTuple):
    """What one hole comes to: the five that carry slopes, then the terms of its clearance volume, then its areas.

    Clearance and quench in mm; swept, clearance and trapped volume in cc; the terms in cc; bore, ring around the top
    land and gasket opening in mm²; what the dish held uncut in cc; what is left of the top land, and above the rim,
    in mm.
    """

    clearance: Column
    quench: Column
    swept: Column
    volume: Column
    trapped: Column
    chamber: Column
    gasket: Column
    deck: Column
    crown: Column
    crevice: Column
    other: Column
    area: Column
    ring: Column
    opening: Column
    dish: Column
    land_left: Column
    above_left: Column


# How many of the results carry slopes.
SLOPED = 5


class Slopes(NamedTuple):
    """By how much the results of a hole move with one unit of a figure: mm of clearance and quench, cc of volumes."""

    clearance: float = 0.0
    quench: float = 0.0
    swept: float = 0.0
    volume: float = 0.0
    trapped: float = 0.0

    def times(self, by: float) -> Slopes:
        """Return the slopes on something of which one unit moves the figure by so much (trade.md 1).

        Parameters
        ----------
        by : float
            In the figure's unit per unit of it.
        """
        return Slopes(*(by * slope for slope in self))


def hole(f: Figures, cuts: Cuts) -> KernelResults:
    """Return what a hole comes to under its cuts; lengths in mm, areas in mm², volumes in cc.

    Parameters
    ----------
    f : Figures
        As it is.
    cuts : Cuts
        What is taken.

    Notes
    -----
    c = H − (S/2 + L + P) − deck + rim; q = c + gasket; Vs = A·S;
    Vc = chamber + gasket + A·c + crown + crevice + other (trade.md 2, 3).
    """
    h, land = uncut(f), f.land_height
    above = h.shape.above_rim
    if cuts.crown is not None:
        off = flat_cut(h.shape, cuts.crown)
        h = with_crown_cut(h, off)
        land = None if land is None else land - off.rim
        above = above - off.above
    if cuts.bowl is not None:
        h = h._replace(crown=h.crown + cuts.bowl)
    if cuts.opened is not None:
        h = h._replace(chamber=h.chamber + cuts.opened)
    if cuts.head is not None:
        h = h._replace(chamber=h.chamber - milled(f, cuts.head))
    if cuts.deck is not None:
        h = with_deck_cut(h, cuts.deck)
    gasket = gasket_volume(f)
    stacked = closed_by(h, f.gasket_thickness, gasket)
    return KernelResults(
        clearance=stacked.clearance,
        quench=stacked.quench,
        swept=swept_volume(f),
        volume=stacked.volume,
        trapped=0.0 if f.intake_closes is None else trapped_volume(f),
        chamber=h.chamber,
        gasket=gasket,
        deck=deck_volume(h),
        crown=h.crown,
        crevice=h.crevice,
        other=h.other,
        area=h.area,
        ring=h.ring,
        opening=NOT_KNOWN if f.gasket_volume is not None else gasket_opening(f),
        dish=h.shape.dish,
        land_left=math.inf if land is None else land,
        above_left=above,
    )
