"""What the target bench is asked: windows, school, priority and what was fixed by hand, from an address."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

from zygometra.core.build.lever_table import LEVER, OpName
from zygometra.core.build.means import PRIORITIES, Priority
from zygometra.core.build.model import Build
from zygometra.core.errors import QuantityError
from zygometra.core.house_rules import SCHOOL, HouseRules, rules_for
from zygometra.core.planning.as_machined import as_machined
from zygometra.core.planning.decisions import FixedDecisions
from zygometra.core.planning.single_lever_plans import with_usual_levers
from zygometra.core.quantity import read_quantity
from zygometra.core.units import Kind
from zygometra.core.windows import Window
from zygometra.core.wording import Reader

RESULTS = ("compression_ratio", "quench", "deck_clearance")
EDGES = ("min", "max")
# Levers that are fixed by hand bank by bank; the crowns for the set.
PINNED: tuple[OpName, ...] = ("deck_cut", "head_cut")


@dataclass(frozen=True)
class PlanQuery:
    """What was asked, and the build that it is asked of.

    ``typed`` is every field as it came, ``faults`` a sentence for each that was not understood.
    """

    build: Build
    rules: HouseRules
    pins: FixedDecisions
    chosen: int
    beside: int | None
    typed: Mapping[str, str]
    faults: Mapping[str, str]
    changed: bool

    @property
    def key(self) -> tuple[Any, ...]:
        """What the plans hang on."""
        left_out = ("at", "beside")
        return ("plans", tuple(sorted((k, v) for k, v in self.typed.items() if v and k not in left_out)))


def read_asked(
    build: Build, shop_rules: Mapping[str, float], args: Mapping[str, str], reader: Reader
) -> PlanQuery:
    """Return what an address asks of a build.

    Parameters
    ----------
    build : Build
        As kept.
    shop_rules : Mapping
        The shop's own rules.
    args : Mapping
        Of the address; what is not understood is told and left out.
    reader : Reader
        For lengths typed without a unit.
    """
    typed = {name: value.strip()[:80] for name, value in args.items() if name.partition(".")[0] in _KNOWN}
    faults: dict[str, str] = {}
    build = with_usual_levers(build)
    school = typed.get("school", "")
    if school in SCHOOL:
        build = replace(build, school=school)
    rules = rules_for(build.school, shop_rules)
    build = as_machined(build, rules)
    build = _with_windows(build, rules, typed=typed, faults=faults, reader=reader)
    priority: Priority = next(
        (one for one in PRIORITIES if one == typed.get("priority")), build.planning.priority
    )
    build = replace(build, planning=build.planning.with_(priority=priority))
    pins = _pins(build, typed, faults, reader)
    changed = any(name.startswith(RESULTS) and value for name, value in typed.items())
    chosen = typed.get("at", "")
    beside = typed.get("beside", "")
    return PlanQuery(
        build=build,
        rules=rules,
        pins=pins,
        chosen=int(chosen) if chosen.isascii() and chosen.isdigit() and len(chosen) < 5 else 0,
        beside=int(beside) if beside.isascii() and beside.isdigit() and len(beside) < 5 else None,
        typed=typed,
        faults=faults,
        changed=changed,
    )


_KNOWN = (*RESULTS, "school", "priority", "at", "beside", "pin", "full")


def _with_windows(
    build: Build, rules: HouseRules, typed: Mapping[str, str], faults: dict[str, str], reader: Reader
) -> Build:
    """The build with the windows that were dragged; the house's ceiling where it sets none itself."""
    targets = build.targets
    for result in RESULTS:
        window: Window = getattr(targets, result)
        ends = {"min": window.low, "max": window.high}
        if (
            result == "quench"
            and ends["max"] is None
            and window.is_bounded is False
            and window.aim is not None
        ):
            ends["max"] = rules["quench_ceiling"]
        for edge in EDGES:
            name = f"{result}.{edge}"
            if (text := typed.get(name)) is None or text == "":
                continue
            try:
                ends[edge] = None if text == "open" else _value(text, result, reader)
            except QuantityError as error:
                faults[name] = f"Found {error.found}; wanted {error.wanted}."
        if ends["min"] is not None and ends["max"] is not None and ends["min"] > ends["max"]:
            faults[f"{result}.max"] = "The most is below the least: what stood there before is used."
            continue
        changed: dict[str, Any] = {result: Window(ends["min"], window.aim, ends["max"])}
        targets = replace(targets, **changed)
    return replace(build, targets=targets)


def _value(text: str, result: str, reader: Reader) -> float:
    if result == "compression_ratio":
        try:
            value = float(text.replace(",", "."))
        except ValueError:
            raise QuantityError(f"'{text}'", "a ratio such as 9.8") from None
        if not 1 < value <= 60:
            raise QuantityError(f"'{text}'", "a ratio above 1 and up to 60")
        return value
    return _length(text, reader, low=-20, high=50)


def _length(text: str, reader: Reader, *, low: float = 0.0, high: float = 50.0) -> float:
    if reader.system == "inch" and text.replace(".", "").replace(",", "").replace("-", "").isdigit():
        text = f"{text} thou"
    return read_quantity(text, Kind.LENGTH, dimension="target", low=low, high=high).value


def _amount(op: str, text: str, reader: Reader) -> float:
    """An amount of a lever as it is typed: bare, it is in the reader's lengths, or in cc."""
    if LEVER[op].kind is Kind.VOLUME:
        return read_quantity(text, Kind.VOLUME, dimension="target", low=0.0, high=LEVER[op].most).value
    return _length(text, reader)


def _pins(build: Build, typed: Mapping[str, str], faults: dict[str, str], reader: Reader) -> FixedDecisions:
    """What was fixed by hand: an amount, ``0`` for nothing, two amounts with a slash for a levelling cut."""
    cuts: dict[tuple[str, str], tuple[float, float]] = {}
    gaskets: dict[str, int | None] = {}
    for bank in build.banks:
        for op in PINNED:
            if (text := typed.get(f"pin.{op}.{bank.name}", "")) and op in build.levers.means:
                _pin(cuts, (op, bank.name), text=text, faults=faults, reader=reader, levels=op == "deck_cut")
        chosen = typed.get(f"pin.gasket.{bank.name}", "")
        if chosen == "kept":
            gaskets[bank.name] = None
        elif chosen.isascii() and chosen.isdigit() and int(chosen[:4]) < len(build.levers.gaskets):
            gaskets[bank.name] = int(chosen[:4])
    for op in ("crown_cut", "bowl"):
        if (text := typed.get(f"pin.{op}", "")) and op in build.levers.means:
            _pin(cuts, (op, ""), text=text, faults=faults, reader=reader, levels=False)
    part: int | str | None = "any"
    chosen = typed.get("pin.part", "")
    if chosen == "kept":
        part = None
    elif chosen.isascii() and chosen.isdigit() and int(chosen[:4]) < len(build.levers.parts):
        part = int(chosen[:4])
    return FixedDecisions(cuts, gaskets, part)


def _pin(
    cuts: dict[tuple[str, str], tuple[float, float]],
    key: tuple[str, str],
    text: str,
    faults: dict[str, str],
    reader: Reader,
    *,
    levels: bool,
) -> None:
    ends = [part.strip() for part in text.split("/")] if levels else [text]
    try:
        if len(ends) > 2:
            raise QuantityError(
                f"'{text}'", "one cut, or its two ends with a slash between, such as 0.10 / 0.25 mm"
            )
        values = [_amount(key[0], end, reader) for end in ends]
        cuts[key] = (values[0], values[-1])
    except QuantityError as error:
        faults[f"pin.{key[0]}.{key[1]}".rstrip(".")] = f"Found {error.found}; wanted {error.wanted}."
