"""What is usual in a shop where nobody said otherwise: doubts, scatters, minutes, expansions.

Rules of thumb as data: none of them stands in a formula. What a shop changes itself are the
house rules (:mod:`.house_rules`).
"""

from __future__ import annotations

BASES = ("catalogue", "advertised", "measured", "mock-up", "assumed")

# Doubt where none is stated: a half-width ±T by dimension and basis, in the kind's
# base unit. The order of the columns is that of BASES.
_UNSTATED: dict[str, tuple[float, float, float, float, float]] = {
    "deck_height": (0.10, 0.15, 0.05, 0.05, 0.30),
    "bore": (0.02, 0.05, 0.02, 0.02, 0.20),
    "stroke": (0.08, 0.10, 0.04, 0.04, 0.20),
    "length": (0.05, 0.08, 0.04, 0.04, 0.20),
    "compression_height": (0.05, 0.08, 0.04, 0.04, 0.20),
    "crown_volume": (0.5, 1.0, 0.3, 0.3, 1.5),
    "top_land_height": (0.10, 0.20, 0.05, 0.05, 0.50),
    "top_land_diameter": (0.05, 0.10, 0.03, 0.03, 0.20),
    "dish_area": (60.0, 100.0, 40.0, 40.0, 150.0),
    "above_rim": (0.10, 0.20, 0.05, 0.05, 0.50),
    "above_rim_area": (60.0, 100.0, 40.0, 40.0, 150.0),
    "crown_thickness": (0.20, 0.30, 0.10, 0.10, 1.00),
    "above_rim_thickness": (0.20, 0.30, 0.10, 0.10, 1.00),
    "gasket_volume": (0.4, 0.6, 0.3, 0.3, 1.0),
    "swept_volume": (0.5, 1.0, 0.5, 0.5, 3.0),
    "thickness": (0.05, 0.08, 0.04, 0.04, 0.10),
    "gasket_bore": (0.30, 0.50, 0.15, 0.15, 0.80),
    "chamber_volume": (0.8, 1.5, 0.4, 0.4, 2.5),
    "pocket_area": (60.0, 100.0, 40.0, 40.0, 150.0),
    "edge_width": (0.20, 0.30, 0.10, 0.10, 0.50),
    "edge_angle": (3.0, 5.0, 2.0, 2.0, 10.0),
    "other_volume": (0.3, 0.5, 0.2, 0.2, 1.0),
    "opening_area": (80.0, 120.0, 50.0, 50.0, 200.0),
    "opening_perimeter": (4.0, 6.0, 3.0, 3.0, 10.0),
    "wall_draft": (2.0, 3.0, 1.5, 1.5, 5.0),
    "removal_rate": (0.10, 0.15, 0.06, 0.06, 0.25),
    "intake_closes": (1.0, 2.0, 1.0, 1.0, 4.0),
    "deck_clearance": (0.05, 0.05, 0.03, 0.03, 0.20),
    # A point of a face, read from an arbor or by a probe: whatever basis is named, it was read.
    "surveyed": (0.01, 0.01, 0.01, 0.01, 0.01),
    "fit": (0.03, 0.05, 0.02, 0.02, 0.20),
    "deck_cut": (0.02, 0.02, 0.02, 0.02, 0.02),
    "head_cut": (0.02, 0.02, 0.02, 0.02, 0.02),
    "crown_cut": (0.02, 0.02, 0.02, 0.02, 0.02),
    "open_chamber": (0.2, 0.2, 0.2, 0.2, 0.2),
    "bowl": (0.2, 0.2, 0.2, 0.2, 0.2),
}
_EXACT = (
    "bank_angle",
    "bore_pitch",
    "at_lift",
    "displacement",
    "clearance_volume",
    "piston_clearance",
    "target",
    "limit",
    "exact",
)

# The usual spread of one person with the usual gauge: it stands in for the sample
# standard deviation where a reading was taken once only.
_REPEATABILITY: dict[str, float] = {
    "deck_height": 0.01, "bore": 0.005, "stroke": 0.02, "length": 0.01,
    "compression_height": 0.01, "crown_volume": 0.15, "top_land_height": 0.02,
    "top_land_diameter": 0.01, "above_rim": 0.02, "above_rim_area": 20.0, "crown_thickness": 0.05,
    "above_rim_thickness": 0.05,
    "gasket_volume": 0.1, "swept_volume": 0.2, "dish_area": 20.0, "thickness": 0.01, "gasket_bore": 0.05,
    "pocket_area": 20.0, "edge_width": 0.05, "edge_angle": 1.0, "other_volume": 0.1, "chamber_volume": 0.15,
    "opening_area": 20.0, "opening_perimeter": 1.0, "wall_draft": 0.5,
    "removal_rate": 0.03, "intake_closes": 0.5, "deck_clearance": 0.01, "deck_cut": 0.005,
    "surveyed": 0.005,
    "fit": 0.005, "head_cut": 0.005, "crown_cut": 0.005, "open_chamber": 0.1, "bowl": 0.1,
}  # fmt: skip


# The ring around a top land of which nobody said the size: its radial gap and its height, in mm.
USUAL_LAND = (0.3, 6.0)

# How much wider than the bore a gasket's opening is of which nobody said the size: from the bore up, in mm.
USUAL_OPENING = (1.0, 1.0)

# How far holes of one bank stand off its line or mean beyond what readings scatter (standard
# deviation), and what a bank's deck usually slopes, in mm and mm per m.
_BETWEEN_HOLES: dict[str, float] = {"deck_clearance": 0.02, "chamber_volume": 0.4}

# How pieces of one set differ from one another, and how a bank's deck slopes per mm along it
# (standard deviations): what a reading may stand off its paper figure without anything being wrong.
_PIECES: dict[str, float] = {
    "deck_height": 0.01, "stroke": 0.012, "length": 0.012, "compression_height": 0.012, "bore": 0.008,
    "chamber_volume": 0.4, "crown_volume": 0.2,
}  # fmt: skip
BANK_SLOPE = 0.1 / 1000

# Minutes of one careful reading, gauge in hand and set, and of zeroing it afresh.
_MINUTES: dict[str, float] = {
    "deck_clearance": 4, "deck_height": 5, "bore": 2, "stroke": 8, "length": 5, "compression_height": 3,
    "crown_volume": 10, "chamber_volume": 8, "thickness": 2, "gasket_bore": 2, "gasket_volume": 10,
    "gasket_opening_area": 10, "top_land_height": 2, "top_land_diameter": 2,
}  # fmt: skip
_OTHER_MINUTES = 5.0
ZERO_MINUTES = 1.0

# Expansion per K: iron block, steel crank, light-alloy piston and head, by the part or the material.
_EXPANSION: dict[str, float] = {
    "block": 11e-6, "bore edge": 11e-6, "crank": 11.5e-6, "rod": 11.5e-6, "piston": 21e-6, "gasket": 11.5e-6,
    "head": 22e-6, "cam": 11.5e-6, "iron": 11e-6, "steel": 11.5e-6, "titanium": 8.6e-6, "aluminium": 22e-6,
    "carbide": 6e-6, "granite": 7e-6, "invar": 1.5e-6,
}  # fmt: skip


def unstated_doubt(dimension: str, basis: str) -> float:
    """Return the half-width that stands in where a value states no doubt.

    Parameters
    ----------
    dimension : str
        A field's name, or an operation's.
    basis : str
        One of :data:`BASES`.

    Returns
    -------
    float
        Half-width ±T in the base unit of the dimension; 0 for the few that are
        exact by nature (a bank angle, a target).

    Examples
    --------
    >>> unstated_doubt("chamber_volume", "advertised")
    1.5
    """
    if dimension in _EXACT:
        return 0.0
    return _UNSTATED[dimension][BASES.index(basis)]


def repeatability(dimension: str) -> float:
    """Return the usual standard deviation of one reading, in the base unit.

    Parameters
    ----------
    dimension : str
        A field's name, or an operation's.

    Returns
    -------
    float
        Standard deviation in the base unit; 0 for what is exact by nature.

    Examples
    --------
    >>> repeatability("deck_clearance")
    0.01
    """
    return 0.0 if dimension in _EXACT else _REPEATABILITY[dimension]


def between_holes(figure: str) -> float:
    """Return how far holes usually stand off their bank's line or mean, as a standard deviation.

    Parameters
    ----------
    figure : str
        ``deck_clearance`` or ``chamber_volume``.

    Returns
    -------
    float
        In the base unit.
    """
    return _BETWEEN_HOLES[figure]


def piece_scatter(figure: str) -> float:
    """Return how pieces of one set usually differ in a figure, as a standard deviation.

    Parameters
    ----------
    figure : str
        As a reading names it.

    Returns
    -------
    float
        In the base unit; nought for what all holes share.
    """
    return _PIECES.get(figure, 0.0)


def agree_within(*, volume: bool) -> float:
    """Return how far successive readings may be apart where no gauge says its step.

    Parameters
    ----------
    volume : bool
        True for a volume that was filled.

    Returns
    -------
    float
        In mm, or cc.

    Examples
    --------
    >>> agree_within(volume=True)
    0.3
    """
    return 0.3 if volume else 0.02


def minutes_of(figure: str) -> float:
    """Return how long one careful reading of a figure takes, in minutes.

    Parameters
    ----------
    figure : str
        As a reading names it.

    Examples
    --------
    >>> minutes_of("bore")
    2
    """
    return _MINUTES.get(figure, _OTHER_MINUTES)


def expansion(part: str, material: str) -> float:
    """Return the thermal expansion of a part or a gauge.

    Parameters
    ----------
    part : str
        A part of the build, or a gauge's material.
    material : str
        Where it is known it counts; empty where it is not.

    Returns
    -------
    float
        Per K; that of steel for what the house does not know.

    Examples
    --------
    >>> expansion("block", ""), expansion("rod", "aluminium")
    (1.1e-05, 2.2e-05)
    """
    return _EXPANSION.get(material or part, _EXPANSION["steel"])
