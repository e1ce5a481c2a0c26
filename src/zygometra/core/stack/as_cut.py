"""Figures as they stand after the cuts that were logged since they were read, and what of a plan is left to cut."""

# long: one log, figure by figure that it moves
from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from dataclasses import replace

from ..build.cut_log import NOTHING_CUT, CutLog
from ..build.lever_table import OpName
from ..build.model import Bank, Build, Operation
from ..linear import Linear, as_linear
from ..place import Place
from ..quantity import Quantity, Source, read_quantity
from ..uncertainty import Cause, Term, joined, root_sum_square, term_of
from ..units import Kind, from_base
from . import kernel
from .chamber import ChamberModel, fill_slopes
from .in_hole import PLACES, figures_in
from .kernel import Crown, Figures, closing, crown_gain, flat_cut, milled, narrowed
from .sources import terms_at

_DECK, _DEPTH, _CHAMBER = "parts.block.deck_height", "mock-up.deck_clearance", "parts.head.chamber_volume"
_HEIGHT, _CROWN, _ABOVE = (
    "parts.piston.compression_height",
    "parts.piston.crown_volume",
    "parts.piston.above_rim",
)
_LAND, _THICK = "parts.piston.top_land_height", "parts.piston.crown_thickness"
_METAL = "parts.piston.above_rim_thickness"
_OPENING, _PERIMETER, _DRAFT = (
    f"parts.head.{name}" for name in ("opening_area", "opening_perimeter", "wall_draft")
)
_POCKET, _EDGE = "parts.block.pocket_area", PLACES["edge_width"]
# What is off a crown's rim since its volume was read: it lapses with its piston.
DISH_BEGUN = PLACES["dish_begun"]
# Where a brought-forward figure stands in its hole, by the engine-wide path.
_NAMES = {_DECK: "deck_height", _DEPTH: "deck_clearance", _CHAMBER: "chamber_volume", _CROWN: "crown_volume"}
# A remainder that is as good as none, in mm.
_NONE = 1e-9
# A figure, by how much it moves in its base unit, and the doubt that comes with it.
_Change = tuple[str, float, list[Term]]


def brought_forward(build: Build, bank: Bank, number: int, sources: dict[str, Source]) -> dict[str, Source]:
    """Return the figures of a hole after the passes that were logged since each was read.

    Parameters
    ----------
    build : Build
        With its log of cuts.
    bank : Bank
        The hole's bank.
    number : int
        The hole; no unit.
    sources : dict
        Its figures as they were read; never altered.

    Returns
    -------
    dict
        Deck height and clearance less what came off the deck, the clearance more by what came off the crown's
        rim, the chamber less what milling took. A figure read after a pass holds that pass already.

    Notes
    -----
    H' = H − m, c' = c − m_deck + rim(m_crown), V' = V − removed(m_head), P' = P − rim(m_crown): the same
    arithmetic as a planned cut's. While more of a cut is still planned its tolerance counts there, once; where
    none is, it is a term of the figure, one for the whole face.
    See trade.md 6.
    """
    out = dict(sources)
    for path, change, terms in _changes(build, bank, number, sources):
        source = out[path]
        quantity = source.quantity
        value = quantity.value + change
        if math.isnan(value):
            # Cut by nobody knows how much: not known any more.
            del out[path]
            continue
        own = joined([*terms_at(source, number), *terms])
        u = root_sum_square(own)
        moved = replace(
            quantity,
            value=value,
            number=from_base(value, quantity.unit),
            u=u,
            terms=tuple(own),
            is_as_cut=True,
        )
        place = f"cylinders.{number}.{_NAMES[path]}" if path in _NAMES else source.path
        out[path] = Source(place, moved)
    if begun := build.cuts.on_hole("head_cut", bank, number, ()):
        from .sources import HEAD_BEGUN

        out[HEAD_BEGUN] = Source(HEAD_BEGUN, read_quantity(begun, Kind.LENGTH, dimension="exact"))
    if begun := _rim_begun(build, bank, number, sources):
        out[DISH_BEGUN] = Source(DISH_BEGUN, read_quantity(begun, Kind.LENGTH, dimension="exact"))
        if begun >= _crown_at(sources).dish_depth:
            # Its dish is cut away: the flat is left, and no cut takes more of it.
            dish = out[PLACES["dish_area"]]
            gone = replace(dish.quantity, value=0.0, number=0.0, u=0.0, terms=(), is_as_cut=True)
            out[PLACES["dish_area"]] = Source(dish.path, gone)
    return out


def _rim_begun(build: Build, bank: Bank, number: int, sources: dict[str, Source]) -> float:
    """What is off the rim since its crown volume was read, in mm."""
    if (volume := sources.get(_CROWN)) is None:
        return 0.0
    cut = build.cuts.on_hole(
        "crown_cut", bank, cylinder=number, planned=build.planned, after=read_at(build, volume.path)
    )
    return float(_crown_at(sources).rim_cut(cut)) if cut else 0.0


# long: figure by figure that a log moves
def _changes(build: Build, bank: Bank, number: int, sources: dict[str, Source]) -> Iterator[_Change]:
    """Which figures of a hole a log moves, by how much, and with what doubt."""

    def since(op: OpName, path: str) -> float:
        source = sources.get(path)
        if source is None:
            return 0.0
        return build.cuts.on_hole(
            op, bank, cylinder=number, planned=build.planned, after=read_at(build, source.path)
        )

    for path in (_DECK, _DEPTH):
        if cut := since("deck_cut", path):
            yield path, -cut, missed(build, "deck_cut", bank=bank, number=number, by=-1.0)
    if (cut := since("deck_cut", _CHAMBER)) and _POCKET in sources:
        # What of the chamber lies in the block goes with its deck.
        area = sources[_POCKET].quantity.value
        off = missed(build, "deck_cut", bank=bank, number=number, by=-area / 1000)
        yield (
            _CHAMBER,
            -area * cut / 1000,
            [*_along(sources, number, _figure(sources, _POCKET) * (-cut / 1000)), *off],
        )
    if (cut := since("deck_cut", _EDGE)) and PLACES["edge_angle"] in sources:
        # The chamfer gets narrower as its deck comes down.
        width = _figure(sources, _EDGE)
        lost = narrowed(width, _figure(sources, PLACES["edge_angle"]), Linear.of(_CUT, cut)) - width
        off = missed(build, "deck_cut", bank=bank, number=number, by=lost.slopes.get(_CUT, 0.0))
        yield _EDGE, lost.value, [*_along(sources, number, _figures_in(lost)), *off]
    if cut := since("head_cut", _CHAMBER):
        from .sources import chamber_model

        model = chamber_model(build, sources)
        whole = build.cuts.on_hole("head_cut", bank, number, ())
        if model is not None and whole <= model.deepest:
            taken = model.removed(whole) - model.removed(whole - cut)
            off = missed(build, "head_cut", bank=bank, number=number, by=-model.rate(whole))
            yield (
                _CHAMBER,
                -taken,
                [
                    *_taken_doubts(
                        build, sources, number=number, model=model, before=whole - cut, after=whole
                    ),
                    *off,
                ],
            )
    if whole := build.cuts.on_hole("head_cut", bank, number, ()):
        yield from _narrower(sources, number, whole)
    yield from _crown(build, bank, number=number, sources=sources, since=since)


def _taken_doubts(
    build: Build, sources: dict[str, Source], number: int, model: ChamberModel, before: float, after: float
) -> list[Term]:
    """How a chamber moves with what is known of its shape, milled from one depth to another."""
    if not build.step_fills:
        shape = {name: _figure(sources, PLACES[name]) for name in _SHAPE if PLACES[name] in sources}
        figures = Figures(math.nan, math.nan, math.nan, **shape)
        return _along(sources, number, milled(figures, before) - milled(figures, after))
    terms = list[Term]()
    for cut, sign in ((before, 1.0), (after, -1.0)):
        for path, slope, fill in fill_slopes(model, cut, build.step_fills):
            terms += [term.times(sign * slope) for term in terms_at(Source(path, fill), number)]
    return terms


# What a chamber's shape is known by.
_SHAPE = ("removal_rate", "opening_area", "opening_perimeter", "wall_draft")


def _figure(sources: dict[str, Source], path: str) -> Linear[str]:
    """A figure that carries what moves with it, by its place; nought where nobody gave it."""
    return Linear.of(path, sources[path].quantity.value) if path in sources else Linear(0.0)


def _along(sources: dict[str, Source], number: int, moved: Linear[str]) -> list[Term]:
    """How a figure moves with others: their doubts, along its slope on each."""
    return [
        term.times(slope)
        for path, slope in moved.slopes.items()
        if slope
        for term in terms_at(sources[path], number)
    ]


def _narrower(sources: dict[str, Source], number: int, cut: float) -> Iterator[_Change]:
    """The opening at the new face of a chamber whose walls close."""
    if _OPENING in sources:
        closes = closing(_figure(sources, _PERIMETER), _figure(sources, _DRAFT))
        if closes.value:
            yield _OPENING, -closes.value * cut, _along(sources, number, closes * -cut)


def _crown(
    build: Build, bank: Bank, number: int, sources: dict[str, Source], since: Callable[[OpName, str], float]
) -> Iterator[_Change]:
    """What facing a crown moves, from the last piece of metal above its rim to its dish."""
    if not build.cuts.on_hole("crown_cut", bank, number, ()):
        return
    crown = _crown_in(sources)
    for path, by in ((_HEIGHT, -1.0), (_DEPTH, 1.0), (_LAND, -1.0), (_THICK, -1.0)):
        if cut := since("crown_cut", path):
            rim = as_linear(flat_cut(crown, Linear.of(_CUT, cut)).rim)
            # What stands above the rim is gone: from there a miss moves the rim.
            off = missed(build, "crown_cut", bank=bank, number=number, by=by * rim.slopes.get(_CUT, 0.0))
            known = rim.value and path != _THICK
            doubt = _along(sources, number, _figures_in(rim) * by) if known else []
            yield path, by * rim.value, [*doubt, *(off if path != _THICK else [])]
    if cut := since("crown_cut", _CROWN):
        gained = as_linear(crown_gain(crown, flat_cut(crown, Linear.of(_CUT, cut))))
        off = missed(build, "crown_cut", bank=bank, number=number, by=gained.slopes.get(_CUT, 0.0))
        yield _CROWN, gained.value, [*_along(sources, number, _figures_in(gained)), *off]
    for path in (_ABOVE, _METAL):
        if (cut := since("crown_cut", path)) and (above := _crown_at(sources).above_rim) > 0:
            yield path, -min(cut, above), []


# The cut itself, among the figures that something moves with.
_CUT = "the cut"


def _figures_in(moved: Linear[str]) -> Linear[str]:
    """The same without the cut."""
    return Linear(moved.value, {path: slope for path, slope in moved.slopes.items() if path != _CUT})


# What of a hole's figures a flat cut over its crown meets.
_OF_THE_CROWN = ("crown_volume", "above_rim", "above_area", "dish_area", "dish_begun", "to_cone")


def _crown_in(sources: dict[str, Source]) -> Crown:
    """The crown of a hole as a flat cut meets it, its figures carrying their slopes by place."""
    told = figures_in(sources)
    carried = {
        name: Linear.of(PLACES[name], value)
        for name in _OF_THE_CROWN
        if (value := getattr(told, name)) is not None
    }
    return kernel.crown_of(told._replace(**carried))


def _crown_at(sources: dict[str, Source]) -> Crown:
    """The crown of a hole as a flat cut meets it."""
    return kernel.crown_of(figures_in(sources))


def read_at(build: Build, path: str) -> str:
    """Return when the figure at a place was last read; empty where it is on paper, or nobody said when.

    Parameters
    ----------
    build : Build
        With its readings and surveys.
    path : str
        The place.
    """
    place = Place.parse(path)
    series = build.in_use.series.get(place) if build.in_use is not None else None
    if series is not None:
        return max((one.at for one in series.readings), default="")
    return build.surveyed_at.get(path, "")


def cut_before(build: Build, figure: str, number: int, at: str) -> float:
    """Return by how much the passes before a moment had moved a figure of a hole, in its base unit (trade.md 14).

    Parameters
    ----------
    build : Build
        With its log.
    figure : str
        Its name in a logbook, such as ``deck_clearance``.
    number : int
        The hole; no unit.
    at : str
        The moment; empty for before all passes.
    """
    bank = build.bank_of(number)

    def made(op: OpName) -> float:
        log, planned = build.cuts, build.planned
        return (
            log.on_hole(op, bank, number, planned)
            - log.on_hole(op, bank, cylinder=number, planned=planned, after=at)
            if at
            else 0.0
        )

    if figure == "deck_height":
        return -made("deck_cut")
    if figure in ("deck_clearance", "compression_height", "crown_volume", "top_land_height"):
        from .sources import hole_sources

        crown = _crown_at(hole_sources(replace(build, cuts=NOTHING_CUT), bank.name, number))
        cut = made("crown_cut")
        if figure == "crown_volume":
            return float(crown.gained(cut))
        rim = float(crown.rim_cut(cut))
        return rim - made("deck_cut") if figure == "deck_clearance" else -rim
    if figure == "chamber_volume":
        from .sources import chamber_model, hole_sources, value_of

        sources = hole_sources(replace(build, cuts=NOTHING_CUT), bank.name, number)
        model, cut = chamber_model(build, sources), made("head_cut")
        milled = 0.0 if model is None or cut > model.deepest else model.removed(cut)
        return -milled - value_of(sources, _POCKET) * made("deck_cut") / 1000
    return 0.0


def missed(build: Build, op: OpName, bank: Bank, number: int, by: float) -> list[Term]:
    """Return what the machine may have missed its depth by, where no more of the cut is planned (trade.md 14).

    Parameters
    ----------
    build : Build
        With its plan and its log.
    op : str
        The lever.
    bank : Bank
        The hole's bank.
    number : int
        The hole; no unit.
    by : float
        How far what it moves goes with one mm of it, in its unit per mm.
    """
    if not by or _left(build, op, bank, number) > _NONE:
        return []
    amount = next(
        (one.amount for one in build.planned if one.op == op and one.acts_on(bank.name, number)), None
    )
    means = build.levers.means.get(op)
    u = (
        amount.u
        if amount is not None
        else means.tolerance.u
        if means is not None and means.tolerance
        else 0.0
    )
    where = bank.name if op != "crown_cut" else str(number)
    return [term_of(Cause.CUT, f"{op.replace('_', ' ')} {where}", by * u)] if u else []


def planned_at(build: Build, op: OpName, bank: Bank, number: int) -> float:
    """Return what a plan takes at one hole in all, from where its log began, in mm or cc.

    Parameters
    ----------
    build : Build
        With its plan.
    op : str
        The lever.
    bank : Bank
        The hole's bank.
    number : int
        The hole; no unit.
    """
    i, n = bank.cylinders.index(number), len(bank.cylinders)
    own = (
        one.at(i, n, number).amount
        for one in build.planned
        if one.op == op and one.acts_on(bank.name, number)
    )
    return math.fsum(amount.value for amount in own if amount is not None)


def _left(build: Build, op: OpName, bank: Bank, number: int) -> float:
    made = build.cuts.on_hole(op, bank, number, build.planned)
    return max(planned_at(build, op, bank, number) - made, 0.0)


def left_to_cut(build: Build) -> tuple[tuple[str, Operation], ...]:
    """Return the operations of a plan that are still to be made, each with its place in the plan.

    Parameters
    ----------
    build : Build
        With its plan and its log.

    Returns
    -------
    tuple of (str, Operation)
        A cut of which passes were logged counts them: what is left of it, in mm, with its tolerance; nothing
        where it is done or gone past. A planned amount is the whole cut from where its log began.
    """
    out: list[tuple[str, Operation]] = []
    for i, op in enumerate(build.planned):
        label = f"planned.{i}"
        if op.amount is None or not _is_logged(build.cuts, op):
            out.append((label, op))
        else:
            out += [(label, one) for one in _rest_of(build, op)]
    return tuple(out)


def _is_logged(log: CutLog, op: Operation) -> bool:
    return any(one.place.op == op.op for one in log.passes)


def _rest_of(build: Build, op: Operation) -> Iterator[Operation]:
    """One operation, hole by hole, less what was cut; whole banks where it leaves the same in each."""
    assert op.amount is not None
    for bank in build.banks:
        holes = [n for n in bank.cylinders if op.acts_on(bank.name, n)]
        left_at = _above if op.to_height is not None else _rest_at
        rests = {n: left_at(build, op, bank, n) for n in holes}
        if all(rest <= _NONE for rest in rests.values()):
            continue
        if len(holes) == len(bank.cylinders) and max(rests.values()) - min(rests.values()) <= _NONE:
            whole = next(iter(rests.values()))
            yield replace(
                op,
                bank=bank.name,
                cylinder=None,
                amount=_of(op.amount, whole),
                first=None,
                last=None,
                depths=None,
            )
            continue
        for n, rest in rests.items():
            # What is not known is not nought.
            if rest > _NONE or math.isnan(rest):
                amount = _of(op.amount, rest)
                yield replace(op, bank=None, cylinder=n, amount=amount, first=None, last=None, depths=None)


def _above(build: Build, op: Operation, bank: Bank, number: int) -> float:
    """How far a deck still stands above the height that it is cut to, as it is now."""
    from .sources import hole_sources

    height = hole_sources(build, bank.name, number).get(_DECK)
    assert op.to_height is not None
    return math.nan if height is None else max(height.quantity.value - op.to_height.value, 0.0)


def _rest_at(build: Build, op: Operation, bank: Bank, number: int) -> float:
    """What one operation leaves at a hole: what was cut counts toward the operations in their order."""
    made = build.cuts.on_hole(op.op, bank, number, build.planned)
    i, n = bank.cylinders.index(number), len(bank.cylinders)
    for one in build.planned:
        at = one.at(i, n, number).amount if one.op == op.op and one.acts_on(bank.name, number) else None
        if at is None:
            continue
        if one is op:
            return max(at.value - made, 0.0)
        made = max(made - at.value, 0.0)
    return 0.0


def _of(quantity: Quantity, value: float) -> Quantity:
    return replace(quantity, value=value, number=from_base(value, quantity.unit))
