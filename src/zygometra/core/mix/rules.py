"""What fits what: rules as data that a shop extends.

A rule measures one thing between parts (a sum of dimensions, each with a factor) and
says in which bands it fits, in which it fits after an operation, and why it does not
elsewhere; or it asks that a word be the same on both sides. The block is one of the
parts. Limits, costs and operations are the shop's; only their form stands here.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any, Literal

from ..errors import QuantityError, shown
from .parts import KIND, MAKING

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

# Two figures that differ by less than this are the same figure written twice.
SAME = 1e-9

Effect = Literal["", "stroke", "crown", "bore"]


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
        Why it does not fit; ``{by}`` is the measure without its sign, ``{room}`` with it.
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
        found = {place.partition(".")[0] for place in self.places}
        return tuple(kind for kind in MAKING if kind in found)


@dataclass(frozen=True, slots=True)
class FitRules:
    """All rules in force, and the operations they name."""

    rules: tuple[FitRule, ...]
    machinings: Mapping[str, Machining]

    def rule(self, key: str) -> FitRule:
        """Return the rule of a key."""
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
            f"{shown(str(value))} ({place.replace('.', ' ')})" for place, value in values.items()
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
    return text.replace("{by}", digits).replace("{room}", f"−{digits}" if measure < 0 else digits)


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
        item = Machining(str(raw.get("key")), str(raw.get("label") or raw.get("key")), str(raw.get("part")),
                         _cents(raw), str(raw.get("changes") or ""), raw.get("effect") or "")  # fmt: skip
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
    rule = FitRule(key, str(raw.get("interface") or key), dict(raw.get("measure") or {}), bands,
                   tuple(raw.get("same") or ()), raw.get("otherwise") or "", str(raw.get("says") or ""),
                   bool(raw.get("needed")))  # fmt: skip
    if not key:
        raise QuantityError("a rule without a key", "a key for each rule")
    for place in rule.places:
        kind, _, name = place.partition(".")
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
    for band in bands:
        if band.low > band.high:
            raise QuantityError(
                f"a band from {band.low:g} to {band.high:g} in {shown(key)}",
                "from the lower to the higher edge",
            )
    for name in (*(b.machining for b in bands), rule.otherwise):
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
    return rule


# An operation that moves the stack belongs to one interface: the search knows its arithmetic there.
_EFFECT_BETWEEN = {
    "stroke": {"crank.pin_diameter", "rod.journal_diameter"},
    "bore": {"piston.bore", "block.bore"},
}
_EFFECT_PLACE = {
    "stroke": "between rod journal and big end", "bore": "between piston and bore",
    "crown": "in no rule, it follows from the windows",
}  # fmt: skip


def _edge(raw: Any, default: float, key: str) -> float:
    if raw is None:
        return default
    if isinstance(raw, bool) or not isinstance(raw, (int, float)) or not math.isfinite(raw):
        raise QuantityError(f"the edge {shown(raw)} in the rule {shown(key)}", "a number in mm")
    return float(raw)


def rules_as_data(rules: FitRules) -> dict[str, Any]:
    """Return rules and operations as plain data; :func:`rules_from_data` reads it back."""

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


def _band(low: float, high: float, machining: str = "") -> Band:
    return Band(low, high, machining)


_INF = math.inf
FACE_CROWN = "face-crown"
OFFSET_GRIND = "offset-grind"
BORE = "bore"

_MACHININGS: Iterable[Machining] = (
    Machining(BORE, "bore and hone to the next size", "block", 18000, "walls thinner; rings and gasket for the new bore", "bore"),
    Machining(OFFSET_GRIND, "offset-grind the rod journals", "crank", 32000, "stroke and journal size; harden and balance again", "stroke"),
    Machining(FACE_CROWN, "face the crown", "piston", 1800, "compression height, top land and mass; crown thickness must allow it", "crown"),
    Machining("grind-mains", "grind the main journals to size", "crank", 16000, "main bearing size"),
    Machining("sleeve-mains", "fit thicker main shells", "crank", 9000, "oil clearance to be measured again"),
    Machining("thrust-washers", "fit wider thrust washers", "crank", 3500, "end float to be measured again"),
    Machining("turn-snout", "turn the snout down", "crank", 5500, "pulley and front seal to suit"),
    Machining("turn-seal", "turn the seal land down", "crank", 4500, "the seal's lip runs on a new face"),
    Machining("sleeve-seal", "sleeve the seal land", "crank", 4000, "a thin ring under the seal"),
    Machining("redrill-flange", "redrill the flange", "crank", 7500, "flywheel dowel and bolts"),
    Machining("turn-counterweights", "turn the counterweights down", "crank", 8500, "balance: heavy metal may be wanted"),
    Machining("rebalance", "balance for this block", "crank", 14000, "damper and flywheel to match"),
    Machining("fit-trigger", "fit this block's trigger wheel", "crank", 6000, "ignition timing to be checked"),
    Machining("narrow-rod", "narrow the big end", "rod", 2200, "weight; oil hole and shell tangs stay clear"),
    Machining("hone-small-end", "hone the small end", "rod", 900, "pin fit to be measured, rod by rod"),
    Machining("bush-small-end", "bush the small end", "rod", 2400, "rod length to be measured again"),
    Machining("hone-bosses", "hone the piston bosses", "piston", 1100, "pin fit to be measured"),
    Machining("shorten-skirt", "shorten the skirt", "piston", 1400, "guidance, rock and mass"),
)  # fmt: skip

_RULES: Iterable[FitRule] = (
    FitRule("mains", "main journals", {"crank.main_diameter": 1, "block.main_diameter": -1}, (
        _band(-0.02, 0.02), _band(0.10, 6.0, "grind-mains"), _band(-2.5, -0.10, "sleeve-mains"),
    ), says="the crank's main journals differ from the block's by {by}", needed=True),
    FitRule("thrust", "thrust bearing", {"crank.thrust_width": 1, "block.thrust_width": -1}, (
        _band(-0.05, 0.10), _band(0.10, 1.5, "thrust-washers"),
    ), says="the width at the thrust bearing differs by {by}", needed=True),
    FitRule("snout", "front drive on the snout", {"crank.snout_diameter": 1, "block.snout_diameter": -1}, (
        _band(-0.02, 0.02), _band(0.02, 5.0, "turn-snout"),
    ), says="the snout differs from the front drive by {by}"),
    FitRule("seal", "rear seal", {"crank.seal_diameter": 1, "block.seal_diameter": -1}, (
        _band(-0.1, 0.1), _band(0.1, 3.0, "turn-seal"), _band(-2.0, -0.1, "sleeve-seal"),
    ), says="the seal land differs from the block's seal by {by}"),
    FitRule("swing", "counterweights in the crankcase", {"block.swing_room": 1, "crank.counterweight_radius": -1}, (
        _band(1.5, _INF), _band(-2.0, 1.5, "turn-counterweights"),
    ), says="the counterweights have {room} of room in the crankcase, 1.5 mm is wanted"),
    FitRule("flange", "flywheel flange", same=("crank.flange", "block.flange"), otherwise="redrill-flange"),
    FitRule("balance", "balance", same=("crank.balance", "block.balance"), otherwise="rebalance"),
    FitRule("trigger", "trigger wheel", same=("crank.trigger", "block.trigger"), otherwise="fit-trigger"),
    FitRule("journal", "big end on its journal", {"crank.pin_diameter": 1, "rod.journal_diameter": -1}, (
        _band(-0.02, 0.02), _band(0.20, 8.0, OFFSET_GRIND),
    ), says="the rod journal differs from the rod's bearings by {by}", needed=True),
    FitRule("side", "big end width on its journal", {"crank.pin_width": 1, "rod.big_end_width": -1}, (
        _band(0.08, 0.70), _band(-1.8, 0.08, "narrow-rod"),
    ), says="side clearance of the big end would be {by}", needed=True),
    FitRule("big-end-room", "big end in the crankcase", {
        "block.big_end_room": 1, "crank.stroke": -0.5, "rod.big_end_radius": -1,
    }, (_band(1.5, _INF),), says="the big end has {room} of room to the block or the cam, 1.5 mm is wanted"),
    FitRule("small-end", "pin in the small end", {"rod.pin_bore": 1, "piston.pin_diameter": -1}, (
        _band(-0.03, 0.03), _band(-1.2, -0.03, "hone-small-end"), _band(0.03, 2.5, "bush-small-end"),
    ), says="the small end differs from the pin by {by}", needed=True),
    FitRule("boss", "pin in the piston", {"piston.pin_bore": 1, "piston.pin_diameter": -1}, (
        _band(-0.01, 0.03), _band(-0.4, -0.01, "hone-bosses"),
    ), says="the bosses differ from the pin by {by}"),
    FitRule("bore-size", "piston in its bore", {"piston.bore": 1, "block.bore": -1}, (
        _band(-0.05, 0.05), _band(0.20, _INF, BORE),
    ), says="the piston is made for a bore that is off by {by}", needed=True),
    FitRule("bore-limit", "walls after boring", {"block.largest_bore": 1, "piston.bore": -1}, (
        _band(0.0, _INF),
    ), says="the walls leave {room} up to this piston's bore", needed=True),
    FitRule("skirt", "skirt and counterweight at BDC", {
        "rod.length": 1, "crank.stroke": -0.5, "piston.skirt_length": -1, "crank.counterweight_radius": -1,
    }, (_band(1.5, _INF), _band(-3.0, 1.5, "shorten-skirt")), says="the skirt has {room} of room to the counterweights at BDC, 1.5 mm is wanted"),
    FitRule("gasket-bore", "gasket opening over the bore", {"gasket.bore": 1, "piston.bore": -1}, (
        _band(0.5, 6.0),
    ), says="the gasket opening is only {by} over the bore", needed=True),
    FitRule("gasket-pattern", "gasket on the block", same=("gasket.head_pattern", "block.head_pattern"), needed=True,
            says="the gasket is punched for another head bolt pattern"),
    FitRule("head-pattern", "head on the block", same=("head.head_pattern", "block.head_pattern"), needed=True,
            says="the head has another bolt pattern"),
    FitRule("dome", "dome in the chamber", {"head.dome_room": 1, "piston.dome_height": -1}, (
        _band(1.0, _INF),
    ), says="the dome has {room} of room in the chamber, 1 mm is wanted"),
)  # fmt: skip

USUAL = FitRules(tuple(_RULES), {m.key: m for m in _MACHININGS})
