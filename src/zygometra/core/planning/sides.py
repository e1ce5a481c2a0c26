"""One bank in columns of draws: its holes with crowns cut, its extremes, what milling its head takes."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np

from ..build.means import Part
from .draws import Table
from .results import Wanted
from .truth import Base, Truth


class Side(NamedTuple):
    """One bank with parts fitted and crowns cut, drawn or as stated (one draw)."""

    clearance: Table
    closed: Table
    area: Table
    swept: Table
    pocket: Table
    gasket: Table
    gasket_volume: Table

    @classmethod
    def of(cls, base: Base, columns: slice, crown: Table) -> Side:
        """Return a bank with its crowns cut.

        Parameters
        ----------
        base : Base
            Every hole before anything is cut.
        columns : slice
            The bank's holes.
        crown : array
            What comes off the crowns in each draw, in mm.
        """

        def rows(table: Table) -> Table:
            return np.ascontiguousarray(table[:, columns].T)

        above, dish, depth, ring = (
            rows(table) for table in (base.above_rim, base.dish_area, base.dish_depth, base.ring)
        )
        clearance, closed = rows(base.clearance), rows(base.closed)
        if crown.any():
            rim = np.maximum(crown - above, 0.0)
            gained = rows(base.above_area) * np.minimum(crown, above) - dish * np.minimum(rim, depth)
            clearance, closed = clearance + rim, closed + (gained - ring * rim) / 1000
        rest = (base.area, base.swept, base.pocket, base.gasket, base.gasket_volume)
        return cls(clearance, closed, *(rows(table) for table in rest))


class Edges(NamedTuple):
    """The extremes of a bank in each draw: least and most clearance, least room over and under the volume's edges.

    ``low`` must not be below nought, ``high`` not above: both in mm of deck.
    """

    least: Table
    most: Table
    low: Table
    high: Table


def edges(side: Side, wanted: Wanted, wedge: Table, opened: Table, *, kept: bool) -> Edges:
    """Return the extremes of a bank.

    Parameters
    ----------
    side : Side
        The bank.
    wanted : Wanted
        The windows.
    wedge : array
        What levelling takes in each hole beyond the mean of its ends, in mm, a column.
    opened : array
        What each chamber is opened, in cc, a column or a table.
    kept : bool
        True with the gasket that is there counted in; its thickness may differ from hole to hole.
    """
    clearance = side.clearance - wedge
    shown = clearance + side.gasket if kept else clearance
    full = side.closed + opened + side.area * clearance / 1000 - side.pocket * wedge / 1000
    if kept:
        full = full + side.gasket_volume
    per_mm = (side.area + side.pocket) / 1000
    low, high = wanted.ratio.low, wanted.ratio.high
    none = np.zeros(side.clearance.shape[1])
    room_low = (
        ((full - side.swept / (high - 1)) / per_mm).min(axis=0) if high is not None else none + math.inf
    )
    room_high = ((full - side.swept / (low - 1)) / per_mm).max(axis=0) if low is not None else none - math.inf
    return Edges(shown.min(axis=0), shown.max(axis=0), room_low, room_high)


class Taken(NamedTuple):
    """What milling takes: a depth to cc and back, and cc per mm at a depth."""

    depths: Table
    volumes: Table

    @classmethod
    def of(cls, truth: Truth, parts: tuple[Part, ...], columns: slice, deepest: float) -> Taken | None:
        """Return the table of a head up to its limit; None where it is not known what milling takes.

        Parameters
        ----------
        truth : Truth
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
        """Return cc per mm at a depth.

        Parameters
        ----------
        depth : float
            In mm.
        """
        near = max(self.depths[-1] * 1e-3, 1e-9)
        low, high = np.interp([depth - near, depth + near], self.depths, self.volumes)
        return float((high - low) / (2 * near))
