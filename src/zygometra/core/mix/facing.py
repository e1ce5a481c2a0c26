"""Facing a crown: how far it may go, how far it goes, and whether the top ring stays below the deck."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import NamedTuple

import numpy as np

from ..stack.in_hole import NO_ROOM
from ..windows import TOLERANCE
from .question import MixQuestion
from .shelf import Bools, Floats


class Crowns(NamedTuple):
    """What decides how far crowns may be faced, piston by piston; not a number where not known.

    ``land`` is the top land's height and ``thickness`` the crown's under its rim, ``dome`` how
    high something stands above the rim, all in mm; ``volume`` the crown's in cc, ``dish_area``
    the opening of its dish in mm²; ``flat`` tells where a word says that nothing stands above
    the rim.
    """

    land: Floats
    thickness: Floats
    dome: Floats
    volume: Floats
    dish_area: Floats
    flat: Bools


_CROWN_FIGURES = ("top_land_height", "crown_thickness", "dome_height", "crown_volume", "dish_area")


def crowns(column: Callable[[str], Floats], words: Iterable[str]) -> Crowns:
    """Return what decides how far crowns may be faced.

    Parameters
    ----------
    column : callable
        From a dimension of pistons to its column.
    words : iterable of str
        What each says of its crown; empty where nobody said.
    """
    flat = np.array([word in ("flat", "dish") for word in words], bool)
    land, thickness, dome, volume, dish_area = map(column, _CROWN_FIGURES)
    return Crowns(land=land, thickness=thickness, dome=dome, volume=volume, dish_area=dish_area, flat=flat)


def most_off(question: MixQuestion, of: Crowns) -> Floats:
    """Return how far crowns may be faced, piston by piston, in mm.

    Parameters
    ----------
    question : MixQuestion
        The house's figures: the usual limit, and what must remain of land and crown.
    of : Crowns
        The pistons.

    Returns
    -------
    array of float
        Nought where something stands above the rim, or nobody said that nothing does; and where nobody told the
        opening of a dish: what is left of it once the rim is cut is not known.

    Notes
    -----
    Where land and crown are both known, what remains of them sets the limit, even beyond
    the house's usual one; else the usual one, or less where the one that is known wants it.
    A dish is never cut through (trade.md 6).
    """
    by_land, by_crown = of.land - question.land_left, of.thickness - question.crown_left
    both = np.isfinite(by_land) & np.isfinite(by_crown)
    usual = np.fmin(np.fmin(by_land, by_crown), question.crown_limit)
    most = np.where(both, np.fmin(by_land, by_crown), usual)
    with np.errstate(divide="ignore", invalid="ignore"):
        depth = of.volume * 1000 / of.dish_area
    most = np.where((of.dish_area > 0) & (of.volume > 0), np.minimum(most, depth), most)
    clear = ((of.dome == 0) | (np.isnan(of.dome) & of.flat)) & ~dish_is_untold(of)
    return np.where(clear & (question.crown_limit > 0), np.maximum(most, 0.0), 0.0)


def dish_is_untold(of: Crowns) -> Bools:
    """Tell of which crowns with room below their rim nobody told the opening.

    Parameters
    ----------
    of : Crowns
        The pistons.
    """
    return np.isnan(of.dish_area) & (of.volume > NO_ROOM)


def ring_stays_down(land: Floats, cut: Floats, clearance: Floats) -> Bools:
    """Tell where the top ring stays below the deck.

    Parameters
    ----------
    land : array of float
        How far it lies under the uncut rim in mm; infinite where that is not known.
    cut, clearance : array of float
        What is faced off the crown, and the clearance after it, in mm.
    """
    return clearance - cut >= -land - TOLERANCE


def crown_cut(clearance: Floats, least: Floats, want: Floats | None, limit: Floats) -> Floats:
    """Return what to face off the crowns so that pistons that stop too high do not.

    Parameters
    ----------
    clearance, least : array of float
        Deck clearance as it would be, and the least that is allowed, in mm.
    want : array of float or None
        The clearance aimed at, in mm.
    limit : array of float
        The largest cut in mm.

    Returns
    -------
    array of float
        In mm; nought where none is needed, or where no allowed cut is enough.
    """
    goal = least if want is None else np.maximum(want, least)
    high = (clearance < least - TOLERANCE) & (clearance + limit >= least - TOLERANCE)
    return np.where(high, np.minimum(goal - clearance, limit), 0.0)
