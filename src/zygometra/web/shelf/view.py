"""The parts shelf as its pages show it: the list, one part with its form, its record, the rules of fit."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from functools import partial
from typing import Any, NamedTuple

from zygometra.core.digits import MINUS, money
from zygometra.core.fields import Field
from zygometra.core.mix.parts import KIND, KINDS, STATES, Part, PartKind
from zygometra.core.mix.rules import Band, FitRule, FitRules
from zygometra.core.mix.rules_data import rules_as_data
from zygometra.core.mix.usual import USUAL
from zygometra.core.place import PartPlace
from zygometra.core.units import Kind
from zygometra.core.usual_figures import BASES
from zygometra.core.wording import Reader
from zygometra.store import shelf as store

from .. import urls
from ..forms.form import FormSlot
from ..forms.form import slot as slot_of
from ..forms.named import shelf_name
from .form import BASIS, FIGURE, TOLERANCE, WORD, form_of, slot

PAGE = 60
OFF = "off the shelf"
# The few figures and words of a part that decide most.
_MOST_FIGURES, _MOST_WORDS = 6, 2
# An edge that holds anything.
_ANYTHING = 1e9


class ShelfLine(NamedTuple):
    """One part of the list."""

    code: str
    name: str
    figures: tuple[tuple[str, str, bool], ...]
    state: str
    on_shelf: int
    price: str
    supplier: str
    lead: str


class Told(NamedTuple):
    """One change of a part as it is told."""

    id: int
    actor: str
    says: str
    at: Any
    can_go_back: bool
    leaves: tuple[tuple[str, str, str], ...]


class Dimension(NamedTuple):
    """One dimension of a part: its figure, its basis and its tolerance."""

    label: str
    help: str
    figure: FormSlot
    basis: FormSlot
    tolerance: FormSlot


class Rule(NamedTuple):
    """One rule of fit, written out."""

    interface: str
    needed: bool
    measure: str
    fits: str
    after: tuple[str, ...]


class ShelfQuery(NamedTuple):
    """Which part of the list is asked for."""

    kind: str
    search: str
    state: str
    at: int


# -- the list -------------------------------------------------------------------------------


def list_view(
    asked: ShelfQuery,
    parts: Sequence[Part],
    gone: Sequence[store.TakenOff],
    counts: Mapping[str, int],
    count: int,
) -> dict[str, Any]:
    """Return what the list of parts shows.

    Parameters
    ----------
    asked : ShelfQuery
        Kind, words, state, and from which part on.
    parts : sequence of Part
        Those on this page of the list.
    gone : sequence of TakenOff
        Those that are off the shelf, where they are asked for.
    counts : Mapping
        How many parts of each kind there are.
    count : int
        How many the list has in all.

    Returns
    -------
    dict
        For the template.
    """
    kind, at = KIND[asked.kind], asked.at
    here = {"kind": asked.kind, "q": asked.search, "state": asked.state}
    last = at + len(parts)
    earlier = urls.with_query("/shelf", here | {"from": max(at - PAGE, 0)}) if at else ""
    more = urls.with_query("/shelf", here | {"from": at + PAGE}) if last < count else ""
    return {
        "kind": kind,
        "title": kind.label.capitalize(),
        "kinds": [(k.key, k.plural, counts.get(k.key, 0)) for k in KINDS],
        "entries": sum(counts.values()),
        "search": asked.search,
        "state": asked.state,
        "states": [("", "every state"), *((s, s) for s in (*STATES, OFF))],
        "rows": [_line(part) for part in parts],
        "gone": gone,
        "count": count,
        "span": f"{at + 1} to {last} of {count}",
        "earlier": earlier,
        "more": more,
        "nothing": _nothing(kind, asked),
    }


def _line(part: Part) -> ShelfLine:
    return ShelfLine(
        code=part.code,
        name=part.name,
        figures=tuple(_figures(part)),
        state=part.state,
        on_shelf=part.on_shelf,
        price="not known" if part.price is None else money(part.price),
        supplier=part.supplier,
        lead="" if part.lead_days is None else f"{part.lead_days} days",
    )


def _figures(part: Part) -> list[tuple[str, str, bool]]:
    """The few figures of a part that decide most, written out; those that are missing are marked."""
    kind = KIND[part.kind]
    out = []
    for dimension in kind.dimensions[:_MOST_FIGURES]:
        quantity = part.quantity(dimension.name)
        if quantity is not None:
            out.append((dimension.label, Reader().quantity(quantity).removesuffix(" off"), False))
        elif dimension.required:
            out.append((dimension.label, "missing", True))
    words = [(t.label, part.texts[t.name], False) for t in kind.texts if part.texts.get(t.name)]
    return out + words[:_MOST_WORDS]


def _nothing(kind: PartKind, asked: ShelfQuery) -> str:
    if asked.state == OFF:
        return f"No {kind.label}{' of that name' if asked.search else ''} was taken off the shelf."
    if sought := asked.search or asked.state:
        return f"No {kind.label} has “{sought}” in its code, name, supplier or state."
    return f"No {kind.plural} yet. Put one on the shelf, or take in a table."


# -- one part -------------------------------------------------------------------------------


def part_view(
    kind: str, typed: Mapping[str, str], faults: Mapping[str, str], before: Part | None
) -> dict[str, Any]:
    """Return what the form of one part shows.

    Parameters
    ----------
    kind : str
        The kind's key.
    typed, faults : Mapping
        Texts and sentences by field.
    before : Part or None
        The part as it is kept; None for a new one.

    Returns
    -------
    dict
        For the template.
    """

    plain = partial(slot_of, typed, faults)
    of = KIND[kind]
    slots = [] if before else [plain("code", "Code", "the shop's own number, one of a kind")]
    slots += [
        plain("name", "Name"),
        plain("supplier", "Supplier"),
        plain("price", "Price of one"),
        plain("on_shelf", "On the shelf"),
        plain("lead_days", "Lead time, days"),
    ]
    reason = plain("reason", "Why it is ordered without a recipe")
    return {
        "kind": of,
        "code": before.code if before else "",
        "title": before.code if before else f"New {of.label}",
        "about": f"{of.label} · {before.name}" if before else "",
        "slots": slots,
        "state": plain("state", "State")._replace(value=typed.get("state", "idea")),
        "states": [(s, s) for s in STATES],
        "reason": reason if reason.value or reason.fault else None,
        "words": [plain(slot(WORD, t.name), t.label.capitalize(), t.help) for t in of.texts],
        "dimensions": [_dimension(kind, d, typed, faults) for d in of.dimensions],
        "bases": [("", "not stated"), *((name, name) for name in BASES)],
        "faults": faults,
    }


def _dimension(kind: str, field: Field, typed: Mapping[str, str], faults: Mapping[str, str]) -> Dimension:
    def of(what: str, label: str) -> FormSlot:
        asks = what == FIGURE and field.kind is not Kind.COUNT
        return slot_of(
            typed, faults, slot(what, field.name), label, of=shelf_name(kind, field) if asks else ""
        )

    label = field.label if field.required else f"{field.label} (where known)"
    return Dimension(
        label=label,
        help=field.help,
        figure=of(FIGURE, label),
        basis=of(BASIS, f"basis of {field.label}"),
        tolerance=of(TOLERANCE, f"plus or minus of {field.label}"),
    )


def theirs_view(theirs: store.StoredPart, typed: Mapping[str, str]) -> dict[str, Any]:
    """Return what a later saver of a part is shown: who saved in between, and what differs."""
    differs = [
        (key.partition("-")[2] or key, value, typed.get(key, ""))
        for key, value in form_of(theirs.part).items()
        if typed.get(key, "") != value
    ]
    return {"theirs": theirs, "differs": differs}


def told(history: Sequence[store.PartChange]) -> list[Told]:
    """Return a part's changes as they are told."""
    return [
        Told(
            id=c.id,
            actor=c.actor,
            says=c.says,
            at=c.at,
            can_go_back=c.before is not None,
            leaves=tuple(_change_leaves(c)),
        )
        for c in history
    ]


def _change_leaves(change: store.PartChange) -> list[tuple[str, str, str]]:
    """What a change changed, leaf by leaf."""
    if change.before is None or change.after is None:
        return []
    return leaves_between(change.before, change.after)


def leaves_between(before: Mapping[str, Any], after: Mapping[str, Any]) -> list[tuple[str, str, str]]:
    """Return what differs between two states of a part, as the record keeps them: what, was, is."""
    out = []
    for key in after:
        was, now = before.get(key), after[key]
        if key in ("figures", "texts"):
            was = was or {}
            names = [name for name in sorted({*was, *now}) if was.get(name) != now.get(name)]
            out += [(_words(name), _leaf(was.get(name)), _leaf(now.get(name))) for name in names]
        elif was != now and key == "price":
            out.append((key, _price(was), _price(now)))
        elif was != now:
            out.append((_words(key), _leaf(was), _leaf(now)))
    return out


def _words(name: str) -> str:
    return name.replace("_", " ")


def _price(cents: int | None) -> str:
    return "not known" if cents is None else money(cents)


def _leaf(value: Any) -> str:
    if value is None:
        return "nothing"
    return json.dumps(value, ensure_ascii=False) if isinstance(value, (dict, list)) else str(value)


# -- rules of fit ---------------------------------------------------------------------------


def rules_view(in_force: FitRules, text: str, fault: str, reader: Reader) -> dict[str, Any]:
    """Return what the page of the rules of fit shows.

    Parameters
    ----------
    in_force : FitRules
        The rules.
    text, fault : str
        What was typed, and what is wrong with it; empty where nothing was.
    reader : Reader
        Units of the bands.

    Returns
    -------
    dict
        For the template.
    """
    operations = [(m.label, m.part, f"{m.cost / 100:.2f}", m.changes) for m in in_force.machinings.values()]
    return {
        "rules": [_rule(rule, in_force, reader) for rule in in_force.rules],
        "operations": operations,
        "own": in_force != USUAL,
        "text": text or json.dumps(rules_as_data(in_force), indent=1, ensure_ascii=False),
        "fault": fault,
    }


def _rule(rule: FitRule, in_force: FitRules, reader: Reader) -> Rule:
    after = [
        f"{_band(band, reader)}: {in_force.machinings[band.machining].label}"
        for band in rule.bands
        if band.machining
    ]
    if rule.otherwise:
        after.append(in_force.machinings[rule.otherwise].label)
    fits = " ".join(_band(band, reader) for band in rule.bands if not band.machining)
    return Rule(
        rule.interface, rule.needed, _measure(rule), "same" if rule.same else fits, after=tuple(after)
    )


def _measure(rule: FitRule) -> str:
    """What a rule measures or compares, and on which words it hangs."""
    when = "; ".join(
        f"{PartPlace.parse(place).words} {' or '.join(word or 'not stated' for word in words)}"
        for place, words in rule.when.items()
    )
    return _between(rule) + (f" (only {when})" if when else "")


def _between(rule: FitRule) -> str:
    if rule.same:
        return " the same as ".join(PartPlace.parse(place).words for place in rule.same)
    words: list[str] = []
    for place, factor in rule.measure.items():
        sign = f"{MINUS} " if factor < 0 else "+ " if words else ""
        words.append(f"{sign}{'½ ' if abs(factor) == 0.5 else ''}{PartPlace.parse(place).words}")
    return " ".join(words)


def _band(band: Band, reader: Reader) -> str:
    if band.low < -_ANYTHING and band.high > _ANYTHING:
        return "anything"
    if band.high > _ANYTHING:
        return f"{reader.limit(band.low)} and more"
    if band.low < -_ANYTHING:
        return f"up to {reader.limit(band.high)}"
    return reader.span(band.low, band.high)
