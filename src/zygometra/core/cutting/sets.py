"""A set machined to match, piece by piece: each to the height of the first finished one."""

from __future__ import annotations

import math
from collections.abc import Iterable
from typing import NamedTuple

from ..build.cut_log import CutLog, CutOp, CutPlace
from ..house_rules import HouseRules
from ..sentence import Sentence, sentence
from ..student import quantile
from ..written import Length


class Piece(NamedTuple):
    """One piece of a set.

    Lengths in mm against the first finished piece: ``stopped`` where it was gauged short of its last cut,
    ``last_cut`` what is then to come off, ``finished`` what it was read at when done, ``came`` their mean.
    """

    cylinder: int
    cut: float
    stopped: float | None
    last_cut: float | None
    finished: tuple[float, ...]
    came: float | None
    says: tuple[Sentence, ...]
    state: str


class Drift(NamedTuple):
    """A slope of finished readings along the set, mm a piece; ``seen`` where chance alone gives it once in 20."""

    per_piece: float
    seen: bool


class SetStanding(NamedTuple):
    """How a set stands: its pieces in the order of cutting, which is its zero, and whether it drifts."""

    pieces: tuple[Piece, ...]
    zero: int | None
    drift: Drift | None
    says: tuple[Sentence, ...]


def set_standing(
    log: CutLog, op: CutOp, cylinders: Iterable[int], tolerance: float, rules: HouseRules
) -> SetStanding:
    """Return how a set of pieces stands.

    Parameters
    ----------
    log : CutLog
        With the passes of its pieces.
    op : str
        ``crown_cut`` or ``rods``.
    cylinders : iterable of int
        The set; no unit.
    tolerance : float
        By how much a finished piece may differ from the first, in mm.
    rules : HouseRules
        For the least chip that the tool takes.

    Notes
    -----
    Last cut = reading − target, the target being the first finished piece (nought). Its own finished readings say
    how far it stands from where it was meant: out of tolerance, it sends every other piece back.
    """
    pieces = [_piece(log, op, cylinder=n, tolerance=tolerance, least=rules["least_chip"]) for n in cylinders]
    begun = [one for one in pieces if one.state != "to come"]
    order = {n: i for i, n in enumerate(_order(log, op))}
    begun.sort(key=lambda one: order.get(one.cylinder, len(order)))
    zero = begun[0].cylinder if begun else None
    drift = _drift([one.came for one in begun if one.came is not None])
    says: list[Sentence] = []
    if begun and begun[0].came is not None and abs(begun[0].came) > tolerance and len(begun) > 1:
        says.append(
            sentence(
                "The first piece, hole {hole}, came out {off} off: every other was gauged from it and goes back.",
                hole=str(begun[0].cylinder),
                off=Length(begun[0].came),
            )
        )
    if drift is not None and drift.seen:
        says.append(
            sentence(
                "Finished readings run {slope} a piece along the set: tool wear or heat; look at the insert.",
                slope=Length(drift.per_piece, 0.0005),
            )
        )
    return SetStanding((*begun, *(one for one in pieces if one.state == "to come")), zero, drift, tuple(says))


def _order(log: CutLog, op: CutOp) -> list[int]:
    """The pieces in the order in which they were first cut."""
    own = sorted((one for one in log.passes if one.place.op == op), key=lambda one: (one.at, one.order))
    return list(dict.fromkeys(one.place.cylinder for one in own if one.place.cylinder is not None))


# long: what it puts together is told field by field, a line each
def _piece(log: CutLog, op: CutOp, cylinder: int, tolerance: float, least: float) -> Piece:
    passes = log.of(CutPlace(op, "", cylinder)).passes
    if not passes:
        return Piece(
            cylinder=cylinder,
            cut=0.0,
            stopped=None,
            last_cut=None,
            finished=(),
            came=None,
            says=(),
            state="to come",
        )
    stops = [one for one in passes if one.stopped is not None]
    stopped = stops[-1].stopped if stops else None
    finished = next((one.finished for one in reversed(passes) if one.finished), ())
    came = math.fsum(finished) / len(finished) if finished else None
    says: list[Sentence] = []
    if stopped is not None and came is None:
        if stopped < 0:
            says.append(
                sentence("{over} below the first already: it cannot be matched.", over=Length(-stopped))
            )
        elif 0 < stopped < least:
            text = "A last cut of {cut} rubs: the tool wants {least}."
            says.append(sentence(text, cut=Length(stopped), least=Length(least)))
    if len(finished) > 1 and max(finished) - min(finished) > tolerance:
        says.append(
            sentence("Its two places differ by {by}: not square.", by=Length(max(finished) - min(finished)))
        )
    if came is not None and abs(came) > tolerance:
        says.append(sentence("{off} off the first, beyond {most}.", off=Length(came), most=Length(tolerance)))
    off = came is not None and (abs(came) > tolerance or max(finished) - min(finished) > tolerance)
    cut = math.fsum(one.depth for one in passes)
    unlogged = came is not None and not cut
    if unlogged:
        says.append(Sentence("Gauged, and no cut of it is logged: log what came off."))
    done = came is not None and not unlogged
    state = "off" if off else "done" if done else "stopped" if stopped is not None else "begun"
    return Piece(
        cylinder=cylinder,
        cut=cut,
        stopped=stopped,
        last_cut=stopped if came is None else None,
        finished=finished,
        came=came,
        says=tuple(says),
        state=state,
    )


def _drift(came: list[float]) -> Drift | None:
    """The slope of finished readings in the order of cutting; None for fewer than four pieces."""
    n = len(came)
    if n < 4:
        return None
    middle, mean = (n - 1) / 2, math.fsum(came) / n
    across = math.fsum((i - middle) ** 2 for i in range(n))
    slope = math.fsum((i - middle) * (value - mean) for i, value in enumerate(came)) / across
    left = math.fsum((value - mean - slope * (i - middle)) ** 2 for i, value in enumerate(came))
    error = math.sqrt(left / (n - 2) / across)
    return Drift(slope, abs(slope) > max(quantile(n - 2) * error, 1e-9))
