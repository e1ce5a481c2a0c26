"""What a plan's cuts come up against, and what they move elsewhere."""

from __future__ import annotations

import math
from collections.abc import Iterable

from ..build.lever_table import LEVER, OpName
from ..build.levers import limit_in_plan
from ..build.model import Build
from ..digits import count_of, decimals_apart, figure
from ..place import Place
from ..sentence import Writable
from ..units import Kind
from ..windows import Window
from ..written import Length, judged
from .registry import Case, Judges
from .said import Code, Said, said

JUDGES = Judges()
# The last bits of a difference, in mm.
_NOTHING = 1e-9

OVER_LIMIT = Code(
    "lever-limit",
    "stop",
    "{who}: {lever} of {total} is over the limit of {limit}{source}.",
    "Deck, head, crown and chamber walls need what the limit leaves.",
    do="Take less, or share the change with another lever.",
)
HEAD_MOVES = Code(
    "head-moves",
    "note",
    "The head of bank {bank} comes to sit {lowered} {way}.",
    "Lifter preload or cam timing, valve-to-piston room and manifold faces move with it.",
    do="Check preload or cam timing, valve room and manifold on the trial assembly before the engine is turned"
    " by anything but hand.",
)
CROWN_CUT = Code(
    "crown-cut-mass",
    "note",
    "Crowns are cut {cut}: crown thickness, pockets and balance change.",
    "The least crown thickness is the piston maker's figure; a qualified machinist decides.",
    do="Measure the crown's thickness, record the arrow marks, balance again.",
)


OVER_HEIGHT = Code(
    "height-over-deck",
    "stop",
    "{who}: the deck stands {deck}, under the height of {to} that it is to be cut to.",
    "There the tool takes nothing, and the face is not cleaned.",
    do="Name a lower height, or the highest that cleans everything.",
    is_final=True,
)


@JUDGES.of_engine(OVER_HEIGHT)
def named_heights(case: Case) -> Iterable[Said]:
    """Holes at which a deck lies under the height that somebody named."""
    for op in case.build.planned:
        if op.to_height is None:
            continue
        for number, depth in (op.depths or {}).items():
            if depth.value < -_NOTHING:
                height, to = judged(op.to_height.value + depth.value, op.to_height.value, typed=True)
                who = count_of([number])
                yield said(OVER_HEIGHT, Place.of_holes([number]), who=who, deck=height, to=to)


@JUDGES.of_engine(OVER_LIMIT)
def limits(case: Case) -> Iterable[Said]:
    """Each lever's total in each hole against its limit."""
    for op in dict.fromkeys(item.op for item in case.build.planned if item.amount):
        limit, source = limit_in_plan(case.build, op, case.rules)
        for total, numbers in _over(case.build, op, limit).items():
            written: Writable | str
            edge: Writable | str
            written, edge = judged(total, limit, typed=True)
            if LEVER[op].kind is Kind.VOLUME:
                written, edge = _volumes(total, limit)
            yield said(
                OVER_LIMIT,
                Place.of_holes(numbers),
                who=count_of(numbers),
                lever=op.replace("_", " "),
                total=written,
                limit=edge,
                source=" (house rule)" if source == "house" else "",
            )


def _volumes(total: float, limit: float) -> tuple[str, str]:
    """A volume and its limit, so that they read as they lie."""
    of_total, of_limit = decimals_apart(total, limit, (2, 2))
    return f"{figure(total, of_total)} cc", f"{figure(limit, of_limit)} cc"


def _over(build: Build, op: OpName, limit: float) -> dict[float, list[int]]:
    """The totals over a limit, each with its holes."""
    over: dict[float, list[int]] = {}
    for bank in build.banks:
        for number in bank.cylinders:
            total = sum(
                item.deepest for item in build.planned if item.op == op and item.acts_on(bank.name, number)
            )
            if Window(high=limit).miss(total):
                over.setdefault(total, []).append(number)
    return over


@JUDGES.of_engine(HEAD_MOVES, CROWN_CUT)
def elsewhere(case: Case) -> Iterable[Said]:
    """What lowers the head, and what must be looked at for it."""
    now, planned = case.evaluation
    log = case.build.cuts
    if now is planned and not log.passes:
        return
    for bank in case.build.banks:
        before, after = now.hole(bank.cylinders[0]).outcome, planned.hole(bank.cylinders[0]).outcome
        thicker = 0.0
        if after.gasket_thickness is not None and before.gasket_thickness is not None:
            thicker = after.gasket_thickness - before.gasket_thickness
        # Of a levelling cut midway: its ends stand off it by half the wedge.
        decks = [planned.hole(number).outcome.deck_cut for number in (bank.cylinders[0], bank.cylinders[-1])]
        ends = (bank.cylinders[0], bank.cylinders[-1])
        made = [case.build.cuts.on_hole("deck_cut", bank, number, case.build.planned) for number in ends]
        head = case.build.cuts.on_hole("head_cut", bank, ends[0], ())
        lowered = sum(decks + made) / 2 + after.head_cut + head - thicker
        if math.isnan(lowered) or abs(lowered) < case.rules["lowering_note"]:
            continue
        way = "lower" if lowered > 0 else "higher"
        where = Place.on_bank(bank.name)
        yield said(HEAD_MOVES, where, bank=bank.name, lowered=Length(abs(lowered)), way=way)
    made_of = {n: log.on_hole("crown_cut", case.build.bank_of(n), n, ()) for n in case.build.cylinders}
    crown = max((h.outcome.crown_cut + made_of[h.number] for h in planned.holes), default=0.0)
    if crown:
        # It outlives the cut: what was faced is balanced again.
        yield said(CROWN_CUT, Place.of_plan(), cut=Length(crown))
