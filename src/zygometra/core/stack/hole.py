"""One hole evaluated: the kernel's results under a plan, and what they owe to the doubt of each figure.

What is not known is "not a number" in here: it spoils just the results that need it, and those are
handed out as None.
"""

from __future__ import annotations

import math
from collections.abc import Iterable

from ..build.model import Bank, Build, Operation
from ..quantity import Source
from ..uncertainty import Cause, Term, term_of
from ..usual_figures import USUAL_LAND
from .arithmetic import cylinder_volume, ratio_of
from .chamber import ChamberModel, fill_slopes
from .fitting import with_gasket, with_part
from .in_hole import CUTS, PLACES, Worked, figures_in, worked
from .kernel import NOT_KNOWN, Cuts, Figures, Slopes
from .motion import piston_drop
from .results import Doubts, Hole, HoleResult, known
from .sources import chamber_model


def evaluate_hole(
    build: Build,
    bank: Bank,
    number: int,
    labelled: tuple[tuple[str, Operation], ...],
    sources: dict[str, Source],
) -> Hole:
    """Evaluate one hole under a plan.

    Parameters
    ----------
    build : Build
        The build.
    bank : Bank
        The hole's bank.
    number : int
        The hole; no unit.
    labelled : tuple
        The plan's operations, each with its place.
    sources : dict
        The figures that count in this hole; never altered.

    Returns
    -------
    Hole
        With the figures that were used, the operations that act on it, and its results.
    """
    place, holes = bank.cylinders.index(number), len(bank.cylinders)
    cuts = tuple(
        (path, op.at(place, holes, number)) for path, op in labelled if op.acts_on(bank.name, number)
    )
    for path, op in cuts:
        if op.gasket is not None:
            sources = with_gasket(sources, path, op.gasket, number)
        if op.part is not None:
            sources = with_part(sources, path, op.part, number)
    return Hole(
        number=number, bank=bank.name, sources=sources, cuts=cuts, outcome=_outcome(sources, cuts, build)
    )


def cuts_of(operations: Iterable[Operation]) -> Cuts:
    """Return what operations take in all; None for a lever that is not used.

    Parameters
    ----------
    operations : iterable of Operation
        That act on one hole.
    """
    totals: dict[str, float] = {}
    for op in operations:
        if op.amount is not None:
            totals[op.op] = totals.get(op.op, 0.0) + op.amount.value
    return Cuts(*(totals.get(name) for name in CUTS))


# long: one hole in the order of its questions: what it comes to, where metal ends, what it owes to whom
def _outcome(sources: dict[str, Source], cuts: tuple[tuple[str, Operation], ...], build: Build) -> HoleResult:
    """What one hole comes to. Lengths mm, areas mm², volumes cc."""
    figures, taken = figures_in(sources), cuts_of(op for _, op in cuts) if cuts else _NOTHING
    model = None if taken.head is None else chamber_model(build, sources)
    if model is None and taken.head == 0:
        taken = taken._replace(head=None)
    closes = figures.intake_closes
    if closes is not None and not _turns(figures):
        figures, closes = figures._replace(intake_closes=None), None
    if build.step_fills and model is not None:
        filled = model.removed(taken.head) if taken.head <= model.deepest else None
        figures = figures._replace(filled=filled, removal_rate=None, opening_area=None)
    found = worked(figures, taken)
    r, beyond = found.results, _ends(found, figures, taken, model)
    if beyond:
        # What goes on past the end of its metal is not known, nor what hangs on it.
        ended = {"volume": NOT_KNOWN}
        ended |= {"chamber": NOT_KNOWN} if beyond & {"head", "deck"} else {}
        ended |= {"crevice": NOT_KNOWN} if "crown" in beyond else {}
        r = r._replace(**ended)
    ratio = effective = None
    if r.volume > 0:
        ratio = known(ratio_of(r.swept, r.volume))
        if closes is not None and ratio is not None:
            effective = known(ratio_of(r.trapped, r.volume))
    owed = Owed()
    _figures_doubts(owed, sources, found)
    if cuts:
        _cut_doubts(owed, sources, cuts=cuts, found=found, model=model, build=build)
    if figures.land_height is None and build.unstated_doubt == "house" and not math.isnan(figures.bore):
        owed.take((_unknown_land(figures.bore),), Slopes(volume=1.0))
    owed = owed.joined()
    results = (known(r.clearance), known(r.quench), known(r.swept), known(r.volume), ratio, effective)
    clearance, quench, swept, volume, ratio, effective = results
    return HoleResult(
        deck_clearance=clearance,
        quench=quench,
        swept=swept,
        clearance=volume,
        compression_ratio=ratio,
        effective=effective,
        doubts=Doubts(owed.terms, owed.rows, results),
        beyond=beyond,
        figures=figures,
        taken=taken,
        found=r,
    )


_NOTHING = Cuts()
_NONE: frozenset[str] = frozenset()


def _turns(figures: Figures) -> bool:
    """Whether the crank is known well enough to ask where the piston is; one that cannot turn is an error."""
    if math.isnan(figures.stroke * figures.rod_length):
        return False
    piston_drop(figures.stroke, figures.rod_length, 180 + figures.intake_closes)
    return True


def _ends(found: Worked, figures: Figures, taken: Cuts, model: ChamberModel | None) -> frozenset[str]:
    """The cuts that go on past the end of what they cut.

    "head": no chamber is left, or nobody knows its shape so deep; "crown": the ring groove is open; "deck": the
    chamber in the block has ended.
    """
    r = found.results
    if taken is _NOTHING:
        return _NONE
    beyond = set[str]()
    pocket = cylinder_volume(figures.pocket_area or 0.0, taken.deck or 0.0)
    if model is not None and (taken.head > model.deepest or r.chamber + pocket < 0):
        beyond.add("head")
    elif r.chamber < 0 and pocket:
        beyond.add("deck")
    if r.land_left < 0 or (taken.crown and r.land_left == 0):
        beyond.add("crown")
    return frozenset(beyond)


class Owed:
    """What a hole owes to sources of doubt, while it is collected: their terms, and the slopes on each."""

    __slots__ = ("rows", "terms")

    def __init__(self) -> None:
        self.terms: list[Term] = []
        self.rows: list[tuple[float, ...]] = []

    def take(self, terms: Iterable[Term], slopes: tuple[float, ...]) -> None:
        """Take a figure's terms in, with the slopes of the results on the figure.

        Parameters
        ----------
        terms : iterable of Term
            In the figure's base unit.
        slopes : tuple of float
            In the order of :class:`.results.Slopes`.
        """
        for term in terms:
            self.terms.append(term)
            self.rows.append(slopes)

    def joined(self) -> Owed:
        """Return it with each source once: a gauge that read two figures of the hole moves it in two ways (trade.md 1).

        Where several were joined, the term's u is 1 and the slopes are what one u moves.
        """
        if len({term.key for term in self.terms}) == len(self.terms):
            return self
        by_key: dict[str, tuple[Term, tuple[float, ...]]] = {}
        for term, row in zip(self.terms, self.rows, strict=True):
            before = by_key.get(term.key)
            if before is not None:
                first, own = before
                row = tuple(a * first.u + b * term.u for a, b in zip(own, row, strict=True))
                term = first._replace(u=1.0)
            by_key[term.key] = term, row
        out = Owed()
        out.terms, out.rows = [t for t, _ in by_key.values()], [row for _, row in by_key.values()]
        return out


def _figures_doubts(owed: Owed, sources: dict[str, Source], found: Worked) -> None:
    """The doubt of each figure that was used, with the slopes of the results on it."""
    for place, row in found.slopes:
        if (source := sources.get(place)) is not None and (terms := source.terms):
            owed.take(terms, row)


def _cut_doubts(
    owed: Owed,
    sources: dict[str, Source],
    cuts: tuple[tuple[str, Operation], ...],
    found: Worked,
    model: ChamberModel | None,
    build: Build,
) -> None:
    """How far each planned amount may be missed, and the doubts that only a cut brings in.

    A cut to a named height is d = H − H*: with the stack c = H − K the height cancels, beside a clearance that
    was read it counts. Fills in steps carry theirs along the curve between them.
    """
    height = sources.get(PLACES["deck_height"])
    head = math.fsum(op.amount.value for _, op in cuts if op.op == "head_cut" and op.amount is not None)
    reached = model is not None and head <= model.deepest
    for path, op in cuts:
        amount = op.amount
        if amount is None:
            continue
        slopes = found.along(op.op)
        if op.op == "head_cut" and build.step_fills:
            slopes = Slopes(volume=-model.rate(head) if reached and model is not None else NOT_KNOWN)
        if amount.u:
            owed.take(
                (
                    Term(
                        key=path,
                        u=amount.u,
                        dof=amount.dof,
                        pool=None,
                        rectangular=amount.rectangular,
                        each=amount.each,
                    ),
                ),
                slopes,
            )
        if op.to_height is not None and height is not None:
            owed.take(height.terms, slopes)
    if reached and model is not None:
        for path, slope, fill in fill_slopes(model, head, build.step_fills):
            owed.take(Source(path, fill).terms, Slopes(volume=-slope))


def _unknown_land(bore: float) -> Term:
    """The doubt of a ring around the top land that counts as nought because nobody knows it.

    Half-width π·B·gap·height of a usual land: what is taken as nought could as well be there
    (trade.md 3). All holes share it.
    """
    gap, height = USUAL_LAND
    u = math.pi * bore * gap * height / 1000 / math.sqrt(3)
    return term_of(Cause.LAND, "of unknown size", u, rectangular=True)
