"""One bank in columns of draws: its holes with crowns cut, its extremes, what milling its head takes."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..build.means import FittedPart
from ..stack.arithmetic import cc_per_mm, clearance_volume_for, cylinder_volume
from ..stack.kernel import HoleVolumes, chord, flat_cut, with_crown_cut
from .figure_samples import FigureSamples, UncutHoles, shape_of
from .quasi_random import Table
from .results import PlanTargets


class CutBank(NamedTuple):
    """One bank with parts fitted and crowns cut, drawn or as stated (one draw)."""

    clearance: Table
    closed: Table
    area: Table
    swept: Table
    pocket: Table
    gasket: Table
    gasket_volume: Table

    def full(self, clearance: Table) -> Table:
        """Return the volume above the pistons without gaskets, in cc.

        Parameters
        ----------
        clearance : array
            In mm.
        """
        return np.asarray(self.closed + cylinder_volume(self.area, clearance))

    @property
    def per_mm(self) -> Table:
        """What a mm of deck takes, in cc."""
        return cc_per_mm(self.area + self.pocket)


class UncutBank(NamedTuple):
    """One bank with parts fitted, before its crowns are cut: what :class:`UncutHoles` holds, a row for each hole."""

    clearance: Table
    closed: Table
    area: Table
    swept: Table
    ring: Table
    above_rim: Table
    above_area: Table
    dish_area: Table
    dish: Table
    pocket: Table
    gasket: Table
    gasket_volume: Table
    to_cone: Table | None
    begun: Table | None
    untold: Table | None

    @classmethod
    def of(cls, base: UncutHoles, columns: slice, deck: float = 1.0) -> UncutBank:
        """Return one bank of all holes.

        Parameters
        ----------
        base : UncutHoles
            Every hole before anything is cut.
        columns : slice
            The bank's holes.
        deck : float
            How far its deck may be cut in mm: a chamfer counts as a pocket that gives as much over that cut.
        """
        if base.edge is not None:
            base = base._replace(pocket=base.pocket + chord(base.edge, max(deck, 0.01)))
        return cls._make(
            None if (table := getattr(base, name)) is None else np.ascontiguousarray(table[:, columns].T)
            for name in cls._fields
        )

    def some(self, draws: slice) -> UncutBank:
        """Return the bank in some of its draws.

        Parameters
        ----------
        draws : slice
            Which; no unit.
        """
        return UncutBank._make(None if table is None else table[:, draws] for table in self)

    def cut(self, crown: Table, bowl: Table | float = 0.0) -> CutBank:
        """Return the bank with its crowns cut.

        Parameters
        ----------
        crown : array
            What comes off the crowns in each draw, in mm.
        bowl : array or float
            What is sunk into them, in cc.
        """
        clearance, closed = self.clearance, self.closed + bowl
        if crown.any():
            shape = shape_of(self)
            whole = HoleVolumes(
                clearance=clearance,
                area=self.area,
                chamber=closed,
                crown=0.0,
                crevice=0.0,
                other=0.0,
                ring=self.ring,
                shape=shape,
            )
            whole = with_crown_cut(whole, flat_cut(shape, crown))
            clearance, closed = whole.clearance, whole.closed
        clearance = np.broadcast_to(clearance, np.broadcast_shapes(clearance.shape, closed.shape))
        return CutBank(
            clearance=clearance,
            closed=closed,
            area=self.area,
            swept=self.swept,
            pocket=self.pocket,
            gasket=self.gasket,
            gasket_volume=self.gasket_volume,
        )


class BankExtremes(NamedTuple):
    """The extremes of a bank in each draw, in mm.

    ``least`` and ``most`` gap, or clearance where no gasket is counted; ``low`` is the room over the volume's
    lower edge, at least nought inside, ``high`` that over the upper one, at most nought; ``up`` and ``down``
    the least and most clearance.
    """

    least: Table
    most: Table
    low: Table
    high: Table
    up: Table
    down: Table


def extremes_of(
    side: CutBank, wanted: PlanTargets, wedge: Table, opened: Table, *, kept: bool | NDArray[np.bool_]
) -> BankExtremes:
    """Return the extremes of a bank, or of several patterns of cuts at once (trade.md 11).

    Parameters
    ----------
    side : CutBank
        The bank.
    wanted : PlanTargets
        The windows.
    wedge : array
        What levelling takes in each hole beyond the mean of its ends, in mm: a column, or one for each pattern.
    opened : array
        What each chamber is opened, in cc: a column or a table, or one for each pattern.
    kept : bool or array of bool
        True with the gasket that is there counted in; its thickness may differ from hole to hole.

    Returns
    -------
    BankExtremes
        An entry for each draw, or a row of them for each pattern.
    """
    clearance = side.clearance - wedge
    full = side.full(clearance) + opened
    if side.pocket.any():
        full = full - cylinder_volume(side.pocket, wedge)
    shown = clearance
    if np.any(kept):
        shown = clearance + np.where(kept, side.gasket, 0.0)
        full = full + np.where(kept, side.gasket_volume, 0.0)
    per_mm = side.per_mm
    low, high = wanted.ratio.low, wanted.ratio.high
    up, down = clearance.min(axis=-2), clearance.max(axis=-2)
    none = np.zeros_like(up)
    room_low = (
        ((full - clearance_volume_for(side.swept, high)) / per_mm).min(axis=-2)
        if high is not None
        else none + math.inf
    )
    room_high = (
        ((full - clearance_volume_for(side.swept, low)) / per_mm).max(axis=-2)
        if low is not None
        else none - math.inf
    )
    return BankExtremes(
        least=shown.min(axis=-2), most=shown.max(axis=-2), low=room_low, high=room_high, up=up, down=down
    )


class MilledVolume(NamedTuple):
    """What milling takes: a depth to cc and back, and cc per mm at a depth."""

    depths: Table
    volumes: Table

    @classmethod
    def of(
        cls, truth: FigureSamples, parts: tuple[FittedPart, ...], columns: slice, deepest: float
    ) -> MilledVolume | None:
        """Return the table of a head up to its limit; None where it is not known what milling takes.

        Parameters
        ----------
        truth : FigureSamples
            The stated values.
        parts : tuple
            Fitted; a head among them brings its own opening.
        columns : slice
            Of the holes, those of one bank.
        deepest : float
            The limit in mm.
        """
        depths = np.linspace(0.0, deepest, 33)
        volumes = np.array([truth.removed(parts, np.full((1, 1), depth), columns)[0, 0] for depth in depths])
        good = ~np.isnan(volumes)
        return cls(depths[good], volumes[good]) if good.sum() > 1 else None

    def depth(self, volume: Table) -> Table:
        """Return the depth that takes a volume, in mm.

        Parameters
        ----------
        volume : array
            In cc.
        """
        return np.asarray(np.interp(volume, self.volumes, self.depths))

    def volume(self, depth: Table) -> Table:
        """Return what a depth takes, in cc.

        Parameters
        ----------
        depth : array
            In mm.
        """
        return np.asarray(np.interp(depth, self.depths, self.volumes))

    def rate(self, depth: float) -> float:
        """Return cc per mm at a depth (trade.md 5).

        Parameters
        ----------
        depth : float
            In mm.
        """
        near = max(self.depths[-1] * 1e-3, 1e-9)
        low, high = np.interp([depth - near, depth + near], self.depths, self.volumes)
        return float((high - low) / (2 * near))
