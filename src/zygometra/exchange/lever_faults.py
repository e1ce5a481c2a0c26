"""What the shape of a file cannot tell of its levers: limits that exclude each other, names that are not there."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from zygometra.core.build.lever_table import AMOUNTS, LEVER, SWAP
from zygometra.core.errors import Fault, shown
from zygometra.core.quantity import read_quantity

from .plain_json import without_notes
from .shape_faults import part_faults


def lever_faults(document: Mapping[str, Any], banks: list[str]) -> Iterator[Fault]:
    """Yield what is wrong with the levers and spreads of a document whose shape is right.

    Parameters
    ----------
    document : Mapping
        A build document.
    banks : list of str
        The names of its banks.

    Yields
    ------
    Fault
        Each with its place.
    """
    levers, targets = document.get("levers") or {}, document.get("targets") or {}
    yield from _spread_faults(targets)
    set_ups = [name for name in levers.get("set_ups") or {} if not name.startswith("x-")]
    for lever in AMOUNTS:
        if own := levers.get(lever.key):
            yield from _limit_faults(lever.key, own, banks)
    for key in (*(lever.key for lever in AMOUNTS), SWAP):
        yield from _needs_faults(f"levers.{key}.needs", (levers.get(key) or {}).get("needs"), set_ups)
    yield from _needs_faults("levers.gasket_needs", levers.get("gasket_needs"), set_ups)
    counts = [len(bank["cylinders"]) for bank in document["engine"]["banks"]]
    if levers.get(SWAP) is not None and (len(counts) != 2 or counts[0] != counts[1]):
        banks_found = f"heads that change sides on {len(counts)} bank{'' if len(counts) == 1 else 's'}"
        yield Fault(f"levers.{SWAP}", banks_found, "two banks with as many holes each")
    yield from _part_faults(levers, set_ups)


def _spread_faults(targets: Mapping[str, Any]) -> Iterator[Fault]:
    old, new = targets.get("ratio_spread"), (targets.get("spread") or {}).get("compression_ratio")
    if old is not None and new is not None and float(old) != float(new):
        yield Fault("targets.ratio_spread", shown(old), f"what spread.compression_ratio says, {shown(new)}")
    gap = (targets.get("spread") or {}).get("quench")
    if gap is not None and read_quantity(gap, LEVER["deck_cut"].kind, dimension="target").value < 0:
        yield Fault("targets.spread.quench", shown(gap), "nought or more")


def _limit_faults(key: str, own: Mapping[str, Any], banks: list[str]) -> Iterator[Fault]:
    """Limits of a lever against one another, the engine's and each bank's own."""
    path, kind = f"levers.{key}", LEVER[key].kind

    def value(raw: Any) -> float | None:
        return None if raw is None else read_quantity(raw, kind, dimension="limit").value

    def between(place: str, least: Any, most: Any) -> Iterator[Fault]:
        low, high = value(least), value(most)
        if low is not None and high is not None and low > high:
            yield Fault(f"{place}.min", shown(least), f"at most max, {shown(most)}")

    yield from between(path, own.get("min"), own.get("max"))
    if own.get("level") and key != "deck_cut":
        yield Fault(f"{path}.level", "true", "it with a deck cut only")
    for name, bank in (own.get("banks") or {}).items():
        if name.startswith("x-"):
            continue
        if name not in banks:
            yield Fault(f"{path}.banks.{name}", f"the bank {shown(name)}", "one of " + ", ".join(banks))
            continue
        if LEVER[key].reach == "set":
            yield Fault(f"{path}.banks.{name}", "limits of a bank", "none: the pistons are cut as one set")
        least = bank.get("min") if bank.get("min") is not None else own.get("min")
        most = bank.get("max") if bank.get("max") is not None else own.get("max")
        yield from between(f"{path}.banks.{name}", least, most)


def _needs_faults(path: str, needs: Any, set_ups: list[str]) -> Iterator[Fault]:
    for i, name in enumerate(needs or ()):
        if name not in set_ups:
            known = "one of " + ", ".join(set_ups) if set_ups else "it among levers.set_ups"
            yield Fault(f"{path}[{i}]", f"the set-up {shown(name)}", known)


def _part_faults(levers: Mapping[str, Any], set_ups: list[str]) -> Iterator[Fault]:
    for i, one in enumerate(levers.get("parts") or ()):
        yield from part_faults(f"levers.parts[{i}].part", one["kind"], without_notes(one["part"]))
        yield from _needs_faults(f"levers.parts[{i}].needs", one.get("needs"), set_ups)
