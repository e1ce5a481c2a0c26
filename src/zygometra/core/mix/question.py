"""What is asked of the shelf: one block, windows, what may be done, and what counts first."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, Literal

from ..build.model import ROD_MATERIALS
from ..house_rules import HouseRules
from ..windows import OPEN, Window

Priority = Literal["cheapest", "least-machining", "nearest"]
PRIORITIES: dict[str, str] = {
    "cheapest": "cheapest",
    "least-machining": "least machining",
    "nearest": "nearest the aims",
}


@dataclass(frozen=True, slots=True)
class WindowKind:
    """A result that a window can be set on: its key, what it is called, its unit, its usual step.

    ``scale`` is what counts as one step away from an aim where the window has no two
    edges, in the base unit; relative to the aim where ``relative``.
    """

    key: str
    label: str
    unit: str
    scale: float
    relative: bool = False
    decimals: int = 2

    @property
    def words(self) -> str:
        """What it is called, with places for the reader's own words, to be put into a sentence."""
        return {"quench": "{quench}", "deck_clearance": "{deck} clearance"}.get(self.key, self.label)


WANTED: tuple[WindowKind, ...] = (
    WindowKind("deck_clearance", "deck clearance", "mm", 0.1),
    WindowKind("quench", "quench", "mm", 0.1),
    WindowKind("compression_ratio", "compression ratio", "", 0.2),
    WindowKind("displacement", "displacement", "cc", 0.02, relative=True, decimals=0),
    WindowKind("rod_ratio", "rod ratio", "", 0.05),
    WindowKind("piston_speed", "mean piston speed", "m/s", 0.5, decimals=1),
    WindowKind("cost", "cost still to come", "", 0.05, relative=True),
)
WANTED_KEY: dict[str, WindowKind] = {wanted.key: wanted for wanted in WANTED}


@dataclass(frozen=True, slots=True)
class MixQuestion:
    """One question to the shelf.

    Parameters
    ----------
    block : str
        The code of the block.
    windows : Mapping
        By the keys of :data:`WANTED`: lengths in mm, displacement in cc, piston speed
        in m/s, cost in the shop's money. A missing one asks nothing.
    rpm : float
        For the piston speed.
    priority : str
        What counts first.
    best : int
        How many recipes are wanted.
    only_in_hand : bool
        Leave out what is not on the shelf in the number needed.
    machining : frozenset of str or None
        Operations that may be planned; None for all.
    use : Mapping
        Parts that must be used, code by kind.
    quench_floor : Mapping
        Least quench by rod material in mm, from the house rules; never undercut. The
        key ``""`` is for a rod whose material is not known.
    crown_limit : float
        Largest crown cut in mm, from the house rules.
    land_left, crown_left : float
        What must remain of top land and crown under the rim after facing, in mm, from the
        house rules.
    clean_up : float
        What grinding takes off a journal's radius before it can move its centre, mm.
    """

    block: str
    windows: Mapping[str, Window] = field(default_factory=dict)
    rpm: float = 5500.0
    priority: Priority = "cheapest"
    best: int = 50
    only_in_hand: bool = False
    machining: frozenset[str] | None = None
    use: Mapping[str, str] = field(default_factory=dict)
    quench_floor: Mapping[str, float] = field(default_factory=lambda: {"": 0.9})
    crown_limit: float = 1.0
    clean_up: float = 0.1
    land_left: float = 3.0
    crown_left: float = 5.0

    def window(self, key: str) -> Window:
        """Return the window of a result; an open one where none was set, in its base unit.

        Parameters
        ----------
        key : str
            Name of a result, such as ``quench``.
        """
        return self.windows.get(key, OPEN)

    def asks(self, key: str) -> bool:
        """Tell whether anything is asked of a result.

        Parameters
        ----------
        key : str
            Name of a result, such as ``quench``.
        """
        window = self.window(key)
        return window.is_bounded or window.aim is not None

    def allows(self, machining: str) -> bool:
        """Tell whether an operation may be planned.

        Parameters
        ----------
        machining : str
            Name of an operation; empty for none.
        """
        return self.machining is None or machining in self.machining

    def floor(self, material: str) -> float:
        """Return the least quench for a rod material, in mm.

        Parameters
        ----------
        material : str
            Of the rod; empty where it is not known.
        """
        return self.quench_floor.get(material, self.quench_floor[""])

    def aim(self, key: str) -> float | None:
        """Return what is aimed at: the aim, else the middle of a window of two edges, in its base unit (trade.md 13).

        Parameters
        ----------
        key : str
            Name of a result, such as ``quench``.
        """
        window = self.window(key)
        if window.aim is not None:
            return window.aim
        if window.low is not None and window.high is not None:
            return (window.low + window.high) / 2
        return None

    def scale(self, key: str) -> float:
        """Return what counts as one step away from the aim of a result; in its base unit (trade.md 13).

        Parameters
        ----------
        key : str
            Name of a result, such as ``quench``.
        """
        window, wanted = self.window(key), WANTED_KEY[key]
        if window.low is not None and window.high is not None and window.high > window.low:
            return (window.high - window.low) / 2
        aim = self.aim(key) or 0.0
        return wanted.scale * aim if wanted.relative and aim > 0 else wanted.scale


def limits_of(rules: HouseRules, rpm: float) -> dict[str, Any]:
    """Return what the house rules set for a question, by the names of :class:`MixQuestion`.

    Parameters
    ----------
    rules : HouseRules
        In force.
    rpm : float
        The speed it is to run at, in revolutions a minute.
    """
    floors = {material: rules.quench_floor(material, rpm) for material in ("", *ROD_MATERIALS)}
    return {
        "quench_floor": floors,
        "crown_limit": rules["crown_cut_limit"],
        "land_left": rules["land_left"],
        "crown_left": rules["crown_left"],
    }
