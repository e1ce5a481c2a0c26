"""The form of the house rules: each rule's figure as it is shown, and read back."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import NamedTuple

from zygometra.core.digits import figure, typed_decimals
from zygometra.core.house_rules import RULES, Rule, check_rule
from zygometra.core.sentence import Sentence
from zygometra.core.typed import plain_number
from zygometra.core.units import Kind, read_typed, to_base
from zygometra.core.wording import Reader

from ..forms.form import Form
from ..forms.read import Read, attempt, with_unit

# A figure that differs by less was not changed: it was only written with fewer digits.
_SAME = 1e-9


class RuleLine(NamedTuple):
    """One rule as its page shows it."""

    key: str
    label: str
    why: str
    text: str
    usual: str
    fault: str


def read_rules(form: Form) -> dict[str, float | None]:
    """Return what was typed for each rule: in its base unit, None where it goes back to the usual figure."""
    return {rule.key: form.take(rule.key, _read(rule, form)) for rule in RULES}


def _read(rule: Rule, form: Form) -> Read[float]:
    return attempt(form[rule.key], lambda text: _value(rule, text, form.reader))


def _value(rule: Rule, text: str, reader: Reader) -> float:
    if rule.kind is None:
        return check_rule(rule.key, plain_number(text, "a number such as 0.15"))
    written = read_typed(with_unit(text, rule.kind, reader), rule.kind)
    assert written.unit is not None
    return check_rule(rule.key, to_base(written.number, written.unit))


def changes(typed: Mapping[str, float | None], present: Mapping[str, float]) -> dict[str, float | None]:
    """Return the rules that a form changes.

    Parameters
    ----------
    typed : Mapping
        From :func:`read_rules`.
    present : Mapping
        The shop's own figures in force.

    Returns
    -------
    dict
        Rule by rule the new figure, None for the usual one.
    """
    out: dict[str, float | None] = {}
    for rule in RULES:
        value = typed[rule.key]
        if value is None:
            if rule.key in present:
                out[rule.key] = None
        elif abs(value - present.get(rule.key, rule.value)) >= _SAME:
            out[rule.key] = value
    return out


def lines(form: Form | None, present: Mapping[str, float], reader: Reader) -> list[RuleLine]:
    """Return the rules as their page shows them, what was typed kept."""
    out = []
    for rule in RULES:
        shown = _text(rule, present.get(rule.key, rule.value), reader)
        usual = _text(rule, rule.value, reader)
        typed, fault = (form[rule.key], form.faults.get(rule.key, "")) if form else ("", "")
        own = " (changed here)" if rule.key in present else ""
        out.append(
            RuleLine(
                key=rule.key,
                label=Sentence(rule.label).written(reader),
                why=rule.why,
                text=typed or shown,
                usual=usual + own,
                fault=fault,
            )
        )
    return out


def differing(
    shown: Sequence[RuleLine], present: Mapping[str, float], reader: Reader
) -> list[tuple[str, str, str]]:
    """Return the rules whose figure as typed is another than stands now: label, theirs, yours."""
    theirs = {rule.key: _text(rule, present.get(rule.key, rule.value), reader) for rule in RULES}
    return [(line.label, theirs[line.key], line.text) for line in shown if line.text != theirs[line.key]]


def _text(rule: Rule, value: float, reader: Reader) -> str:
    if rule.kind is Kind.LENGTH:
        return reader.length(value)
    return f"{figure(value, typed_decimals(value, 2))}{' cc' if rule.kind is Kind.VOLUME else ''}"
