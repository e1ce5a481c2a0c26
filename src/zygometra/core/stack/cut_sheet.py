"""The machinist's sheet as data: each cut from what to what, and what comes of it."""

# long: one sheet: every kind of line that it has
from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from typing import NamedTuple

from ..build.lever_table import SWAP
from ..build.model import Build
from ..digits import count_of, figure, ratio_text, volume
from ..fields import FIELDS
from ..quantity import Source
from ..wording import Reader
from .results import Evaluation, Hole
from .working_steps import value_in

REFERENCES = {
    "crank": "crank centreline (arbor through the mains)",
    "rail": "pan rail (what the rail is out of true is copied into the deck)",
}


class SheetCut(NamedTuple):
    """One line of work: on what, how much, from what to what, in both systems."""

    part: str
    take_off: str
    take_off_other: str
    start: str
    finish: str
    finish_other: str
    note: str


class Result(NamedTuple):
    """What one hole comes to."""

    number: int
    bank: str
    clearance: str
    clearance_other: str
    quench: str
    quench_band: str
    compression_ratio_now: str
    compression_ratio: str
    compression_ratio_band: str


class Basis(NamedTuple):
    """One figure behind the sheet, and where it holds; ``read`` is its place where readings stand behind it."""

    label: str
    where: str
    value: str
    beside: str
    basis: str
    read: str = ""


CAUTIONS = (
    "Figures are a plan until they are measured again by whoever cuts. Stop and measure before the last pass.",
    "Guards shut, glasses on; hoist and a second person for the casting; fingers clear when the crank turns.",
    "Deck, wall, crown and head thickness: the part maker's least figure wins; a qualified machinist decides.",
    "Record the engine number before a deck that carries it is touched: removing it can be unlawful.",
    "A change of ratio or displacement can touch approval, registration and insurance: check the local rules.",
)


def cuts(build: Build, evaluation: Evaluation, reader: Reader) -> tuple[SheetCut, ...]:
    """Return the work of a plan, bank by bank: decks, heads, crowns, gaskets, chambers.

    Parameters
    ----------
    build : Build
        With its plan.
    evaluation : Evaluation
        Of that build.
    reader : Reader
        Units of the first figure; the other system stands beside.

    Returns
    -------
    tuple of Cut
        Empty where nothing is planned.
    """
    rows: list[SheetCut] = []
    for bank in build.banks:
        name = f" {bank.name}" if len(build.banks) > 1 else ""
        holes = [evaluation.planned.hole(number) for number in bank.cylinders]
        if any(hole.outcome.deck_cut for hole in holes):
            rows.append(_deck(f"Deck{name}", holes, reader))
        if holes[0].outcome.head_cut:
            rows.append(_head(f"Head{name}", holes, reader))
    rows += _crowns(evaluation, reader)
    rows += _gaskets(build, evaluation, reader)
    if sum(op.op == SWAP for op in build.planned) % 2:
        rows.append(
            SheetCut(
                part="Heads",
                take_off="side for side",
                take_off_other="",
                start="",
                finish="each turned end for end",
                finish_other="",
                note="mark them before they come off",
            )
        )
    rows += _fitted(build)
    rows += _openings(build, evaluation, reader)
    rows += _bowls(build, evaluation, reader)
    return tuple(rows)


def _fitted(build: Build) -> Iterator[SheetCut]:
    """The parts that come in place of what is there."""
    for op in build.planned:
        if op.part is not None:
            name = op.part.name or "another"
            yield SheetCut(
                part=f"{op.part.kind.capitalize()}s",
                take_off="fit",
                take_off_other="",
                start="",
                finish=name,
                finish_other="",
                note="measure each before it goes in",
            )


_BY_DEPTH = {
    "catalogue": "by depth of cut: the height is a catalogue's, measure it before cutting",
    "advertised": "by depth of cut: the height is advertised, measure it before cutting",
    "assumed": "by depth of cut: the height is assumed, measure it before cutting",
}
_READ = ("measured", "mock-up")


def _span(values: Iterable[float], write: Callable[[float], str]) -> str:
    """One figure, or from the least to the most where they differ as written."""
    low, high = write(min(values := list(values))), write(max(values))
    return low if low == high else f"{low} to {high}"


def _finished(holes: list[Hole], path: str, cut: float, reader: Reader) -> tuple[str, str, str, str]:
    """From what, to what, the same in the other system, and a note: heights only where all were measured.

    A height that is only on paper would contradict the depth of cut as soon as the two differ.
    """
    sources = [hole.sources.get(path) for hole in holes]
    known = [source.quantity for source in sources if source is not None]
    if len(known) < len(holes):
        return "height not known", "by depth of cut", "", "stop at the depth, mock up again"
    unread = [quantity.basis for quantity in known if quantity.basis not in _READ]
    starts = [quantity.value for quantity in known]
    start = _span(starts, reader.length)
    if unread:
        return f"{start} on paper", "by depth of cut", "", _BY_DEPTH[unread[0]]
    ends = [value - cut for value in starts]
    finish = _span(ends, reader.length)
    other = _span(ends, lambda mm: reader.length(mm, other=True))
    note = "each hole from its own measured height" if " to " in start else "from a measured height"
    return start, finish, other, note


def _deck(part: str, holes: list[Hole], reader: Reader) -> SheetCut:
    first, last = holes[0].outcome.deck_cut, holes[-1].outcome.deck_cut
    if reader.length(first) != reader.length(last):
        ends = f"{reader.length(first)} at hole {holes[0].number}, {reader.length(last)} at hole {holes[-1].number}"
        beside = f"{reader.length(first, other=True)}, {reader.length(last, other=True)}"
        note = "levels the deck: shim for the wedge, stop and measure; the set-up stands with the mock-up"
        return SheetCut(
            part=part,
            take_off=ends,
            take_off_other=beside,
            start="deck as it is",
            finish="by depth of cut at both ends",
            finish_other="",
            note=note,
        )
    start, finish, other, note = _finished(holes, "parts.block.deck_height", first, reader)
    return SheetCut(
        part=part,
        take_off=reader.length(first),
        take_off_other=reader.length(first, other=True),
        start=start,
        finish=finish,
        finish_other=other,
        note=note,
    )


def _head(part: str, holes: list[Hole], reader: Reader) -> SheetCut:
    cut = holes[0].outcome.head_cut
    chambers = [cc for hole in holes if (cc := hole.outcome.terms.chamber) is not None]
    finish = f"chambers {_span(chambers, volume)}" if chambers else "by depth of cut"
    amount, other = reader.length(cut), reader.length(cut, other=True)
    return SheetCut(
        part=part,
        take_off=amount,
        take_off_other=other,
        start="face as it is",
        finish=finish,
        finish_other="",
        note="cut parallel with the face",
    )


def _crowns(evaluation: Evaluation, reader: Reader) -> list[SheetCut]:
    groups: dict[tuple[float | None, ...], list[Hole]] = {}
    for hole in evaluation.planned.holes:
        if hole.outcome.crown_cut:
            key = (
                hole.outcome.crown_cut,
                hole.outcome.terms.crown,
                *(value_in(hole, path) for path in _PISTON),
            )
            groups.setdefault(key, []).append(hole)
    rows = []
    for holes in groups.values():
        cut = holes[0].outcome.crown_cut
        rim = holes[0].outcome.areas.crown.rim_cut(cut)
        start, finish, other, note = _finished(holes, _PISTON[0], rim, reader)
        if start == "height not known":
            start, note = "", ""
        rows.append(
            SheetCut(
                part=f"Piston crowns, {_who(holes, evaluation)}",
                take_off=reader.length(cut),
                take_off_other=reader.length(cut, other=True),
                start=f"compression height {start}" if start else "",
                finish=finish,
                finish_other=other,
                note="; ".join(filter(None, (note, _left_of(holes[0], rim, reader), _MARKS))),
            )
        )
    return rows


_PISTON = ("parts.piston.compression_height", "parts.piston.top_land_height", "parts.piston.crown_thickness")
_MARKS = "record arrow marks first; balance after"


def _who(holes: list[Hole], evaluation: Evaluation) -> str:
    if len(holes) == len(evaluation.planned.holes):
        return "all"
    return count_of(hole.number for hole in holes).lower()


def _left_of(hole: Hole, rim: float, reader: Reader) -> str:
    """What a crown cut leaves above the rim, of top land and crown, where they are known, and what the crown adds."""
    left = []
    if hole.outcome.areas.crown.above_rim:
        left.append(f"{reader.length(hole.above_rim)} above the rim")
    for path, what in zip(_PISTON[1:], ("top land", "crown thickness"), strict=True):
        if (value := value_in(hole, path)) is not None:
            left.append(f"{what} {reader.length(value - rim)}")
    if hole.outcome.terms.crown is not None:
        left.append(f"crown volume {volume(hole.outcome.terms.crown)}")
    elif hole.outcome.areas.crown.untold is not None:
        left.append("a crown volume that nobody knows: the opening of its dish was not told")
    return f"leaves {', '.join(left)}" if left else ""


def _openings(build: Build, evaluation: Evaluation, reader: Reader) -> list[SheetCut]:
    rows = []
    for op in build.planned:
        if op.op != "open_chamber" or op.amount is None:
            continue
        holes = [hole for hole in evaluation.planned.holes if op.acts_on(hole.bank, hole.number)]
        where = _who(holes, evaluation)
        if op.bank is not None and op.cylinder is None:
            where = f"bank {op.bank}"
        chambers = [cc for hole in holes if (cc := hole.outcome.terms.chamber) is not None]
        finish = _span(chambers, volume) if len(chambers) == len(holes) else ""
        note = "grind, fill again, and note the shots"
        rows.append(
            SheetCut(
                part=f"Chamber, {where}",
                take_off=reader.quantity(op.amount),
                take_off_other="",
                start="",
                finish=finish,
                finish_other="",
                note=note,
            )
        )
    return rows


def _bowls(build: Build, evaluation: Evaluation, reader: Reader) -> list[SheetCut]:
    rows = []
    for op in build.planned:
        if op.op != "bowl" or op.amount is None:
            continue
        holes = [hole for hole in evaluation.planned.holes if op.acts_on(hole.bank, hole.number)]
        crowns = [cc for hole in holes if (cc := hole.outcome.terms.crown) is not None]
        finish = f"crowns {_span(crowns, volume)}" if len(crowns) == len(holes) else ""
        note = "sink, fill again, and measure the crown under it; balance after"
        rows.append(
            SheetCut(
                part=f"Bowls, {_who(holes, evaluation)}",
                take_off=reader.quantity(op.amount),
                take_off_other="",
                start="",
                finish=finish,
                finish_other="",
                note=note,
            )
        )
    return rows


def _gaskets(build: Build, evaluation: Evaluation, reader: Reader) -> list[SheetCut]:
    rows = []
    for bank in build.banks:
        fitted = [op for op in build.planned if op.op == "gasket" and op.bank in (None, bank.name)]
        if fitted and fitted[-1].gasket is not None:
            before = evaluation.now.hole(bank.cylinders[0]).outcome.gasket_thickness
            after = evaluation.planned.hole(bank.cylinders[0]).outcome.gasket_thickness
            name = f", bank {bank.name}" if len(build.banks) > 1 else ""
            rows.append(
                SheetCut(
                    part=f"Gasket{name}",
                    take_off=fitted[-1].gasket.name or "another",
                    take_off_other="",
                    start=reader.length(before),
                    finish=reader.length(after),
                    finish_other=reader.length(after, other=True),
                    note="compressed thickness",
                )
            )
    return rows


def _beside(mm: float | None, u: float, reader: Reader) -> str:
    """A clearance in the other system, its side left to the words before it; nothing where it is not known."""
    return "" if mm is None else reader.length(abs(mm), u, other=True)


def results(evaluation: Evaluation, reader: Reader) -> tuple[Result, ...]:
    """Return what every hole comes to, with its 95 % bands.

    Parameters
    ----------
    evaluation : Evaluation
        Of the build.
    reader : Reader
        Units and words.

    Returns
    -------
    tuple of Result
        By hole number.
    """
    rows = []
    for hole, before in zip(evaluation.planned.holes, evaluation.now.holes, strict=True):
        o = hole.outcome
        quench, ratio = o.doubts.quench, o.doubts.compression_ratio
        clearance_u = o.doubts.deck_clearance.u
        rows.append(
            Result(
                number=hole.number,
                bank=hole.bank,
                clearance=reader.clearance(o.deck_clearance, clearance_u),
                clearance_other=_beside(o.deck_clearance, clearance_u, reader),
                quench=reader.length(o.quench, quench.u),
                quench_band=f"± {reader.band(quench.half)}" if quench.u > 0 else "",
                compression_ratio_now=ratio_text(
                    before.outcome.compression_ratio, before.outcome.doubts.compression_ratio.u
                ),
                compression_ratio=ratio_text(o.compression_ratio, ratio.u),
                compression_ratio_band=f"± {figure(ratio.half, 2)}" if ratio.u > 0 else "",
            )
        )
    return tuple(sorted(rows))


def figures_behind(evaluation: Evaluation, reader: Reader) -> tuple[Basis, ...]:
    """Return the figures that the sheet stands on, one line for each that differs.

    Parameters
    ----------
    evaluation : Evaluation
        Of a build.
    reader : Reader
        Units and words.

    Returns
    -------
    tuple of Basis
        In the order of the stack, each with the holes it holds for.
    """
    rows: list[Basis] = []
    for item in FIELDS:
        users: dict[str, tuple[Source, list[int]]] = {}
        for hole in evaluation.now.holes:
            source = hole.sources.get(item.path)
            if source is not None:
                # Brought forward it stands hole by hole; one line tells of all that came to the same.
                own = f"{source.quantity.value:.9f}" if source.quantity.is_as_cut else source.path
                users.setdefault(own, (source, []))[1].append(hole.number)
        for source, numbers in users.values():
            quantity = source.quantity
            where = "all" if len(numbers) == len(evaluation.now.holes) else count_of(numbers).lower()
            basis = quantity.basis if quantity.basis_stated or quantity.readings else "not stated"
            if quantity.terms or quantity.is_as_cut:
                basis = f"{basis}, {quantity.rests_on}"
            read = source.path if quantity.terms and quantity.readings else ""
            rows.append(
                Basis(
                    label=item.label,
                    where=where,
                    value=reader.quantity(quantity),
                    beside=reader.beside(quantity),
                    basis=basis,
                    read=read,
                )
            )
    return tuple(rows)
