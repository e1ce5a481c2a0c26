"""What is to be said of a log of cuts: passes that contradict one another, a cut past its limit or past its plan."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from ..build.cut_log import FACES, SETS, CutPlace
from ..build.lever_table import LEVER
from ..build.levers import limit_in_plan
from ..build.model import Bank
from ..place import Place
from ..stack.as_cut import planned_at
from ..written import Length, judged
from .registry import Case, Judges
from .said import Code, Said, said

JUDGES = Judges()

CONTRADICT = Code(
    "passes-contradict",
    "warn",
    "Pass {number} of {part} was logged with {one} and with {other}: the first counts.",
    "One pass took one depth; what is off in all hangs on which.",
    do="Look at the machine's scale or read the face, then void the wrong one in the cut log.",
)
PAST_LIMIT = Code(
    "cut-past-limit",
    "stop",
    "{part} lost {off} by its log, and {limit} may come off.",
    "What must remain is the part maker's figure; a qualified machinist decides.",
    do="Measure what is left before anything more is cut; a pass that was not made is voided in the cut log.",
)
PAST_PLAN = Code(
    "cut-past-plan",
    "warn",
    "{part} lost {off} by its log, {more} more than is planned.",
    "What was meant cannot come any more by this cut.",
    do="Read it again, and plan what is left from there.",
)
# What passes for the same depth, in mm.
_SAME = 1e-6


def _faces(case: Case) -> Iterator[tuple[CutPlace, Bank, str]]:
    """Every place of which passes were logged, with whose it is and what it is called."""
    for place in dict.fromkeys(one.place for one in case.build.cuts.passes):
        if place.op in FACES:
            bank = next(one for one in case.build.banks if one.name == place.bank)
            called = "The deck" if place.op == "deck_cut" else "The head"
            yield place, bank, f"{called} of bank {place.bank}" if len(case.build.banks) > 1 else called
        elif place.op in SETS and place.cylinder is not None:
            what = "The crown" if place.op == "crown_cut" else "The rod"
            yield place, case.build.bank_of(place.cylinder), f"{what} of hole {place.cylinder}"


def _at(place: CutPlace, bank: Bank) -> Place:
    return Place.on_bank(bank.name) if place.cylinder is None else Place.of_holes([place.cylinder])


@JUDGES.of_engine(CONTRADICT)
def contradictions(case: Case) -> Iterable[Said]:
    """Two depths under one number."""
    for place, bank, called in _faces(case):
        found = case.build.cuts.of(place)
        for one in found.against:
            first = next(p for p in found.passes if p.number == one.number)
            yield said(
                CONTRADICT,
                _at(place, bank),
                number=str(one.number),
                part=called.lower(),
                one=Length(first.depth),
                other=Length(one.depth),
            )


@JUDGES.of_engine(PAST_LIMIT, PAST_PLAN)
def ends(case: Case) -> Iterable[Said]:
    """What came off against what may, and against what was meant."""
    for place, bank, called in _faces(case):
        if place.op not in LEVER:
            continue
        off = case.build.cuts.total(place)
        limit, _ = limit_in_plan(case.build, place.op, case.rules)  # type: ignore[arg-type]
        if off > limit + _SAME:
            lost, edge = judged(off, limit)
            yield said(PAST_LIMIT, _at(place, bank), part=called, off=lost, limit=edge)
        numbers = bank.cylinders if place.cylinder is None else (place.cylinder,)
        meant = max(planned_at(case.build, place.op, bank, n) for n in numbers)  # type: ignore[arg-type]
        if meant and off > meant + _SAME:
            yield said(PAST_PLAN, _at(place, bank), part=called, off=Length(off), more=Length(off - meant))
