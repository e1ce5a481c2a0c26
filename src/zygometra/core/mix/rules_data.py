"""Rules of fit read from data, such as a shop's own file, and written as data."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Any

from ..errors import QuantityError, shown
from ..place import PartPlace
from .parts import KIND, MAKING
from .rules import Band, FitRule, FitRules, Machining


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
    lists = [data.get(name) for name in ("machinings", "rules")]
    if (
        not all(isinstance(of, list) and all(isinstance(x, Mapping) for x in of) for of in lists)
        or not lists[1]
    ):
        raise QuantityError(
            "no rules of fit", "machinings and rules, each a list, and at least one rule, as they stood"
        )
    machinings = {}
    for raw in data.get("machinings") or ():
        item = Machining(
            str(raw.get("key")),
            str(raw.get("label") or raw.get("key")),
            str(raw.get("part")),
            _cents(raw),
            changes=str(raw.get("changes") or ""),
            effect=raw.get("effect") or "",
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
        key=key,
        interface=str(raw.get("interface") or key),
        measure=dict(raw.get("measure") or {}),
        bands=bands,
        same=tuple(raw.get("same") or ()),
        otherwise=raw.get("otherwise") or "",
        says=str(raw.get("says") or ""),
        needed=bool(raw.get("needed")),
        when=_when(raw.get("when"), key),
    )
    if not key:
        raise QuantityError("a rule without a key", "a key for each rule")
    _check_measure(rule)
    _check_operations(rule, machinings)
    return rule


def _when(raw: Any, key: str) -> dict[str, tuple[str, ...]]:
    """Read on which words a rule hangs."""
    if raw is None:
        return {}
    wanted = 'places and their words, such as {"rod.material": ["aluminium"]}'
    if not isinstance(raw, Mapping):
        raise QuantityError(f"{shown(raw)} as when of the rule {shown(key)}", wanted)
    found = {}
    for place, words in raw.items():
        known = isinstance(words, list) and words and all(isinstance(word, str) for word in words)
        kind, name = PartPlace.parse(str(place))
        if not known or kind not in (*MAKING, "block") or KIND[kind].text(name) is None:
            raise QuantityError(f"{shown(str(place))} as when of the rule {shown(key)}", wanted)
        found[str(place)] = tuple(words)
    return found


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
        kinds = {PartPlace.parse(place).kind for place in rule.places}
        hangs_on = {PartPlace.parse(place).kind for place in rule.when}
        if effect and (set(rule.places) != _EFFECT_BETWEEN.get(effect) or not hangs_on <= kinds):
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
        if item.when:
            out["when"] = {place: list(words) for place, words in item.when.items()}
        return out

    return {
        "machinings": [
            {"key": m.key, "label": m.label, "part": m.part, "cost": m.cost / 100, "changes": m.changes}
            | ({"effect": m.effect} if m.effect else {})
            for m in rules.machinings.values()
        ],
        "rules": [rule(item) for item in rules.rules],
    }
