"""Totals that people state beside their parts: compared, with the term that would explain a difference."""

from __future__ import annotations

import math
from collections.abc import Iterable
from typing import NamedTuple

from ..digits import count_of, ratio_text, volume
from ..fields import FIELD, STEP_FILLS, field_at, place_label
from ..place import Place, Scope
from ..sentence import Writable
from ..stack.arithmetic import circle_area
from ..stack.results import Hole, Outcome
from ..uncertainty import Cause
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
    "Check bore, stroke and number of holes.",
)
DIFFERS = Code(
    "stated-total-differs",
    "warn",
    "{who}the stated {what} {stated} is not what its parts give, {computed}.{term}",
    "A given total that is not the sum of its parts hides a slip in one of them.",
    "Check that figure first, then the total.",
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


def _explained(outcome: Outcome, apart: float, result: str) -> Shift | str:
    """The one term whose change would explain a difference best: it moves least against its own doubt."""
    best: tuple[float, Shift] | None = None
    for term, slopes in outcome.contributions:
        slope = outcome.slope_on(slopes, result)
        if not slope or term.cause is not Cause.FIGURE or term.key.startswith(STEP_FILLS):
            continue
        place = Place.parse(term.key)
        if place.scope is Scope.PLAN:
            continue
        kind = field_at(place).kind
        if kind not in (Kind.LENGTH, Kind.VOLUME):
            continue
        by = apart / slope
        if best is None or abs(by) / term.u < best[0]:
            best = abs(by) / term.u, Shift(term.key, by, kind)
    return "" if best is None else best[1]


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
    """Clearance volume, ratio, gasket and swept volume as stated, against their parts."""
    figures, now = case.build.figures, case.now
    worst = max(now.holes, key=lambda hole: _miss(case, hole), default=None)
    if worst is None:
        return
    o, who = worst.outcome, f"{count_of([worst.number])}: "
    stated = figures.get("stated.clearance_volume")
    if (
        stated is not None
        and o.clearance is not None
        and _differs(stated.value, o.clearance, o.doubts.clearance.u)
    ):
        term = _explained(o, stated.value - o.clearance, "clearance")
        total = _Total("clearance volume", volume(stated.value), volume(o.clearance))
        yield _said("stated.clearance_volume", total, term, who)
    ratio = case.build.stated_ratio
    if ratio is not None and o.compression_ratio is not None:
        if _differs(ratio, o.compression_ratio, o.doubts.compression_ratio.u):
            term = _explained(o, ratio - o.compression_ratio, "compression_ratio")
            total = _Total("compression ratio", ratio_text(ratio), ratio_text(o.compression_ratio))
            yield _said("stated.compression_ratio", total, term, who)
    for hole in now.holes[:1]:
        yield from _given_volumes(hole)


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
