"""What stands against each gate, cut by cut: of what is planned, and of what was cut whether planned or not."""

# long: one gate after another, as the trade lists them
from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from functools import cached_property
from typing import NamedTuple

from ..build.cut_log import FACES, CutPlace
from ..build.lever_table import AMOUNTS
from ..build.model import Bank, Build
from ..measuring.logbook import READABLE, place_of
from ..measuring.selection import Series
from ..measuring.simulated import simulated_places
from ..measuring.steps import KIND, Step
from ..place import Scope
from ..stack.evaluate import evaluate
from ..stack.results import Evaluation, Hole
from ..windows import Window
from .agreement import AgreementQuestion, Party, label_of, parties, questions, specification
from .meant import as_meant
from .verify import read_since

READ = ("measured", "mock-up")
CHAMBER, DEPTH, HEIGHT = "parts.head.chamber_volume", "mock-up.deck_clearance", "parts.block.deck_height"
MACHINED = frozenset(lever.key for lever in AMOUNTS)
ASSEMBLY = "assembly"
# Steps that are a cut by their own word.
_CUT_BY = {"deck-cut": "deck_cut", "head-cut": "head_cut", "crown-cut": "crown_cut"}
_PIECES = ("rod", "piston")

# What stands before the first chip of a cut; the others wait after it, for the next step or the assembly.
BEFORE_THE_CUT = frozenset({5, 6, 7, 8, 9, 13, 15, 16})

Fails = tuple[str, ...]
Covers = dict[str, float | None]


class Against(NamedTuple):
    """What a gate stands before: a cut of a bank's face, of a set, or the assembly."""

    op: str
    bank: str = ""

    @property
    def key(self) -> str:
        """As files have it: ``deck_cut A``."""
        return f"{self.op} {self.bank}" if self.bank else self.op

    def words(self, *, several_banks: bool) -> str:
        """Return it in words: ``deck of bank A``.

        Parameters
        ----------
        several_banks : bool
            False leaves the only bank's name out.
        """
        name = _CALLED.get(self.op) or (KIND[self.op].label if self.op in KIND else self.op.replace("_", " "))
        return f"{name} of bank {self.bank}" if self.bank and several_banks else name


_CALLED = {
    "deck_cut": "deck",
    "head_cut": "head",
    "crown_cut": "crowns",
    "open_chamber": "chambers",
    "bowl": "bowls",
    "gasket": "gasket",
    ASSEMBLY: "assembly",
}


class JudgedGate(NamedTuple):
    """A gate as it was judged before one cut: its number, what stands against it, the values that it hangs on."""

    number: int
    against: Against
    fails: Fails
    covers: Mapping[str, float | None]


def cuts_of(build: Build) -> tuple[Against, ...]:
    """Return every cut that is planned, or that the log says was made, bank by bank.

    Parameters
    ----------
    build : Build
        With its plan and its log.
    """
    found: dict[Against, None] = {}
    for op in build.planned:
        if op.op in FACES or op.op == "gasket":
            for bank in build.banks:
                if any(op.acts_on(bank.name, number) for number in bank.cylinders):
                    found[Against(op.op, bank.name)] = None
        elif op.op in MACHINED:
            found[Against(op.op)] = None
    for one in build.cuts.passes:
        found[against_of(one.place)] = None
    return tuple(found)


def against_of(place: CutPlace) -> Against:
    """Return what a gate stands before, of a place in the log: a face, or the whole set of a piece.

    Parameters
    ----------
    place : CutPlace
        A face, or a piece.
    """
    return Against(place.op, place.bank if place.op in FACES else "")


def judged(
    build: Build, evaluation: Evaluation, now: str = "", also: Iterable[Against] = ()
) -> Iterator[JudgedGate]:
    """Yield every gate that the cuts of a build meet, in the order of work.

    Parameters
    ----------
    build : Build
        With its plan, its log, its steps, and who signed.
    evaluation : Evaluation
        Of it.
    now : str
        This moment, as facts carry it.
    also : iterable of Against
        Cuts that nobody planned and that are about to be made: they meet the gates of a planned one.

    Yields
    ------
    JudgedGate
        A cut that is not named is none that is meant.
    """
    asked = _Asked(build, evaluation, tuple(dict.fromkeys((*cuts_of(build), *also))), now)
    for number, judge in _ASKED.items():
        for against in (*asked.cuts, *(_of_steps(asked) if number == 10 else ()), Against(ASSEMBLY)):
            found = judge(asked, against)
            if found is not None:
                yield JudgedGate(number, against, *found)


class _Asked:
    """What gates are judged by."""

    def __init__(self, build: Build, evaluation: Evaluation, cuts: tuple[Against, ...], now: str) -> None:
        self.build, self.evaluation, self.cuts, self.now = build, evaluation, cuts, now

    @cached_property
    def meant(self) -> Evaluation:
        """As it was before the first pass, and as it was to become: no pass opens a gate that was passed."""
        return evaluate(as_meant(self.build)) if self.build.cuts.passes else self.evaluation

    @cached_property
    def simulated(self) -> frozenset[str]:
        """Places whose figures nothing is released on."""
        return simulated_places(self.build)

    def bank(self, name: str) -> Bank:
        """The bank of a name."""
        return next(one for one in self.build.banks if one.name == name)

    def holes(self, against: Against) -> tuple[Hole, ...]:
        """The holes of a cut as they were before its first pass; all of them where it is no bank's."""
        holes = self.meant.now.holes
        return holes if not against.bank else tuple(h for h in holes if h.bank == against.bank)

    def newest(self, kind: str) -> Step | None:
        """The newest step of a kind; by the order in which they were noted where nobody said when."""
        return next((step for step in reversed(self.build.steps) if step.kind.key == kind), None)

    def is_read(self, hole: Hole, path: str) -> bool:
        """Whether somebody read a figure of a hole, with a real gauge."""
        source = hole.sources.get(path)
        return source is not None and source.quantity.basis in READ and source.path not in self.simulated

    def not_read(self, holes: Iterable[Hole], path: str, says: str) -> Fails:
        """The holes in which nobody read a figure."""
        found = []
        for hole in holes:
            if not self.is_read(hole, path):
                source = hole.sources.get(path)
                what = (
                    "only simulated" if source is not None and source.path in self.simulated else "not read"
                )
                found.append(f"hole {hole.number}: {says} {what}")
        return tuple(found)


_Stands = tuple[Fails, Covers]


def _clearances(holes: Iterable[Hole]) -> Covers:
    return {
        str(place_of("deck_clearance", cylinder=hole.number)): hole.outcome.deck_clearance for hole in holes
    }


def _line_hone(asked: _Asked, against: Against) -> _Stands | None:
    if against.op != "deck_cut":
        return None
    step, holes = asked.newest("line-hone"), asked.holes(against)
    if step is None:
        return ("nobody noted whether the mains are line-honed",), _clearances(holes)
    return tuple(_older(asked, step, holes)) if step.state == "done" else (), _clearances(holes)


def _mock_up(asked: _Asked, against: Against) -> _Stands | None:
    if against.op != "deck_cut":
        return None
    holes, targets = asked.holes(against), asked.build.targets
    windows = {"deck_clearance": targets.deck_clearance, "quench": targets.quench}
    bounded = {name: window for name, window in windows.items() if window.is_bounded}
    if not bounded:
        return (
            "no window of deck clearance or quench is set: nothing says how far it is to be cut",
        ), _clearances(holes)
    if asked.build.school == "mock-up-only":
        return asked.not_read(holes, DEPTH, "deck clearance"), _clearances(holes)
    planned = tuple(h for h in asked.meant.planned.holes if h.bank == against.bank)
    return tuple(_loose(planned, bounded)), _clearances(holes)


def _loose(holes: Iterable[Hole], windows: Mapping[str, Window]) -> Iterator[str]:
    """Holes whose computed band does not fit its window: paper alone does not release the cut."""
    for hole in holes:
        for name, window in windows.items():
            value, words = getattr(hole.outcome, name), name.replace("_", " ")
            if value is None:
                yield f"hole {hole.number}: {words} not known"
            elif window.side(value, getattr(hole.outcome.doubts, name).half):
                yield f"hole {hole.number}: the band of its {words} leaves the window"


def _covers_on(asked: _Asked, against: Against) -> _Stands | None:
    if against.op != "deck_cut":
        return None
    noted = asked.newest("covers") is not None
    return () if noted else ("nobody noted whether covers share the deck plane",), {}


def _before_hone(asked: _Asked, against: Against) -> _Stands | None:
    if against.op != "deck_cut":
        return None
    bank = asked.bank(against.bank)
    honed = [step for step in asked.build.steps if step.kind.key == "finish-hone"]
    own = [step for step in honed if any(step.acts_on(bank.name, n) for n in bank.cylinders)]
    return tuple(f"{step.words} already, and the deck is still to be faced" for step in own), {}


def _chambers(asked: _Asked, against: Against) -> _Stands | None:
    if against.op != "head_cut":
        return None
    holes = asked.meant.now.holes
    on = {str(place_of("chamber_volume", cylinder=h.number)): _value(h, CHAMBER) for h in holes}
    return asked.not_read(holes, CHAMBER, "chamber"), on


def _of_steps(asked: _Asked) -> tuple[Against, ...]:
    """Cuts that were noted as steps."""
    found: dict[Against, None] = {}
    for step in asked.build.steps:
        if step.kind.feeds and step.state == "done":
            op = _CUT_BY.get(step.kind.key, step.kind.key)
            for bank in asked.build.banks if op in FACES else ():
                if step.bank in ("", bank.name):
                    found[Against(op, bank.name)] = None
            if op not in FACES:
                found[Against(op)] = None
    return tuple(one for one in found if one not in asked.cuts)


def _read_again(asked: _Asked, against: Against) -> _Stands | None:
    """What a cut fed is to be read after it: nothing read is nothing met."""
    steps = [
        step
        for step in asked.build.steps
        if step.kind.feeds
        and step.state == "done"
        and _CUT_BY.get(step.kind.key, step.kind.key) == against.op
        and step.bank in ("", against.bank)
    ]
    cut = [one.place for one in asked.build.cuts.passes if against_of(one.place) == against]
    if not steps and not cut:
        return None
    banks = [asked.bank(against.bank)] if against.bank else list(asked.build.banks)
    fails: list[str] = []
    for place in dict.fromkeys(cut):
        for bank in banks:
            numbers = bank.cylinders if place.cylinder is None else (place.cylinder,)
            for number in set(numbers) & set(bank.cylinders):
                if not read_since(asked.build, place, number):
                    fails.append(f"hole {number}: not read since the last pass")
    holes = [hole for hole in asked.evaluation.now.holes if hole.bank in {bank.name for bank in banks}]
    for step in steps:
        fails += _older(asked, step, holes)
        fails += _unread(step, holes)
    return tuple(dict.fromkeys(fails)), {}


def _series(asked: _Asked, hole: Hole, figure: str) -> Series | None:
    used, field = asked.build.in_use, READABLE[figure]
    if used is None or not field.per_cylinder:
        return None
    return used.series.get(place_of(figure, cylinder=hole.number))


def _older(asked: _Asked, step: Step, holes: Iterable[Hole]) -> Iterator[str]:
    """Holes in which something that a step changed was last read before it."""
    for hole in holes:
        if not step.at or not step.acts_on(hole.bank, hole.number):
            continue
        for figure in step.kind.feeds:
            series = _series(asked, hole, figure)
            if series is not None and all(one.at and one.at < step.at for one in series.readings):
                yield f"hole {hole.number}: {READABLE[figure].label} last read before it ({step.words})"


def _unread(step: Step, holes: Iterable[Hole]) -> Iterator[str]:
    """Holes in which nothing of what a step changed was read at all."""
    for hole in holes:
        if step.acts_on(hole.bank, hole.number):
            sources = (hole.sources.get(READABLE[figure].path) for figure in step.kind.feeds)
            if not any(source is not None and source.quantity.basis in READ for source in sources):
                yield f"hole {hole.number}: nothing read after it ({step.words})"


def _elsewhere(asked: _Asked, against: Against) -> _Stands | None:
    moves = {"deck_cut": "deck", "head_cut": "head", "gasket": "gasket"}
    if against.op not in moves:
        return None
    noted = asked.newest("elsewhere")
    later = [step.at for step in asked.build.steps if step.kind.feeds]
    later += [one.at for one in asked.build.cuts.passes]
    if noted is not None and not any(noted.at < at for at in later):
        return (), {}
    return (f"valve gear, valve room and manifold after the change of {moves[against.op]}: not noted",), {}


def _with_their_hole(asked: _Asked, against: Against) -> _Stands | None:
    if against.op != ASSEMBLY:
        return None
    used = asked.build.in_use
    places: dict[tuple[str, str], set[int]] = {}
    for place, series in used.series.items() if used is not None else ():
        if place.scope is not Scope.HOLE:
            continue
        for reading in series.readings:
            for name, piece in reading.conditions:
                if name in _PIECES:
                    places.setdefault((name, piece), set()).add(place.number)
    if not places or asked.build.mocked_with_one_set:
        return None
    twice = [
        f"{name} {piece} was read in holes {', '.join(map(str, sorted(holes)))}"
        for (name, piece), holes in places.items()
        if len(holes) > 1
    ]
    return tuple(twice), {}


def _number_recorded(asked: _Asked, against: Against) -> _Stands | None:
    if against.op != "deck_cut":
        return None
    noted = asked.newest("id-pad") is not None
    return () if noted else (
        "nobody recorded the engine number, or noted that no machined face carries it",
    ), {}


def _agreed(asked: _Asked, against: Against) -> _Stands | None:
    """No machining of what only one has agreed to."""
    if against.op not in MACHINED:
        return None
    build = asked.build
    spec: Covers = {place: value for place, value in specification(build).items() if isinstance(value, float)}
    agreements = build.signed.agreements if build.signed is not None else ()
    return tuple(_not_agreed(parties(build, agreements))), spec


def _not_agreed(known: Iterable[Party]) -> Iterator[str]:
    for one in known:
        if one.state == "asked":
            yield f"the {one.party} has not agreed"
        elif one.state == "lapsed":
            moved = ", ".join(label_of(p) for p in one.changed[:3])
            yield f"the {one.party} agreed to other figures: {moved} changed"


def _answered(asked: _Asked, against: Against) -> _Stands | None:
    """A step that is hard to reverse, while a question that blocks it stands open."""
    decisions = asked.build.signed.decisions if asked.build.signed is not None else ()
    if against.op not in MACHINED or not decisions:
        return None
    return tuple(_open(questions(asked.build, decisions, asked.now))), {}


def _open(listed: Iterable[AgreementQuestion]) -> Iterator[str]:
    for one in listed:
        if one.answer is None and (one.blocks or one.fallback):
            yield f"no answer yet: {one.text}"


# In their order; a gate that a cut does not meet says None.
_ASKED: dict[int, Callable[[_Asked, Against], _Stands | None]] = {
    5: _line_hone,
    6: _mock_up,
    7: _covers_on,
    8: _before_hone,
    9: _chambers,
    10: _read_again,
    11: _elsewhere,
    12: _with_their_hole,
    13: _number_recorded,
    15: _agreed,
    16: _answered,
}


def _value(hole: Hole, path: str) -> float | None:
    source = hole.sources.get(path)
    return None if source is None else source.quantity.value
