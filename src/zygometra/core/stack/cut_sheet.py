"""The machinist's sheet as data: each cut from what to what, and what comes of it."""

from __future__ import annotations

from typing import NamedTuple

from ..build.model import Build
from ..digits import count_of, figure, ratio_text, volume
from ..fields import FIELDS
from ..quantity import coverage
from ..wording import Reader
from .results import Evaluation, Source

REFERENCES = {
    "crank": "crank centreline (arbor through the mains)",
    "rail": "pan rail (what the rail is out of true is copied into the deck)",
}


class Cut(NamedTuple):
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
    """One figure behind the sheet, and where it holds."""

    label: str
    where: str
    value: str
    beside: str
    basis: str


CAUTIONS = (
    "Figures are a plan until they are measured again by whoever cuts. Stop and measure before the last pass.",
    "Guards shut, glasses on; hoist and a second person for the casting; fingers clear when the crank turns.",
    "Deck, wall, crown and head thickness: the part maker's least figure wins; a qualified machinist decides.",
    "Record the engine number before a deck that carries it is touched: removing it can be unlawful.",
    "A change of ratio or displacement can touch approval, registration and insurance: check the local rules.",
)


# long: the rows of one sheet, in the order of work
def cuts(build: Build, evaluation: Evaluation, reader: Reader) -> tuple[Cut, ...]:
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
    rows: list[Cut] = []
    several = len(build.banks) > 1
    for bank in build.banks:
        name = f" {bank.name}" if several else ""
        hole = evaluation.planned.hole(bank.cylinders[0])
        o = hole.outcome
        if o.deck_cut:
            height = hole.sources.get("parts.block.deck_height")
            rows.append(_deck(f"Deck{name}", o.deck_cut, height, reader))
        if o.head_cut:
            chambers = [evaluation.planned.hole(n).outcome.terms.chamber for n in bank.cylinders]
            span = volume(min(chambers))
            if max(chambers) - min(chambers) > 0.005:
                span = f"{figure(min(chambers), 2)} to {volume(max(chambers))}"
            rows.append(
                Cut(
                    f"Head{name}",
                    reader.length(o.head_cut),
                    reader.length(o.head_cut, other=True),
                    "face as it is",
                    f"chambers {span}",
                    "",
                    "cut parallel with the face",
                )
            )
    rows += _crowns(evaluation, reader)
    rows += _gaskets(build, evaluation, reader)
    for op in build.planned:
        if op.op == "open_chamber" and op.amount is not None:
            where = count_of([op.cylinder]) if op.cylinder is not None else "every hole"
            finish = ""
            if op.cylinder is not None:
                finish = volume(evaluation.planned.hole(op.cylinder).outcome.terms.chamber)
            rows.append(
                Cut(
                    f"Chamber, {where.lower()}",
                    reader.quantity(op.amount),
                    "",
                    "",
                    finish,
                    "",
                    "grind, fill again, and note the shots",
                )
            )
    return tuple(rows)


_HEIGHTS = {
    "measured": "from a measured height",
    "mock-up": "from a height read on a mock-up",
    "catalogue": "from a catalogue height: measure it before cutting",
    "advertised": "from an advertised height: measure it before cutting",
    "assumed": "from an assumed height: measure it before cutting",
}


def _deck(part: str, cut: float, height: Source | None, reader: Reader) -> Cut:
    if height is None:
        return Cut(
            part,
            reader.length(cut),
            reader.length(cut, other=True),
            "height not known",
            "by depth of cut",
            "",
            "stop at the depth, mock up again",
        )
    finish = height.quantity.value - cut
    return Cut(
        part,
        reader.length(cut),
        reader.length(cut, other=True),
        reader.length(height.quantity.value),
        reader.length(finish),
        reader.length(finish, other=True),
        _HEIGHTS[height.quantity.basis],
    )


def _crowns(evaluation: Evaluation, reader: Reader) -> list[Cut]:
    groups: dict[tuple[float, float | None], list[int]] = {}
    for hole in evaluation.planned.holes:
        if hole.outcome.crown_cut:
            source = hole.sources.get("parts.piston.compression_height")
            key = (hole.outcome.crown_cut, source.quantity.value if source else None)
            groups.setdefault(key, []).append(hole.number)
    rows = []
    for (cut, height), numbers in groups.items():
        who = "all" if len(numbers) == len(evaluation.planned.holes) else count_of(sorted(numbers)).lower()
        finish = height - cut if height is not None else None
        rows.append(
            Cut(
                f"Piston crowns, {who}",
                reader.length(cut),
                reader.length(cut, other=True),
                f"compression height {reader.length(height)}" if height is not None else "",
                reader.length(finish) if finish is not None else "by depth of cut",
                reader.length(finish, other=True) if finish is not None else "",
                "record arrow marks first; balance after",
            )
        )
    return rows


def _gaskets(build: Build, evaluation: Evaluation, reader: Reader) -> list[Cut]:
    rows = []
    for bank in build.banks:
        fitted = [op for op in build.planned if op.op == "gasket" and op.bank in (None, bank.name)]
        if fitted and fitted[-1].gasket is not None:
            before = evaluation.now.hole(bank.cylinders[0]).outcome.gasket_thickness
            after = evaluation.planned.hole(bank.cylinders[0]).outcome.gasket_thickness
            name = f", bank {bank.name}" if len(build.banks) > 1 else ""
            rows.append(
                Cut(
                    f"Gasket{name}",
                    fitted[-1].gasket.name or "another",
                    "",
                    reader.length(before),
                    reader.length(after),
                    reader.length(after, other=True),
                    "compressed thickness",
                )
            )
    return rows


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
        quench_u, quench_dof = o.doubts.quench
        ratio_u, ratio_dof = o.doubts.compression_ratio
        clearance_u = o.doubts.deck_clearance[0]
        rows.append(
            Result(
                hole.number,
                hole.bank,
                reader.clearance(o.deck_clearance, clearance_u),
                reader.length(abs(o.deck_clearance), clearance_u, other=True),
                reader.length(o.quench, quench_u),
                f"± {reader.band(coverage(quench_dof) * quench_u)}" if quench_u else "",
                ratio_text(before.outcome.compression_ratio, before.outcome.doubts.compression_ratio[0]),
                ratio_text(o.compression_ratio, ratio_u),
                f"± {figure(coverage(ratio_dof) * ratio_u, 2)}" if ratio_u else "",
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
                users.setdefault(source.path, (source, []))[1].append(hole.number)
        for source, numbers in users.values():
            quantity = source.quantity
            where = "all" if len(numbers) == len(evaluation.now.holes) else count_of(sorted(numbers)).lower()
            basis = quantity.basis if quantity.basis_stated or quantity.readings else "not stated"
            rows.append(Basis(item.label, where, reader.quantity(quantity), reader.beside(quantity), basis))
    return tuple(rows)
