"""Gates that measuring passes: what stands against them, who signed for it, and whether that still covers it."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from typing import NamedTuple

from ..build.model import Build
from ..gates import GATE, Gate, covers
from ..house_rules import SCHOOL
from ..place import Scope
from ..stack.results import Evaluation, Hole
from ..windows import Window
from .facts import Fact
from .logbook import READABLE, place_of
from .steps import Step

_READ = ("measured", "mock-up")
_CHAMBER, _DEPTH = "parts.head.chamber_volume", "mock-up.deck_clearance"
# A value that differs by less is the same: the last bits of a sum.
_SAME = 1e-9


class Signed(NamedTuple):
    """An acceptance: who signed, when, why, what stood against it, and the places and values it covered."""

    by: str
    at: str
    reason: str
    fails: tuple[str, ...]
    covers: Mapping[str, float | None]


class Judged(NamedTuple):
    """A gate as it was judged: its number, what stands against it, and the values that it hangs on."""

    number: int
    fails: tuple[str, ...]
    covers: Mapping[str, float | None]


class Standing(NamedTuple):
    """A gate: what stands against it, the values that it hangs on, and the acceptance if there is one.

    ``lapsed`` names the places whose values changed since it was signed.
    """

    gate: Gate
    fails: tuple[str, ...]
    covers: Mapping[str, float | None]
    signed: Signed | None
    lapsed: tuple[str, ...]

    @property
    def is_passed(self) -> bool:
        """True where nothing stands against it, or somebody signed for all of it and nothing changed."""
        if not self.fails:
            return True
        return self.signed is not None and not self.lapsed and covers(self.signed.fails, self.fails)


def standings(
    build: Build, evaluation: Evaluation, accepted: Iterable[Fact], more: Iterable[Judged] = ()
) -> tuple[Standing, ...]:
    """Return the gates that the plan of a build meets, as far as measuring passes them.

    Parameters
    ----------
    build : Build
        With its plan.
    evaluation : Evaluation
        Of it.
    accepted : iterable of Fact
        The acceptances among its facts, in their order.
    more : iterable of Judged
        Gates that something else than measuring passes.

    Returns
    -------
    tuple of Standing
        Gates 5 to 13, those that the plan and the steps so far meet; the newest acceptance of each.
    """
    signed: dict[int, Signed] = {}
    for fact in accepted:
        body = fact.body
        if body.get("gate") is None:
            continue
        signed[int(body["gate"])] = Signed(
            str(body.get("by") or fact.by),
            str(body.get("at") or fact.at),
            str(body["reason"]),
            tuple(body.get("fails") or ()),
            dict(body.get("covers") or {}),
        )
    found = []
    for number, fails, on in (*_gates(build, evaluation), *more):
        mine = signed.get(number)
        lapsed = (
            () if mine is None else tuple(place for place in mine.covers if _moved(mine.covers, on, place))
        )
        found.append(Standing(GATE[number], fails, on, mine, lapsed))
    return tuple(found)


def _moved(before: Mapping[str, float | None], now: Mapping[str, float | None], place: str) -> bool:
    was, is_ = before.get(place), now.get(place)
    if was is None or is_ is None:
        return was is not is_
    return abs(was - is_) > _SAME


class _Asked(NamedTuple):
    """What a gate is judged by."""

    build: Build
    evaluation: Evaluation

    @property
    def ops(self) -> frozenset[str]:
        return frozenset(op.op for op in self.build.planned)

    @property
    def holes(self) -> tuple[Hole, ...]:
        return self.evaluation.now.holes

    def newest(self, kind: str) -> Step | None:
        """The newest step of a kind; by the order in which they were noted where nobody said when."""
        return next((step for step in reversed(self.build.steps) if step.kind.key == kind), None)


_Stands = tuple[tuple[str, ...], dict[str, float | None]]


def _clearances(asked: _Asked) -> dict[str, float | None]:
    return {
        str(place_of("deck_clearance", cylinder=hole.number)): hole.outcome.deck_clearance
        for hole in asked.holes
    }


def _line_hone(asked: _Asked) -> _Stands | None:
    if "deck_cut" not in asked.ops:
        return None
    step = asked.newest("line-hone")
    if step is None:
        return ("nobody noted whether the mains are line-honed",), _clearances(asked)
    return tuple(_older(asked, step)) if step.state == "done" else (), _clearances(asked)


def _mock_up(asked: _Asked) -> _Stands | None:
    if "deck_cut" not in asked.ops:
        return None
    if asked.build.school == "mock-up-only":
        return _not_read(asked.holes, _DEPTH, "deck clearance not read"), _clearances(asked)
    return _loose(asked.build, asked.evaluation), _clearances(asked)


def _covers_on(asked: _Asked) -> _Stands | None:
    if "deck_cut" not in asked.ops:
        return None
    noted = asked.newest("covers") is not None
    return () if noted else ("nobody noted whether covers share the deck plane",), {}


def _before_hone(asked: _Asked) -> _Stands | None:
    if "deck_cut" not in asked.ops:
        return None
    honed = [step for step in asked.build.steps if step.kind.key == "finish-hone"]
    return tuple(f"{step.words} already, and the deck is still to be faced" for step in honed), {}


def _chambers(asked: _Asked) -> _Stands | None:
    if "head_cut" not in asked.ops:
        return None
    on = {str(place_of("chamber_volume", cylinder=h.number)): _value(h, _CHAMBER) for h in asked.holes}
    return _not_read(asked.holes, _CHAMBER, "chamber not measured"), on


def _read_again(asked: _Asked) -> _Stands | None:
    cuts = [step for step in asked.build.steps if step.kind.feeds and step.state == "done"]
    if not cuts and not asked.build.cuts.passes:
        return None
    older = [*_cut_since(asked), *(says for step in cuts for says in _older(asked, step))]
    return tuple(dict.fromkeys(older)), {}


def _cut_since(asked: _Asked) -> Iterator[str]:
    """Holes in which something that was read was cut since, by the log."""
    for hole in asked.holes:
        for path, figure in ((_DEPTH, "deck_clearance"), (_CHAMBER, "chamber_volume")):
            source = hole.sources.get(path)
            if source is not None and source.quantity.is_as_cut and source.quantity.basis in _READ:
                yield f"hole {hole.number}: {READABLE[figure].label} not read since the last pass"


def _older(asked: _Asked, step: Step) -> Iterator[str]:
    """Holes in which something that a step changed was last read before it."""
    used = asked.build.in_use
    for hole in asked.holes:
        if not step.at or used is None or not step.acts_on(hole.bank, hole.number):
            continue
        for figure in step.kind.feeds:
            field = READABLE[figure]
            series = used.series.get(place_of(figure, cylinder=hole.number)) if field.per_cylinder else None
            if series is not None and all(one.at and one.at < step.at for one in series.readings):
                yield f"hole {hole.number}: {field.label} last read before it ({step.words})"


def _elsewhere(asked: _Asked) -> _Stands | None:
    moves = {"deck_cut": "deck", "head_cut": "head", "gasket": "gasket"}
    moved = [name for op, name in moves.items() if op in asked.ops]
    if not moved:
        return None
    noted = asked.newest("elsewhere")
    if noted is not None and not any(noted.at < step.at for step in asked.build.steps if step.kind.feeds):
        return (), {}
    return (f"valve gear, valve room and manifold after the change of {' and '.join(moved)}: not noted",), {}


def _with_their_hole(asked: _Asked) -> _Stands | None:
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


_PIECES = ("rod", "piston")


def _number_recorded(asked: _Asked) -> _Stands | None:
    if "deck_cut" not in asked.ops:
        return None
    noted = asked.newest("id-pad") is not None
    return () if noted else (
        "nobody recorded the engine number, or noted that no machined face carries it",
    ), {}


# In their order; a gate that the build does not meet says None.
_ASKED: dict[int, Callable[[_Asked], _Stands | None]] = {
    5: _line_hone,
    6: _mock_up,
    7: _covers_on,
    8: _before_hone,
    9: _chambers,
    10: _read_again,
    11: _elsewhere,
    12: _with_their_hole,
    13: _number_recorded,
}


def _gates(
    build: Build, evaluation: Evaluation
) -> Iterator[tuple[int, tuple[str, ...], dict[str, float | None]]]:
    asked = _Asked(build, evaluation)
    for number, judge in _ASKED.items():
        found = judge(asked)
        if found is not None:
            yield number, *found


def _value(hole: Hole, path: str) -> float | None:
    source = hole.sources.get(path)
    return None if source is None else source.quantity.value


def _not_read(holes: Iterable[Hole], path: str, says: str) -> tuple[str, ...]:
    found = []
    for hole in holes:
        source = hole.sources.get(path)
        if source is None or source.quantity.basis not in _READ:
            found.append(f"hole {hole.number}: {says}")
    return tuple(found)


def _loose(build: Build, evaluation: Evaluation) -> tuple[str, ...]:
    """Holes whose computed band does not fit its window: paper alone does not release the cut."""
    found = []
    windows: dict[str, Window] = {
        "deck_clearance": build.targets.deck_clearance,
        "quench": build.targets.quench,
    }
    for hole in evaluation.planned.holes:
        for name, window in windows.items():
            value, half = getattr(hole.outcome, name), getattr(hole.outcome.doubts, name).half
            if value is not None and not window.is_open and window.side(value, half):
                found.append(
                    f"hole {hole.number}: the band of its {name.replace('_', ' ')} leaves the window"
                )
    return tuple(found)


def school_words(build: Build) -> str:
    """Return the school that decides how a deck cut is released, in words.

    Parameters
    ----------
    build : Build
        The build.
    """
    school = SCHOOL.get(build.school)
    return school.label if school else "the shop's own rules"
