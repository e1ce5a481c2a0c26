"""The table of levers: everything that can be cut, fitted or opened to move a result.

One row a lever. Files, plans, limits, handles, sensitivities and inverse questions all
read it, so that a lever that comes is a row here.
"""

from __future__ import annotations

from typing import Literal

from msgspec import Struct

from ..units import CC, MM, Kind, Unit

OpName = Literal["deck_cut", "head_cut", "crown_cut", "gasket", "open_chamber", "bowl", "swap_heads", "fit"]
# On what one setting of a lever acts: the deck or head of a bank, the pistons, one hole.
Reach = Literal["bank", "set", "hole"]


class Lever(Struct, frozen=True):
    """One lever.

    Parameters
    ----------
    key : str
        The operation's name in files and plans.
    label : str
        What it is called in a sentence.
    doing : str
        What whoever uses it does, as the subject of a sentence.
    unit : Unit
        The base unit of its amount: mm, or cc.
    step : float
        One step of its handle in that unit; who reads inches steps a length by one thou.
    most : float
        The largest amount that could be meant, in that unit.
    reach : {"bank", "set", "hole"}
        On what one setting acts.
    clearance, quench : float
        What one unit does to deck clearance and quench, in mm.
    limit_rule : str
        The house rule for how far it goes where a build sets no limit; empty where it
        has none: a gasket is chosen, not cut.
    """

    key: OpName
    label: str
    doing: str
    unit: Unit
    step: float
    most: float
    reach: Reach
    clearance: float
    quench: float
    limit_rule: str

    @property
    def kind(self) -> Kind:
        """What its amount measures."""
        return self.unit.kind

    @property
    def has_amount(self) -> bool:
        """True where so much is taken off or opened; a gasket is one or another."""
        return bool(self.limit_rule)


LEVERS: tuple[Lever, ...] = (
    Lever(
        "deck_cut",
        "deck cut",
        "a deck cut",
        MM,
        step=0.01,
        most=50,
        reach="bank",
        clearance=-1,
        quench=-1,
        limit_rule="deck_cut_limit",
    ),
    Lever(
        "head_cut",
        "head cut",
        "milling the head",
        MM,
        step=0.01,
        most=50,
        reach="bank",
        clearance=0,
        quench=0,
        limit_rule="head_cut_limit",
    ),
    Lever(
        "crown_cut",
        "crown cut",
        "a crown cut",
        MM,
        step=0.01,
        most=50,
        reach="set",
        clearance=1,
        quench=1,
        limit_rule="crown_cut_limit",
    ),
    Lever(
        "gasket",
        "gasket",
        "the gasket",
        MM,
        step=0.01,
        most=20,
        reach="bank",
        clearance=0,
        quench=1,
        limit_rule="",
    ),
    Lever(
        "open_chamber",
        "chamber opening",
        "opening the chamber",
        CC,
        step=0.1,
        most=500,
        reach="hole",
        clearance=0,
        quench=0,
        limit_rule="open_chamber_limit",
    ),
    # Sunk into every crown, however it was faced before: it adds its volume and moves no rim.
    Lever(
        "bowl",
        "bowl",
        "a deeper bowl",
        CC,
        step=0.1,
        most=500,
        reach="set",
        clearance=0,
        quench=0,
        limit_rule="bowl_limit",
    ),
)

LEVER: dict[str, Lever] = {lever.key: lever for lever in LEVERS}
# Two heads change sides, each turned end for end: done or not, so it is no lever.
SWAP: OpName = "swap_heads"
# Another part is fitted in place of what is there.
FIT: OpName = "fit"
OPS: tuple[OpName, ...] = (*(lever.key for lever in LEVERS), SWAP, FIT)
# Those of which so much is taken off or opened.
AMOUNTS: tuple[Lever, ...] = tuple(lever for lever in LEVERS if lever.has_amount)


def lever_named(key: str) -> Lever | None:
    """Return the lever of a name; None where there is no such lever.

    Parameters
    ----------
    key : str
        As it stands in an address or a form.

    Returns
    -------
    Lever or None
        The lever.

    Examples
    --------
    >>> lever_named("deck_cut").label, lever_named("weld")
    ('deck cut', None)
    """
    return LEVER.get(key)
