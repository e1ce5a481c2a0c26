"""What fits what: rules as data that a shop extends.

A rule measures one thing between parts (a sum of dimensions, each with a factor) and
says in which bands it fits, in which it fits after an operation, and why it does not
elsewhere; or it asks that a word be the same on both sides. It may hold only where a
part bears a certain word (rods of aluminium, pins that float). The block is one of the
parts. Limits, costs and operations are the shop's; only their form stands here.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any, Literal

from ..errors import shown
from ..place import PartPlace
from ..sentence import NOTHING, Given, Sentence
from ..written import WrittenEdge, WrittenJudged
from .parts import MAKING, needed_of

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

# Two figures that differ by less than this are the same figure written twice.
SAME = 1e-9

Effect = Literal["", "stroke", "crown", "bore"]
FACE_CROWN = "face-crown"
OFFSET_GRIND = "offset-grind"
BORE = "bore"


@dataclass(frozen=True, slots=True)
class Machining:
    """An operation that makes a near-fit fit.

    Parameters
    ----------
    key, label : str
        Its key, and what a machinist calls it.
    part : str
        The kind it is done to; it is done to each of those that the engine takes.
    cost : int
        For one of them, in hundredths of the shop's money.
    changes : str
        What it changes besides.
    effect : str
        What of the stack it moves: the stroke, the crown, the bore, or nothing.
    """

    key: str
    label: str
    part: str
    cost: int
    changes: str
    effect: Effect = ""

    def pieces(self, cylinders: int, banks: int) -> int:
        """Return on how many it is done in one engine: bores are machined hole by hole, a block once.

        Parameters
        ----------
        cylinders, banks : int
            Of the engine; no unit.
        """
        if self.effect == "bore":
            return cylinders
        return 1 if self.part == "block" else needed_of(self.part, cylinders, banks)


@dataclass(frozen=True, slots=True)
class Band:
    """From where to where a measure fits, and after which operation; edges included, in mm."""

    low: float
    high: float
    machining: str = ""


@dataclass(frozen=True, slots=True)
class FitRule:
    """One rule of fit.

    Parameters
    ----------
    key, interface : str
        Its key, and the interface in words.
    measure : Mapping
        Dimensions (``rod.pin_bore``) and their factors; empty for a rule of words.
    bands : tuple of Band
        The first that holds the measure decides.
    same : tuple of str
        Two words that must be the same; empty for a rule of dimensions.
    otherwise : str
        The operation that helps where the words differ; empty where none does.
    says : str
        Why it does not fit; ``{by}`` is the measure without its sign, ``{room}`` with it,
        ``{larger}`` says ``2 mm larger`` or ``2 mm smaller``, ``{least}`` and ``{most}``
        are the edges between which it fits as it is.
    needed : bool
        True where a part that lacks the dimension cannot be judged. Else the fit is
        not checked, and the recipe says so.
    when : Mapping
        Words by their places (``rod.material``): the rule holds only where each place bears
        one of its words; ``""`` among them stands for a word that is not known.
    """

    key: str
    interface: str
    measure: Mapping[str, float] = field(default_factory=dict)
    bands: tuple[Band, ...] = ()
    same: tuple[str, ...] = ()
    otherwise: str = ""
    says: str = ""
    needed: bool = False
    when: Mapping[str, tuple[str, ...]] = field(default_factory=dict)

    @property
    def places(self) -> tuple[str, ...]:
        """The dimensions or words between which the rule lies."""
        return self.same or tuple(self.measure)

    @property
    def asked(self) -> tuple[str, ...]:
        """All that the rule asks for: what it lies between, and the words on which it hangs."""
        return (*self.places, *(place for place in self.when if place not in self.places))

    @property
    def kinds(self) -> tuple[str, ...]:
        """The kinds it lies between, the block left out, in the order in which recipes are made."""
        found = {PartPlace.parse(place).kind for place in self.asked}
        return tuple(kind for kind in MAKING if kind in found)

    def names_of(self, kind: str) -> tuple[str, ...]:
        """Return what it asks of a kind.

        Parameters
        ----------
        kind : str
            A kind of part, such as ``rod``.
        """
        places = map(PartPlace.parse, self.asked)
        return tuple(place.name for place in places if place.kind == kind)


def names_asked(rules: Iterable[FitRule], kind: str) -> list[str]:
    """Return what some rules ask of a kind, each once, in the order of the alphabet.

    Parameters
    ----------
    rules : iterable of FitRule
        The rules.
    kind : str
        A kind of part, such as ``rod``.
    """
    return sorted({name for rule in rules for name in rule.names_of(kind)})


@dataclass(frozen=True, slots=True)
class FitRules:
    """All rules in force, and the operations they name."""

    rules: tuple[FitRule, ...]
    machinings: Mapping[str, Machining]

    def rule(self, key: str) -> FitRule:
        """Return the rule of a key.

        Parameters
        ----------
        key : str
            Name of a result, such as ``quench``.
        """
        return next(rule for rule in self.rules if rule.key == key)


@dataclass(frozen=True, slots=True)
class Fit:
    """What a rule says of a set of parts.

    ``verdict`` is ``fits``, ``machine`` (after ``machining``), ``no``, ``unknown``
    (``missing`` says what is not known) or ``not asked``, where the rule is for other words.
    """

    rule: FitRule
    verdict: Literal["fits", "machine", "no", "unknown", "not asked"]
    machining: str = ""
    says: Sentence = NOTHING
    missing: tuple[str, ...] = ()
    measure: float | None = None


Look = Callable[[str], Any]


def judge_fit(rule: FitRule, look: Look, allowed: Callable[[str], bool]) -> Fit:
    """Judge one set of parts by one rule (trade.md 13).

    Parameters
    ----------
    rule : FitRule
        The rule.
    look : callable
        From a place (``rod.pin_bore``) to its value in mm, or its word; None where
        that is not known.
    allowed : callable
        Which operations may be planned.

    Returns
    -------
    Fit
        The verdict.

    Examples
    --------
    >>> rule = FitRule("r", "pin", {"rod.pin_bore": 1, "piston.pin_diameter": -1}, (Band(0, 0.02),))
    >>> judge_fit(rule, {"rod.pin_bore": 22.01, "piston.pin_diameter": 22}.get, lambda _: True).verdict
    'fits'
    """
    for place, words in rule.when.items():
        if (look(place) or "") not in words:
            return Fit(rule, "not asked")
    values = {place: look(place) for place in rule.places}
    missing = tuple(place for place, value in values.items() if value in (None, ""))
    if missing:
        return Fit(rule, "unknown", missing=missing)
    if rule.same:
        return _judge_words(rule, values, allowed)
    measure = 0.0
    for place, factor in rule.measure.items():
        measure += factor * values[place]
    for band in rule.bands:
        if band.low - SAME <= measure <= band.high + SAME and (not band.machining or allowed(band.machining)):
            if band.machining:
                return Fit(rule, "machine", band.machining, _why(rule, measure), measure=measure)
            return Fit(rule, "fits", measure=measure)
    return Fit(rule, "no", says=_why(rule, measure), measure=measure)


def _judge_words(rule: FitRule, values: Mapping[str, Any], allowed: Callable[[str], bool]) -> Fit:
    if len(set(values.values())) == 1:
        return Fit(rule, "fits")
    words = " and ".join(
        f"{shown(str(value))} ({PartPlace.parse(place).words})" for place, value in values.items()
    )
    differs = Sentence("{words}", {"words": words})
    if rule.otherwise and allowed(rule.otherwise):
        return Fit(rule, "machine", rule.otherwise, differs)
    own = Sentence("{words}", {"words": rule.says or f"{words} do not go together"})
    return Fit(rule, "no", says=own)


_MARKS = ("by", "room", "larger", "least", "most")
_MARK = re.compile("({(?:" + "|".join(_MARKS) + ")})")


def _why(rule: FitRule, measure: float) -> Sentence:
    """Why a measure is no fit, in the rule's own words: only their marks are filled in."""
    text = rule.says or f"{rule.interface} is off by {{by}}"
    pieces = _MARK.split(text)
    words = "".join(
        piece if at % 2 else piece.replace("{", "{{").replace("}", "}}") for at, piece in enumerate(pieces)
    )
    edges = [edge for band in rule.bands if not band.machining for edge in (band.low, band.high)]
    finite = [edge for edge in edges if abs(edge) < float("inf")] or [0.0]
    near = min(finite, key=lambda edge: abs(edge - measure))
    by = WrittenJudged(abs(measure), abs(near), typed=True)
    given: dict[str, Given] = {
        "by": by,
        "room": WrittenJudged(measure, near, typed=True),
        "larger": Sentence("{by} " + ("smaller" if measure < 0 else "larger"), {"by": by}),
        "least": WrittenEdge(min(finite), measure, typed=True),
        "most": WrittenEdge(max(finite), measure, typed=True),
    }
    return Sentence(words, {mark: given[mark] for mark in _MARKS if f"{{{mark}}}" in pieces})


# From a word to its number on the shelf; not a number for a word that no part bears.
Numbers = Callable[[str], float]


def judge_columns(
    rule: FitRule,
    look: Callable[[str], NDArray[np.float64]],
    allowed: Callable[[str], bool],
    number: Numbers,
) -> tuple[NDArray[np.bool_], NDArray[np.int16]]:
    """Judge many sets of parts by one rule; lengths in mm (trade.md 13).

    Parameters
    ----------
    rule : FitRule
        The rule.
    look : callable
        From a place to a column (or to columns that broadcast), not known as NaN; words
        are numbers, the same for the same word.
    allowed : callable
        Which operations may be planned.
    number : callable
        From a word to the number that stands for it; not a number for the empty word.

    Returns
    -------
    fits : array of bool
        As it is, after an operation, not asked, or not checked because something is not known
        that it can do without.
    band : array of int16
        Which band decided; −1 where none did. A rule of words has one band, 0, for its
        operation.
    """
    import numpy as np

    holds = holds_for(rule.when, look, number)
    if rule.same:
        first, second = (look(place) for place in rule.same)
        unknown = np.isnan(first) | np.isnan(second)
        equal = (first == second) | unknown & (not rule.needed) | np.logical_not(holds)
        if rule.otherwise and allowed(rule.otherwise):
            return equal | ~unknown, np.where(equal | unknown, -1, 0).astype(np.int16)
        return equal, np.full(equal.shape, -1, np.int16)
    measure: Any = 0.0
    for place, factor in rule.measure.items():
        measure = measure + factor * look(place)
    band = np.full(np.broadcast_shapes(np.shape(measure), np.shape(holds)), -1, np.int16)
    for at in range(len(rule.bands) - 1, -1, -1):
        item = rule.bands[at]
        if not item.machining or allowed(item.machining):
            band[holds & (item.low - SAME <= measure) & (measure <= item.high + SAME)] = at
    return (band >= 0) | np.isnan(measure) & (not rule.needed) | np.logical_not(holds), band


def holds_for(
    when: Mapping[str, tuple[str, ...]], look: Callable[[str], NDArray[np.float64]], number: Numbers
) -> NDArray[np.bool_]:
    """Return for which sets of parts a rule holds, by the words on which it hangs; no unit.

    Parameters
    ----------
    when : Mapping
        Words by their places, as a rule has them; some of them, where others are not known yet.
    look : callable
        From a place to a column of numbers that stand for words.
    number : callable
        From a word to its number.
    """
    import numpy as np

    holds = np.array(True)  # noqa: FBT003 - an array of one truth
    for place, words in when.items():
        column = look(place)
        named = [number(word) for word in words if word]
        holds = holds & (np.isin(column, named) | (np.isnan(column) & ("" in words)))
    return holds
