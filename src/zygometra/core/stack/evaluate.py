"""From a build's figures to clearance, quench, volumes and ratio, hole by hole.

Today's state and the planned one go through the same arithmetic: planned
operations are terms in it. Beside every result stands its doubt, by first-order
propagation with derivatives written by hand, so that a what-if answers at once.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence

from ..build.lever_table import SWAP
from ..build.model import Bank, Build, Operation
from ..quantity import Source
from .as_cut import left_to_cut
from .hole import evaluate_hole
from .results import DeckLine, Evaluation, Hole, State
from .sources import engine_sources, hole_sources, with_heads_swapped


def evaluate(build: Build, now: State | None = None) -> Evaluation:
    """Evaluate a build as it stands and as planned.

    Parameters
    ----------
    build : Build
        With figures in base units.
    now : State, optional
        How the same figures stand without a plan, where that is already known.

    Returns
    -------
    Evaluation
        Two states; the same object twice where nothing is planned.

    Raises
    ------
    ImpossibleEngine
        If the crank cannot turn with that rod.

    Notes
    -----
    c = H − (S/2 + L + P), or the mock-up's reading; q = c + gasket;
    Vc = chamber + gasket + A·c + crown + crevice; ratio = (Vs + Vc)/Vc.
    A deck cut t lowers c by t, a crown cut raises it by t.
    See trade.md 7.

    Examples
    --------
    >>> from zygometra.core.build.examples import small_single
    >>> round(evaluate(small_single()).now.holes[0].outcome.quench, 3)
    1.24
    """
    if now is None:
        now = state_now(build)
    if build.cuts.passes:
        # What was cut counts toward the plan: what is left of it is still to come.
        left = left_to_cut(build)
        return Evaluation(now, _state(build, left) if left else now)
    return Evaluation(now, _state(build, placed(build.planned), now) if build.planned else now)


def state_now(build: Build) -> State:
    """Evaluate a build as it stands, whatever is planned.

    Parameters
    ----------
    build : Build
        With figures in base units.

    Returns
    -------
    State
        Today's.

    Raises
    ------
    ImpossibleEngine
        If the crank cannot turn with that rod.
    """
    return _state(build, ())


def placed(planned: tuple[Operation, ...]) -> tuple[tuple[str, Operation], ...]:
    """Return the operations of a plan, each with its place in it.

    Parameters
    ----------
    planned : tuple of Operation
        The plan.
    """
    return tuple((f"planned.{i}", op) for i, op in enumerate(planned))


# long: what it puts together is told field by field, a line each
def _state(build: Build, labelled: tuple[tuple[str, Operation], ...], now: State | None = None) -> State:
    planned = tuple(op for _, op in labelled)
    wide = engine_sources(build) if now is None else {}
    known = {hole.number: hole.sources for hole in now.holes} if now is not None else {}
    own_ops = frozenset(op.cylinder for op in planned if op.cylinder is not None)
    swapped = sum(op.op == SWAP for op in planned) % 2 == 1
    if swapped:
        known = with_heads_swapped(build, known or _every_source(build))
    holes: list[Hole] = []
    for bank in build.banks:
        shared: Hole | None = None
        levelled = any(not op.is_level and op.bank in (None, bank.name) for op in planned)
        for number in bank.cylinders:
            alone = swapped or levelled or number in build.measured_holes or number in own_ops
            alone = alone or bool(build.cuts.passes)
            if shared is not None and not alone:
                holes.append(shared._replace(number=number))
                continue
            hole = evaluate_hole(
                build,
                bank,
                number=number,
                labelled=labelled,
                sources=known.get(number) or hole_sources(build, bank.name, number, wide),
            )
            if not alone:
                shared = hole
            holes.append(hole)
    displacement, displacement_u = _displacement(holes)
    ratio, ratio_u = _rod_ratio(holes[0].sources)
    pitch = build.figures.get("engine.bore_pitch")
    decks = tuple(
        deck_line(
            bank,
            [h.outcome.deck_clearance for h in holes if h.bank == bank.name],
            pitch.value if pitch else 0.0,
        )
        for bank in build.banks
    )
    return State(
        displacement_cc=displacement,
        displacement_u=displacement_u,
        rod_ratio=ratio,
        rod_ratio_u=ratio_u,
        holes=tuple(holes),
        decks=decks,
    )


def _every_source(build: Build) -> dict[int, dict[str, Source]]:
    """The figures that count in each hole, by its number."""
    wide = engine_sources(build)
    return {n: hole_sources(build, bank.name, n, wide) for bank in build.banks for n in bank.cylinders}


def _rod_ratio(sources: Mapping[str, Source]) -> tuple[float | None, float]:
    """L/S and its doubt; None where either is not known."""
    stroke, rod = sources.get("parts.crank.stroke"), sources.get("parts.rod.length")
    if stroke is None or rod is None:
        return None, math.nan
    ratio = rod.quantity.value / stroke.quantity.value
    relative = math.hypot(rod.quantity.u / rod.quantity.value, stroke.quantity.u / stroke.quantity.value)
    return ratio, ratio * relative


def _displacement(holes: Iterable[Hole]) -> tuple[float | None, float]:
    """Σ Vs, and its doubt with shared sources shared and each-different ones apart; None where one is not known."""
    total, moved, last = 0.0, dict[tuple[str, int], float](), None
    for hole in holes:
        if hole.outcome.swept is None:
            return None, math.nan
        total += hole.outcome.swept
        if hole.outcome is not last:
            # Holes that are alike share what they come to.
            last = hole.outcome
            parts = [(term, part) for term, part in last.doubts.parts("swept") if part]
        for term, part in parts:
            at = term.key, hole.number if term.each else 0
            moved[at] = moved.get(at, 0.0) + part
    return total, math.hypot(*moved.values())


def deck_line(bank: Bank, clearances: Sequence[float | None], pitch: float) -> DeckLine:
    """Fit the least-squares line of a bank's deck clearances along the bank (trade.md 7).

    Parameters
    ----------
    bank : Bank
        Its cylinders from the front.
    clearances : sequence of float or None
        Deck clearance per cylinder, in mm; None where it is not known.
    pitch : float
        Bore pitch, in mm; nought where nobody gave it.

    Returns
    -------
    DeckLine
        Slope in mm per metre (None where several holes lie nobody knows how far apart), the line's value at the
        first cylinder in mm, and the residuals in mm, through the holes that are known; all None where none is.

    Examples
    --------
    >>> deck_line(Bank("A", (1, 2, 3)), [0.1, 0.2, 0.3], 100.0).slope_mm_per_m
    1.0
    """
    # Places in the bank suffice for the line; only its slope by the metre wants the pitch.
    step = pitch or 1.0
    known = [(i * step, c) for i, c in enumerate(clearances) if c is not None]
    if not known:
        return DeckLine(bank.name, None, None, tuple(None for _ in clearances))
    mean_x, mean_c = (math.fsum(column) / len(known) for column in zip(*known, strict=True))
    spread = math.fsum((x - mean_x) ** 2 for x, _ in known)
    slope = math.fsum((x - mean_x) * (c - mean_c) for x, c in known) / spread if spread > 0 else 0.0
    first = mean_c - slope * mean_x
    residuals = tuple(None if c is None else c - (first + slope * i * step) for i, c in enumerate(clearances))
    told = pitch or len(bank.cylinders) == 1
    return DeckLine(bank.name, slope * 1000 if told else None, first, residuals)
