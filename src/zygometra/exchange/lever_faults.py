"""What the shape of a file cannot tell of its levers: limits that exclude each other, names that are not there."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from zygometra.core.build.build_record import BuildRecord, LeversRecord, Windows
from zygometra.core.build.lever_table import AMOUNTS, LEVER, SWAP
from zygometra.core.build.means import Means
from zygometra.core.errors import Fault, shown
from zygometra.core.records import Refused


def lever_faults(file: BuildRecord, banks: list[str]) -> Iterator[Fault]:
    """Yield what is wrong with the levers and spreads of a document whose shape is right.

    Parameters
    ----------
    file : BuildRecord
        A build document.
    banks : list of str
        The names of its banks.

    Yields
    ------
    Fault
        Each with its place.
    """
    levers = file.levers
    yield from _spread_faults(file.targets)
    set_ups = list(levers.set_ups)
    for lever in AMOUNTS:
        if (own := levers.means.get(lever.key)) is not None and own.typed:
            yield from _limit_faults(lever.key, own, banks)
    for key in (*(lever.key for lever in AMOUNTS), SWAP):
        if (own := levers.means.get(key)) is not None:
            yield from _needs_faults(f"levers.{key}.needs", own.needs, set_ups)
    yield from _needs_faults("levers.gasket_needs", levers.gasket_needs, set_ups)
    counts = [len(bank.cylinders) for bank in file.engine.banks]
    if SWAP in levers.means and (len(counts) != 2 or counts[0] != counts[1]):
        banks_found = f"heads that change sides on {len(counts)} bank{'' if len(counts) == 1 else 's'}"
        yield Fault(f"levers.{SWAP}", banks_found, "two banks with as many holes each")
    yield from _part_faults(levers, set_ups)


def _spread_faults(targets: Windows) -> Iterator[Fault]:
    old, between = targets.ratio_spread, targets.spread
    if between is None:
        return
    new = between.compression_ratio
    if old is not None and new is not None and old != new:
        says = between.typed["compression_ratio"]
        wanted = f"what spread.compression_ratio says, {shown(says)}"
        yield Fault("targets.ratio_spread", shown(targets.typed["ratio_spread"]), wanted)
    if between.quench is not None and between.quench < 0:
        yield Fault("targets.spread.quench", shown(between.typed["quench"]), "nought or more")


def _limit_faults(key: str, own: Means, banks: list[str]) -> Iterator[Fault]:
    """Limits of a lever against one another, the engine's and each bank's own."""
    path, typed = f"levers.{key}", own.typed
    least = own.low if "min" in typed else None
    if least is not None and own.high is not None and least > own.high:
        yield Fault(f"{path}.min", shown(typed["min"]), f"at most max, {shown(typed['max'])}")
    if own.level and key != "deck_cut":
        yield Fault(f"{path}.level", "true", "it with a deck cut only")
    for name, (low, high) in own.banks.items():
        if name not in banks:
            yield Fault(f"{path}.banks.{name}", f"the bank {shown(name)}", "one of " + ", ".join(banks))
            continue
        if LEVER[key].reach == "set":
            yield Fault(f"{path}.banks.{name}", "limits of a bank", "none: the pistons are cut as one set")
        ours = typed["banks"][name]
        bottom, top = least if low is None else low, own.high if high is None else high
        if bottom is not None and top is not None and bottom > top:
            says = shown((typed if low is None else ours)["min"])
            most = shown((typed if high is None else ours)["max"])
            yield Fault(f"{path}.banks.{name}.min", says, f"at most max, {most}")


def _needs_faults(path: str, needs: Sequence[str], set_ups: list[str]) -> Iterator[Fault]:
    for i, name in enumerate(needs):
        if name not in set_ups:
            known = "one of " + ", ".join(set_ups) if set_ups else "it among levers.set_ups"
            yield Fault(f"{path}[{i}]", f"the set-up {shown(name)}", known)


def _part_faults(levers: LeversRecord, set_ups: list[str]) -> Iterator[Fault]:
    for i, one in enumerate(levers.parts):
        if isinstance(one, Refused):
            yield from one.wrong.at(f"levers.parts[{i}]")
        yield from _needs_faults(f"levers.parts[{i}].needs", one.typed.get("needs") or (), set_ups)
