"""The form that asks for chambers to match, and its answer."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any, NamedTuple

from zygometra.core.build.lever_table import SWAP
from zygometra.core.build.levers import limit_of
from zygometra.core.errors import NoAnswer, QuantityError
from zygometra.core.measuring.chambers import Asked as Wanting
from zygometra.core.measuring.chambers import Matched
from zygometra.core.measuring.matching import (
    Heads,
    heads_of,
    matched,
    state_to_match,
    to_one_another,
    to_ratios,
    to_volumes,
    without_matching,
)
from zygometra.core.quantity import read_quantity
from zygometra.core.typed import plain_number
from zygometra.core.units import Kind
from zygometra.core.wording import Reader
from zygometra.core.written import Volume

from ..build.bench import Bench
from ..people import told_error

MODES = (
    ("volume", "to one volume"),
    ("window", "into a window"),
    ("alike", "to one another"),
    ("totals", "total clearance volumes to one another"),
    ("ratio", "every hole to the ratio's window"),
)
FIELDS = ("mode", "volume", "within", "low", "high", "swap")


class MatchingRow(NamedTuple):
    """One hole: its chamber before, after milling and after all, what is opened, and what it then lies at."""

    number: int
    before: str
    opened: str
    after: str
    sets: bool


class Answer(NamedTuple):
    """A match in words; ``plan`` as a plan has it, empty where nothing is to be done."""

    cuts: tuple[tuple[str, str, str], ...]
    rows: tuple[MatchingRow, ...]
    opened: str
    swapped: bool
    over: tuple[str, ...]
    plan: tuple[dict[str, Any], ...]


class MatchingQuery(NamedTuple):
    """What was asked, as typed; why it was not understood or cannot be; and the answer."""

    typed: Mapping[str, str]
    fault: str
    answer: Answer | None


def ask(bench: Bench, args: Mapping[str, str]) -> MatchingQuery:
    """Answer what the form asks; nothing where it was not sent."""
    typed = {name: args.get(name, "").strip() for name in FIELDS}
    if not typed["mode"]:
        typed |= {"mode": "alike", "within": "0.5 cc", "swap": "yes" if len(bench.build.banks) == 2 else ""}
        return MatchingQuery(typed, "", None)
    try:
        found = heads_of(bench.build, state_to_match(bench.build))
        wanted = _wanted(bench, found, typed)
        done = matched(bench.build, found.heads, wanted, may_swap=bool(typed["swap"]))
    except (QuantityError, NoAnswer) as error:
        return MatchingQuery(typed, told_error(error), None)
    return MatchingQuery(typed, "", _answer(bench, found, done))


def _wanted(bench: Bench, found: Heads, typed: Mapping[str, str]) -> Wanting:
    make = _MODES.get(typed["mode"])
    if make is None:
        raise QuantityError(f"the way {typed['mode'][:40]!r}", "one of the five that are offered")
    return make(bench, found, typed)


def _cc(typed: str, example: str) -> float:
    if not typed:
        raise QuantityError("nothing", f"a volume, such as {example}")
    text = typed if any(c.isalpha() for c in typed) else f"{typed} cc"
    return read_quantity(text, Kind.VOLUME, dimension="exact", low=0, high=9999).value


def _within(typed: Mapping[str, str]) -> float:
    return _cc(typed["within"], "0.5 cc")


def _to_volume(_bench: Bench, found: Heads, typed: Mapping[str, str]) -> Wanting:
    volume, within = _cc(typed["volume"], "52.0 cc"), _within(typed) if typed["within"] else 0.0
    return to_volumes(found, volume - within / 2, volume + within / 2)


def _into_window(_bench: Bench, found: Heads, typed: Mapping[str, str]) -> Wanting:
    low, high = _cc(typed["low"], "51.5 cc"), _cc(typed["high"], "52.5 cc")
    if low > high:
        raise QuantityError(f"a window from {low:g} to {high:g} cc", "the smaller volume first")
    return to_volumes(found, low, high)


def _alike(_bench: Bench, found: Heads, typed: Mapping[str, str]) -> Wanting:
    return to_one_another(found, _within(typed), totals=False)


def _totals(_bench: Bench, found: Heads, typed: Mapping[str, str]) -> Wanting:
    return to_one_another(found, _within(typed), totals=True)


def _to_ratio(bench: Bench, found: Heads, typed: Mapping[str, str]) -> Wanting:
    window = bench.build.targets.compression_ratio
    edges = []
    for name, own in (("low", window.low), ("high", window.high)):
        if typed[name]:
            edges.append(plain_number(typed[name], "a ratio such as 9.8", low=1.01, high=60))
        elif own is not None:
            edges.append(own)
        else:
            raise QuantityError("no window for the ratio", "its least and its most, here or in Aim")
    if edges[0] > edges[1]:
        raise QuantityError(f"a window from {edges[0]:g} to {edges[1]:g}", "the smaller ratio first")
    return to_ratios(found, edges[0], edges[1])


_MODES: dict[str, Callable[[Bench, Heads, Mapping[str, str]], Wanting]] = {
    "volume": _to_volume,
    "window": _into_window,
    "alike": _alike,
    "totals": _totals,
    "ratio": _to_ratio,
}


def _answer(bench: Bench, found: Heads, done: Matched) -> Answer:
    reader = bench.reader
    before = {n: v for head in found.heads for n, v in zip(head.holes, head.volumes, strict=True)}
    rows = tuple(
        MatchingRow(
            number=number,
            before=Volume(before[number]).written(reader),
            opened=Volume(done.opened[number]).written(reader) if number in done.opened else "",
            after=Volume(done.after[number]).written(reader),
            sets=number in done.set_by.values() and done.cuts[bench.build.bank_of(number).name] > 0,
        )
        for number in bench.build.cylinders
    )
    cuts = tuple(
        (
            f"head on bank {bank}" if bench.several_banks else "head",
            reader.length(cut) if cut else "nothing",
            f"set by hole {done.set_by[bank]}" if cut else "",
        )
        for bank, cut in done.cuts.items()
    )
    return Answer(
        cuts=cuts,
        rows=rows,
        opened=Volume(done.opened_in_all).written(reader),
        swapped=done.swapped,
        over=_over(bench, done, reader),
        plan=_plan(bench, done),
    )


def _over(bench: Bench, done: Matched, reader: Reader) -> tuple[str, ...]:
    """What goes beyond a limit: told, never cut back."""
    out = []
    limit, _ = limit_of(bench.build, "head_cut", bench.rules)
    left = limit - bench.build.facing.head_cut_so_far
    for bank, cut in done.cuts.items():
        if cut > left:
            room = reader.length(max(left, 0.0))
            out.append(f"The head of bank {bank} may lose {room} more; this takes {reader.length(cut)}.")
    most, _ = limit_of(bench.build, "open_chamber", bench.rules)
    for number, cc in done.opened.items():
        if cc > most:
            words = Volume(most).written(reader), Volume(cc).written(reader)
            out.append(f"The chamber of hole {number} may be opened by {words[0]}; this opens {words[1]}.")
    return tuple(out)


def _plan(bench: Bench, done: Matched) -> tuple[dict[str, Any], ...]:
    """The match as operations: cuts to a thousandth of a mm, openings to a hundredth of a cc."""
    ops: list[dict[str, Any]] = [{"op": SWAP}] if done.swapped else []
    for bank, cut in done.cuts.items():
        if round(cut, 3) > 0:
            own = {"bank": bank} if bench.several_banks else {}
            ops.append({"op": "head_cut", **own, "amount": f"{round(cut, 3):g} mm"})
    for number, cc in sorted(done.opened.items()):
        if round(cc, 2) > 0:
            ops.append({"op": "open_chamber", "cylinder": number, "amount": f"{round(cc, 2):g} cc"})
    return tuple(ops)


def planned_with(bench: Bench, answer: Answer) -> list[dict[str, Any]]:
    """Return the plan with a match in place of the head cuts and openings that stand there."""
    kept = {id(op) for op in without_matching(bench.build)}
    documents = bench.document.get("planned") or []
    rest = [raw for raw, op in zip(documents, bench.build.planned, strict=True) if id(op) in kept]
    return [*rest, *answer.plan]
