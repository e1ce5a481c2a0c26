"""Totals that people state beside their parts: compared, with the term that would explain a difference."""

from __future__ import annotations

import math
from collections.abc import Iterable
from typing import NamedTuple

from ..digits import count_of, ratio_text, volume
from ..fields import FIELD, place_label
from ..place import Place
from ..quantity import Quantity
from ..sentence import Writable
from ..stack.arithmetic import circle_area
from ..stack.evaluate import state_now
from ..stack.explained import as_stated, explanations
from ..stack.results import Hole, HoleResult
from ..units import Kind
from ..wording import Reader
from ..written import Number
from .registry import Case, Judges
from .said import Code, Said, said

JUDGES = Judges()

DISPLACEMENT = Code(
    "displacement-differs",
    "warn",
    "The stated displacement {stated} cc is not what bore and stroke give, {computed} cc.",
    "A given total that is not the sum of its parts hides a slip in one of them.",
    do="Check bore, stroke and number of holes.",
)
DIFFERS = Code(
    "stated-total-differs",
    "warn",
    "{who}the stated {what} {stated} is not what its parts give, {computed}.{term}",
    "A given total that is not the sum of its parts hides a slip in one of them.",
    do="Check that figure first, then the total.",
)
# A difference under this share of the total is nobody's slip.
_SHARE = 0.002


class Shift(NamedTuple):
    """By how much a figure would have to be another to explain a difference; ``by`` in its base unit."""

    path: str
    by: float
    kind: Kind

    def written(self, reader: Reader) -> str:
        """Write it.

        Parameters
        ----------
        reader : Reader
            Units and words.
        """
        amount = reader.length(abs(self.by)) if self.kind is Kind.LENGTH else volume(abs(self.by))
        return f" It would be so with the {place_label(self.path)} {amount} {'larger' if self.by > 0 else 'smaller'}."


def _explained(hole: Hole, total: float, result: str) -> Shift | str:
    """The one figure that would explain a total best: it moves least against its own doubt."""
    best = min(explanations(hole, result, total), key=lambda one: one.doubts, default=None)
    return "" if best is None else Shift(best.path, best.by, best.kind)


def _differs(stated: float, computed: float | None, u: float) -> bool:
    return computed is not None and abs(stated - computed) > max(3 * u, _SHARE * abs(computed))


@JUDGES.of_engine(DISPLACEMENT)
def displacement(case: Case) -> Iterable[Said]:
    """A stated displacement against what bore and stroke give."""
    stated, now = case.build.figures.get("engine.displacement"), case.now
    if stated is not None and _differs(stated.value, now.displacement_cc, now.displacement_u):
        where = Place.engine("engine.displacement")
        computed = Number(now.displacement_cc or 0.0)
        yield said(DISPLACEMENT, where, stated=Number(stated.value), computed=computed)


@JUDGES.of_engine(DIFFERS)
def totals(case: Case) -> Iterable[Said]:
    """Clearance volume, ratio, gasket and swept volume as stated, against their parts as they were then."""
    figures = case.build.figures
    if "stated.clearance_volume" not in figures and case.build.stated_ratio is None:
        yield from _given_volumes(case.now.holes[0])
        return
    now = case.now if not case.build.cuts.passes else state_now(as_stated(case.build))
    worst = max(now.holes, key=lambda hole: _miss(case, hole), default=None)
    if worst is None:
        return
    o, who = worst.outcome, f"{count_of([worst.number])}: "
    stated = figures.get("stated.clearance_volume")
    if (
        stated is not None
        and o.clearance is not None
        and _differs(stated.value, o.clearance, _apart(stated, o))
    ):
        term = _explained(worst, stated.value, "clearance")
        total = _Total("clearance volume", volume(stated.value), volume(o.clearance))
        yield _said("stated.clearance_volume", total, term, who)
    ratio = case.build.stated_ratio
    if ratio is not None and o.compression_ratio is not None:
        if _differs(ratio, o.compression_ratio, o.doubts.compression_ratio.u):
            term = _explained(worst, ratio, "compression_ratio")
            total = _Total("compression ratio", ratio_text(ratio), ratio_text(o.compression_ratio))
            yield _said("stated.compression_ratio", total, term, who)
    for hole in now.holes[:1]:
        yield from _given_volumes(hole)


def _apart(stated: Quantity, o: HoleResult) -> float:
    """How well a stated clearance volume could agree: u in cc.

    A sum of the same figures has no doubt against them: what they are off, it is off too. One that was read, or that
    a maker gives, is a figure of its own.
    """
    if not stated.basis_stated or stated.basis == "assumed":
        return 0.0
    return math.hypot(stated.u, o.doubts.clearance.u)


def _miss(case: Case, hole: Hole) -> float:
    """How far a hole lies from what is stated of every hole."""
    stated, o = case.build.figures.get("stated.clearance_volume"), hole.outcome
    miss = 0.0
    if stated is not None and o.clearance is not None:
        miss = abs(stated.value - o.clearance) / stated.value if stated.value else math.inf
    if case.build.stated_ratio is not None and o.compression_ratio is not None:
        miss = max(miss, abs(case.build.stated_ratio - o.compression_ratio) / o.compression_ratio)
    return miss


def _given_volumes(hole: Hole) -> Iterable[Said]:
    """A gasket's or a hole's volume that is given beside its dimensions: the dimensions count."""
    have = hole.sources
    across, thickness = have.get("parts.gasket.bore"), have.get("parts.gasket.thickness")
    bore, stroke = have.get("parts.block.bore"), have.get("parts.crank.stroke")
    for path, of, along in (
        ("parts.gasket.volume", across, thickness),
        ("parts.block.swept_volume", bore, stroke),
    ):
        given = have.get(path)
        if given is None or of is None or along is None:
            continue
        computed = circle_area(of.quantity.value) * along.quantity.value / 1000
        u = (
            math.hypot(2 * of.quantity.u / of.quantity.value, along.quantity.u / along.quantity.value)
            * computed
        )
        if _differs(given.quantity.value, computed, math.hypot(u, given.quantity.u)):
            label = FIELD[path.removeprefix("parts.")].label
            yield _said(given.path, _Total(label, volume(given.quantity.value), volume(computed)))


class _Total(NamedTuple):
    """A total as it is stated and as it is computed, in words."""

    what: str
    stated: str
    computed: str


def _said(path: str, total: _Total, term: Writable | str = "", who: str = "") -> Said:
    who = who or f"{total.what.capitalize()}: "
    return said(DIFFERS, Place.parse(path), who=who, term=term, **total._asdict())
