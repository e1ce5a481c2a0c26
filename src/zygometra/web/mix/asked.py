"""What the mix bench's form asks: read from an address, kept as typed, with a sentence a field at fault."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass, field
from typing import cast

from zygometra.core.errors import QuantityError
from zygometra.core.house_rules import rules_for
from zygometra.core.mix.parts import MAKING
from zygometra.core.mix.question import PRIORITIES, WANTED, MixQuestion, Priority, limits_of
from zygometra.core.spoken import bare_unit
from zygometra.core.typed import plain_number
from zygometra.core.units import THOU, Kind, from_base
from zygometra.core.windows import Window
from zygometra.core.wording import Reader
from zygometra.exchange.mix_file import edge_of

from ..forms.read import number
from ..people import told_error

LENGTHS = ("deck_clearance", "quench")
EDGES = ("min", "aim", "max")
MOST_PINS = 5
# The question of a builder who comes without one, lengths in mm.
_USUAL_LENGTHS = {
    "quench-min": 0.95,
    "quench-aim": 1.1,
    "quench-max": 1.3,
    "deck_clearance-min": -0.1,
    "deck_clearance-max": 0.5,
}
_USUAL_RATIO = {
    "compression_ratio-min": "9.2",
    "compression_ratio-aim": "9.8",
    "compression_ratio-max": "10.4",
}


def _usual(reader: Reader) -> dict[str, str]:
    inch = reader.system == "inch"
    lengths = {key: f"{from_base(mm, THOU):.0f}" if inch else f"{mm:g}" for key, mm in _USUAL_LENGTHS.items()}
    return lengths | _USUAL_RATIO


@dataclass(slots=True)
class MixQuery:
    """A question as the form holds it."""

    typed: dict[str, str]
    faults: dict[str, str] = field(default_factory=dict)
    question: MixQuestion = field(default_factory=lambda: MixQuestion(""))
    pins: tuple[str, ...] = ()
    chosen: str = ""
    across: str = "displacement"
    up: str = "deck_clearance"


def read_asked(
    args: Mapping[str, str],
    reader: Reader,
    block: str,
    shop: Mapping[str, float],
    left_open: Collection[str] = (),
) -> MixQuery:
    """Read the form.

    Parameters
    ----------
    args : Mapping
        The address or the form.
    reader : Reader
        Whose bare numbers these are.
    block : str
        The block where none is named.
    shop : Mapping
        The shop's house rules, for the quench floors.
    left_open : collection of str
        Results that cannot be known from what the shelf holds: nothing is asked of them unasked.

    Returns
    -------
    MixQuery
        A field that cannot be read asks nothing, and says why.
    """
    typed = {key: value for key, value in args.items() if key in _FIELDS}
    if "block" not in args:
        usual = {k: text for k, text in _usual(reader).items() if k.rpartition("-")[0] not in left_open}
        typed = {**usual, **typed}
    out = MixQuery(typed)
    windows = _windows(out, reader)
    rpm = _plain(
        out, "rpm", default=5500.0, low=1, high=30000, wanted="a crank speed of 1 to 30000, such as 5500"
    )
    rules = rules_for("", shop)
    priority = typed.get("priority", "cheapest")
    use = {kind: typed[f"use-{kind}"].strip() for kind in MAKING if typed.get(f"use-{kind}", "").strip()}
    out.question = MixQuestion(
        block=typed.get("block") or block,
        windows=windows,
        rpm=rpm,
        priority=cast(Priority, priority if priority in PRIORITIES else "cheapest"),
        best=50,
        only_in_hand=bool(typed.get("hand")),
        machining=frozenset() if typed.get("machining") == "none" else None,
        use=use,
        **limits_of(rules, rpm),
    )
    typed["block"] = out.question.block
    out.pins = tuple(key for key in typed.get("pins", "").split("|") if key.count("~") == 4)[:MOST_PINS]
    out.chosen = typed.get("at", "")
    keys = {wanted.key for wanted in WANTED}
    out.across = typed["across"] if typed.get("across") in keys else "displacement"
    out.up = typed["up"] if typed.get("up") in keys else "deck_clearance"
    return out


_FIELDS = {
    "block",
    "rpm",
    "priority",
    "hand",
    "machining",
    "pins",
    "at",
    "across",
    "up",
    *(f"{w.key}-{edge}" for w in WANTED for edge in EDGES),
    *(f"use-{kind}" for kind in MAKING),
}


def _windows(out: MixQuery, reader: Reader) -> dict[str, Window]:
    windows = {}
    for wanted in WANTED:
        edges = {edge: _edge(out, f"{wanted.key}-{edge}", wanted.key, reader) for edge in EDGES}
        given = [v for v in edges.values() if v is not None]
        if given != sorted(given):
            out.faults[f"{wanted.key}-min"] = (
                "Found edges out of order; wanted least, aim and most from small to large."
            )
        elif given:
            windows[wanted.key] = Window(edges["min"], edges["aim"], edges["max"])
    return windows


def _edge(out: MixQuery, name: str, key: str, reader: Reader) -> float | None:
    text = out.typed.get(name, "").strip()
    if not text:
        return None
    try:
        return edge_of(key, with_unit(text, key, reader))
    except QuantityError as error:
        out.faults[name] = told_error(error)
        return None


def with_unit(text: str, key: str, reader: Reader) -> str:
    """Return a typed edge with the reader's unit where it bears none: thou for small lengths in inches."""
    typed = text.replace("−", "-")
    try:
        plain_number(typed, "")
    except QuantityError:
        return typed
    kind = Kind.LENGTH if key in LENGTHS else Kind.VOLUME if key == "displacement" else None
    return typed if kind is None else f"{typed} {bare_unit(kind, reader, typed=typed).symbol}"


def per_shown(key: str, reader: Reader) -> float:
    """Return what one unit of a result as the reader sees it is in base units."""
    return 1.0 / from_base(1.0, THOU) if key in LENGTHS and reader.system == "inch" else 1.0


def _plain(out: MixQuery, name: str, default: float, low: float, high: float, wanted: str) -> float:
    read = number(out.typed.get(name, ""), wanted, low=low, high=high)
    if read.fault:
        out.faults[name] = read.fault
    return default if read.value is None else read.value
