"""What fits what: rules as data that a shop extends.

A rule measures one thing between parts (a sum of dimensions, each with a factor) and
says in which bands it fits, in which it fits after an operation, and why it does not
elsewhere; or it asks that a word be the same on both sides. The block is one of the
parts. Limits, costs and operations are the shop's; only their form stands here.
"""

# long: a rule of fit, judged for one part, for columns, and read from data: together so that they stay one rule
from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any, Literal

from ..errors import QuantityError, shown
from ..place import PartPlace
from .parts import KIND, MAKING, needed_of

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
        ``{larger}`` says ``2 mm larger`` or ``2 mm smaller``.
    needed : bool
        True where a part that lacks the dimension cannot be judged. Else the fit is
        not checked, and the recipe says so.
    """

    key: str
    interface: str
    measure: Mapping[str, float] = field(default_factory=dict)
    bands: tuple[Band, ...] = ()
    same: tuple[str, ...] = ()
    otherwise: str = ""
    says: str = ""
    needed: bool = False

    @property
    def places(self) -> tuple[str, ...]:
        """The dimensions or words that the rule asks for."""
        return self.same or tuple(self.measure)

    @property
    def kinds(self) -> tuple[str, ...]:
        """The kinds it lies between, the block left out, in the order in which recipes are made."""
        found = {PartPlace.parse(place).kind for place in self.places}
        return tuple(kind for kind in MAKING if kind in found)

    def names_of(self, kind: str) -> tuple[str, ...]:
        """Return what it asks of a kind.

        Parameters
        ----------
        kind : str
            A kind of part, such as ``rod``.
        """
        places = map(PartPlace.parse, self.places)
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

    ``verdict`` is ``fits``, ``machine`` (after ``machining``), ``no`` or ``unknown``
    (``missing`` says what is not known).
    """

    rule: FitRule
    verdict: Literal["fits", "machine", "no", "unknown"]
    machining: str = ""
    says: str = ""
    missing: tuple[str, ...] = ()
    measure: float | None = None


Look = Callable[[str], Any]


def judge_fit(rule: FitRule, look: Look, allowed: Callable[[str], bool]) -> Fit:
    """Judge one set of parts by one rule.

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
    values = {place: look(place) for place in rule.places}
    missing = tuple(place for place, value in values.items() if value in (None, ""))
    if missing:
        return Fit(rule, "unknown", missing=missing)
    if rule.same:
        if len(set(values.values())) == 1:
            return Fit(rule, "fits")
        words = " and ".join(
            f"{shown(str(value))} ({PartPlace.parse(place).words})" for place, value in values.items()
        )
        if rule.otherwise and allowed(rule.otherwise):
            return Fit(rule, "machine", rule.otherwise, words)
        return Fit(rule, "no", says=rule.says or f"{words} do not go together")
    measure = 0.0
    for place, factor in rule.measure.items():
        measure += factor * values[place]
    for band in rule.bands:
        if band.low - SAME <= measure <= band.high + SAME and (not band.machining or allowed(band.machining)):
            if band.machining:
                return Fit(rule, "machine", band.machining, _by(rule, measure), measure=measure)
            return Fit(rule, "fits", measure=measure)
    return Fit(rule, "no", says=_by(rule, measure), measure=measure)


def _by(rule: FitRule, measure: float) -> str:
    text = rule.says or f"{rule.interface} is off by {{by}}"
    digits = f"{abs(measure):.3f}".rstrip("0").rstrip(".") + " mm"
    says = {
        "{by}": digits,
        "{room}": f"−{digits}" if measure < 0 else digits,
        "{larger}": f"{digits} {'smaller' if measure < 0 else 'larger'}",
    }
    for mark, words in says.items():
        text = text.replace(mark, words)
    return text


def judge_columns(
    rule: FitRule, look: Callable[[str], NDArray[np.float64]], allowed: Callable[[str], bool]
) -> tuple[NDArray[np.bool_], NDArray[np.int16]]:
    """Judge many sets of parts by one rule.

    Parameters
    ----------
    rule : FitRule
        The rule.
    look : callable
        From a place to a column (or to columns that broadcast), not known as NaN; words
        are numbers, the same for the same word.
    allowed : callable
        Which operations may be planned.

    Returns
    -------
    fits : array of bool
        As it is, after an operation, or not checked because something is not known.
    band : array of int16
        Which band decided; −1 where none did. A rule of words has one band, 0, for its
        operation.
    """
    import numpy as np

    if rule.same:
        first, second = (look(place) for place in rule.same)
        equal = (first == second) | np.isnan(first) | np.isnan(second)
        if rule.otherwise and allowed(rule.otherwise):
            return np.ones_like(equal), np.where(equal, -1, 0).astype(np.int16)
        return equal, np.full(equal.shape, -1, np.int16)
    measure: Any = 0.0
    for place, factor in rule.measure.items():
        measure = measure + factor * look(place)
    band = np.full(np.shape(measure), -1, np.int16)
    for at in range(len(rule.bands) - 1, -1, -1):
        item = rule.bands[at]
        if not item.machining or allowed(item.machining):
            band[(item.low - SAME <= measure) & (measure <= item.high + SAME)] = at
    return (band >= 0) | np.isnan(measure), band


# -- as data ------------------------------------------------------------------


def rules_from_data(data: Mapping[str, Any]) -> FitRules:
    """Read rules and operations from data, such as a shop's own file.

    Parameters
    ----------
    data : Mapping
        ``machinings`` and ``rules``, as :func:`rules_as_data` writes them.

    Returns
    -------
    FitRules
        Read.

    Raises
    ------
    QuantityError
        If a rule names a dimension or an operation that there is not, or its bands
        are out of order; the message names the rule.
    """
    machinings = {}
    for raw in data.get("machinings") or ():
        item = Machining(
            str(raw.get("key")),
            str(raw.get("label") or raw.get("key")),
            str(raw.get("part")),
            _cents(raw),
            str(raw.get("changes") or ""),
            raw.get("effect") or "",
        )
        if item.part not in MAKING and item.part != "block":
            raise QuantityError(
                f"the operation {shown(item.key)} on {shown(item.part)}",
                "an operation on a block, " + ", ".join(MAKING),
            )
        if item.effect not in ("", "stroke", "crown", "bore"):
            raise QuantityError(
                f"the effect {shown(item.effect)} of {shown(item.key)}", "stroke, crown, bore or none"
            )
        machinings[item.key] = item
    rules = tuple(_rule(raw, machinings) for raw in data.get("rules") or ())
    if len({rule.key for rule in rules}) != len(rules):
        raise QuantityError("two rules of one key", "a key of its own for each rule")
    return FitRules(rules, machinings)


def _cents(raw: Mapping[str, Any]) -> int:
    cost = raw.get("cost", 0)
    if isinstance(cost, bool) or not isinstance(cost, (int, float)) or not 0 <= cost < 1e7:
        raise QuantityError(
            f"the cost {shown(cost)} of {shown(raw.get('key'))}", "a cost of nought or more, such as 12.50"
        )
    return round(cost * 100)


def _rule(raw: Mapping[str, Any], machinings: Mapping[str, Machining]) -> FitRule:
    key = str(raw.get("key") or "")
    bands = tuple(
        Band(
            _edge(b.get("from"), -math.inf, key), _edge(b.get("to"), math.inf, key), b.get("machining") or ""
        )
        for b in raw.get("bands") or ()
    )
    rule = FitRule(
        key,
        str(raw.get("interface") or key),
        dict(raw.get("measure") or {}),
        bands,
        tuple(raw.get("same") or ()),
        raw.get("otherwise") or "",
        str(raw.get("says") or ""),
        bool(raw.get("needed")),
    )
    if not key:
        raise QuantityError("a rule without a key", "a key for each rule")
    _check_measure(rule)
    _check_operations(rule, machinings)
    return rule


def _check_measure(rule: FitRule) -> None:
    """What a rule measures: dimensions or words that exist, plain factors, bands that are the right way round."""
    key = rule.key
    for place in rule.places:
        kind, name = PartPlace.parse(place)
        known = kind in (*MAKING, "block") and (
            KIND[kind].text(name) if rule.same else KIND[kind].dimension(name)
        )
        if not known:
            raise QuantityError(
                f"{shown(place)} in the rule {shown(key)}",
                "a dimension (or word) of a block, " + ", ".join(MAKING),
            )
    if not rule.kinds or bool(rule.same) == bool(rule.bands) or (rule.same and len(rule.same) != 2):
        raise QuantityError(
            f"the rule {shown(key)}", "either a measure with bands, or two words that must be the same"
        )
    for factor in rule.measure.values():
        if isinstance(factor, bool) or not isinstance(factor, (int, float)) or not math.isfinite(factor):
            raise QuantityError(
                f"the factor {shown(factor)} in the rule {shown(key)}", "a number, such as 1 or -0.5"
            )
    for band in rule.bands:
        if band.low > band.high:
            raise QuantityError(
                f"a band from {band.low:g} to {band.high:g} in {shown(key)}",
                "from the lower to the higher edge",
            )


def _check_operations(rule: FitRule, machinings: Mapping[str, Machining]) -> None:
    """What a rule would have done: operations that exist, where they belong."""
    key = rule.key
    for name in (*(b.machining for b in rule.bands), rule.otherwise):
        if not name:
            continue
        if name not in machinings:
            raise QuantityError(
                f"the operation {shown(name)} in the rule {shown(key)}", "one of " + ", ".join(machinings)
            )
        effect = machinings[name].effect
        if effect and set(rule.places) != _EFFECT_BETWEEN.get(effect):
            raise QuantityError(
                f"{machinings[name].label} in the rule {shown(key)}",
                "it only where it belongs: " + _EFFECT_PLACE[effect],
            )


# An operation that moves the stack belongs to one interface: the search knows its arithmetic there.
_EFFECT_BETWEEN = {
    "stroke": {"crank.pin_diameter", "rod.journal_diameter"},
    "bore": {"piston.bore", "block.bore"},
}
_EFFECT_PLACE = {
    "stroke": "between rod journal and big end",
    "bore": "between piston and bore",
    "crown": "in no rule, it follows from the windows",
}


def _edge(raw: Any, default: float, key: str) -> float:
    if raw is None:
        return default
    if isinstance(raw, bool) or not isinstance(raw, (int, float)) or not math.isfinite(raw):
        raise QuantityError(f"the edge {shown(raw)} in the rule {shown(key)}", "a number in mm")
    return float(raw)


def rules_as_data(rules: FitRules) -> dict[str, Any]:
    """Return rules and operations as plain data; :func:`rules_from_data` reads it back.

    Parameters
    ----------
    rules : FitRules
        The rules.
    """

    def edges(band: Band) -> dict[str, Any]:
        out: dict[str, Any] = {}
        if band.low > -math.inf:
            out["from"] = band.low
        if band.high < math.inf:
            out["to"] = band.high
        return out | ({"machining": band.machining} if band.machining else {})

    def rule(item: FitRule) -> dict[str, Any]:
        out: dict[str, Any] = {"key": item.key, "interface": item.interface}
        if item.same:
            out["same"] = list(item.same)
        else:
            out |= {"measure": dict(item.measure), "bands": [edges(band) for band in item.bands]}
        for name in ("otherwise", "says", "needed"):
            if getattr(item, name):
                out[name] = getattr(item, name)
        return out

    return {
        "machinings": [
            {"key": m.key, "label": m.label, "part": m.part, "cost": m.cost / 100, "changes": m.changes}
            | ({"effect": m.effect} if m.effect else {})
            for m in rules.machinings.values()
        ],
        "rules": [rule(item) for item in rules.rules],
    }
