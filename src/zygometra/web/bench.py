"""What every screen of a build shares: load once, ask the core once, show the same reckoning."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass, replace
from datetime import datetime
from functools import cached_property
from threading import Lock
from typing import Any, NamedTuple, TypeVar

from zygometra.core.build.document import operation_document, read_document
from zygometra.core.build.model import Build, Operation
from zygometra.core.errors import ZygometraError
from zygometra.core.findings.collect import of_figures, of_plan, worst_first
from zygometra.core.findings.registry import Case
from zygometra.core.findings.said import Finding
from zygometra.core.findings.wanted import quench_window
from zygometra.core.house_rules import HouseRules, rules_for
from zygometra.core.quantity import coverage
from zygometra.core.stack.evaluate import evaluate
from zygometra.core.stack.results import Evaluation, State
from zygometra.core.units import MM, THOU, from_base
from zygometra.core.windows import Side, Window
from zygometra.core.wording import MOST_DECIMALS, Reader, decimals_for, figure
from zygometra.drawing.bands import Estimate, axis, bands
from zygometra.store import builds, heads
from zygometra.store.builds import StoredBuild

from .db import db, reading
from .fragments import Reckoning, Row, Station
from .people import reader


class Kept(NamedTuple):
    """What a version of a build comes to before anything is moved: read and evaluated once."""

    document: dict[str, Any]
    build: Build
    now: State | None
    said: dict[Any, list[Finding]]
    estimates: dict[str, tuple[list[Estimate], float]]
    rules: dict[tuple[tuple[str, float], ...], HouseRules]


_KEPT: OrderedDict[tuple[int, int, datetime], Kept] = OrderedDict()
_NEWEST: dict[int, heads.Head] = {}
_MOST_KEPT = 64
_T = TypeVar("_T")
_KEPT_LOCK = Lock()


def _known(build_id: int, head: heads.Head) -> Kept | None:
    """Return the reading of a version, if this process has it: a version never changes."""
    key = (build_id, head.version, head.changed_at)
    with _KEPT_LOCK:
        if (kept := _KEPT.get(key)) is not None:
            _KEPT.move_to_end(key)
            _NEWEST[build_id] = head
        return kept


def _read(stored: StoredBuild) -> Kept:
    key = (stored.id, stored.version, stored.changed_at)
    build = read_document(stored.document)
    try:
        now = evaluate(replace(build, planned=())).now
    except ZygometraError:
        now = None
    kept = Kept(stored.document, build, now, {}, {}, {})
    with _KEPT_LOCK:
        _KEPT[key] = kept
        while len(_KEPT) > _MOST_KEPT:
            (old, _, _), _ = _KEPT.popitem(last=False)
            _NEWEST.pop(old, None)
    return kept


@dataclass(frozen=True)
class Bench:
    """A build as one request sees it; evaluated when first asked."""

    stored: StoredBuild
    build: Build
    rules: HouseRules
    reader: Reader
    kept: Kept
    pending: bool = False

    @property
    def id(self) -> int:
        """The build's number."""
        return self.stored.id

    @property
    def document(self) -> dict[str, Any]:
        """The build's document, as kept."""
        return self.stored.document

    @cached_property
    def _evaluated(self) -> tuple[Evaluation | None, str]:
        try:
            return evaluate(self.build, self.kept.now), ""
        except ZygometraError as error:
            return None, str(error)

    @property
    def evaluation(self) -> Evaluation | None:
        """Both states; None where the build cannot be evaluated."""
        return self._evaluated[0]

    @property
    def problem(self) -> str:
        """Why it cannot be evaluated; empty where it can."""
        return self._evaluated[1]

    @cached_property
    def findings(self) -> tuple[Finding, ...]:
        """What is to be said of it, worst first."""
        if self.evaluation is None:
            return ()
        case = Case(self.build, self.evaluation, self.rules)
        said = self.kept.said
        # What is to be said of the figures is the same for every what-if of a version.
        key = (self.reader, tuple(self.stored.shop_rules.items()))
        if key not in said:
            said[key] = of_figures(case, self.reader)
        return worst_first([*of_plan(case, self.reader), *said[key]])

    @cached_property
    def plan(self) -> list[dict[str, Any]]:
        """The plan on screen, as it would stand in a build file."""
        return [operation_document(op) for op in self.build.planned]

    @property
    def stops(self) -> int:
        """How many findings say stop."""
        return sum(f.severity == "stop" for f in self.findings) + bool(self.problem)


def open_bench(build_id: int) -> Bench:
    """Load a build as kept."""
    return _open(build_id, heads.head(reading(), build_id))


def _open(build_id: int, head: heads.Head) -> Bench:
    kept = _known(build_id, head)
    if kept is None:
        stored = builds.load(db(), build_id)
        kept = _read(stored)
    else:
        stored = StoredBuild(
            build_id,
            head.version,
            head.stage,
            kept.document,
            head.shop_rules,
            head.changed_at,
            head.changed_by,
        )
    shop = tuple(stored.shop_rules.items())
    if (rules := kept.rules.get(shop)) is None:
        rules = kept.rules[shop] = rules_for(kept.build.school, stored.shop_rules)
    return Bench(stored, kept.build, rules, reader(), kept)


def answered_for(build_id: int, work: Callable[[Bench], _T]) -> _T:
    """Do some work on a build as kept, on the version that this process last saw.

    The database is asked for the version at the same time; only where another one is
    kept by now is the work done again, on that one.

    Parameters
    ----------
    build_id : int
        The build.
    work : callable
        Takes the bench; must change nothing.

    Returns
    -------
    object
        What the work gave for the version that is kept.
    """
    with heads.ask_head(reading(), build_id) as asked:
        hoped = _NEWEST.get(build_id)
        kept = _known(build_id, hoped) if hoped is not None else None
        done = work(_open(build_id, hoped)) if hoped is not None and kept is not None else None
        head = asked.answer()
    if head == hoped and done is not None:
        return done
    return work(_open(build_id, head))


def with_plan(bench: Bench, planned: tuple[Operation, ...]) -> Bench:
    """Return the bench with another plan on it, not kept."""
    return replace(bench, build=replace(bench.build, planned=planned), pending=True)


# -- the reckoning ------------------------------------------------------------


_LEAST_SPAN = {"compression_ratio": 0.2, "quench": 0.15, "deck_clearance": 0.1}


def reckon(bench: Bench) -> tuple[Reckoning, ...]:
    """Return ratio, quench and deck clearance of every hole against their windows."""
    if bench.evaluation is None:
        return ()
    targets = bench.build.targets
    unit = "thou" if bench.reader.system == "inch" else "mm"
    quench = quench_window(bench.build, bench.rules)
    clearance_word = f"{bench.reader.deck} clearance"
    return (
        _reckoning(bench, "compression_ratio", "Compression ratio", targets.compression_ratio, ""),
        _reckoning(bench, "quench", bench.reader.quench.capitalize(), quench, unit),
        _reckoning(bench, "deck_clearance", clearance_word.capitalize(), targets.deck_clearance, unit),
    )


def _estimates(state: State, key: str) -> tuple[list[Estimate], float]:
    """One result of every hole with its band, and the largest doubt among them."""
    out, worst, last = [], 0.0, None
    for hole in state.holes:
        # Holes that nothing sets apart share one outcome.
        if hole.outcome is not last:
            last = hole.outcome
            u, dof = getattr(last.doubts, key)
            estimate = Estimate(getattr(last, key), coverage(dof) * u if u else 0.0)
            worst = max(worst, u)
        out.append(estimate)
    return out, worst


def _reckoning(bench: Bench, key: str, title: str, window: Window, unit: str) -> Reckoning:
    evaluation = bench.evaluation
    assert evaluation is not None
    changed = evaluation.planned is not evaluation.now
    known = bench.kept.estimates
    if key not in known:
        known[key] = _estimates(evaluation.now, key)
    now, u_now = known[key]
    planned, u_plan = _estimates(evaluation.planned, key) if changed else (now, u_now)
    drawn = bands(axis(now + planned, window, _LEAST_SPAN[key]), window)
    # One column, one number of decimals: that of its least certain hole.
    # Today's clearance says its direction only where the plan turns it or there is none.
    turned = not changed or any(
        (a.value or 0) * (b.value or 0) < 0 for a, b in zip(now, planned, strict=True)
    )
    write_now = _writer(bench.reader, key, u_now, words=turned)
    write_plan = _writer(bench.reader, key, u_plan)
    rows: list[Row] = []
    last: tuple[Estimate, Estimate] | None = None
    for hole, a, b in zip(evaluation.now.holes, now, planned, strict=True):
        if last is not None and a is last[0] and b is last[1]:
            rows.append(rows[-1]._replace(number=hole.number))
            continue
        last = (a, b)
        mark, says = _judge(b, window)
        rows.append(
            Row(
                hole.number,
                drawn.draw(a, b, changed=changed),
                write_now(a.value),
                write_plan(b.value) if changed else "",
                mark,
                says,
            )
        )
    rows.sort(key=lambda row: row.number)
    return Reckoning(key, title, _window_text(bench.reader, key, window), unit, tuple(rows))


def _judge(estimate: Estimate, window: Window) -> tuple[str, str]:
    """Where an estimate lies against its window, as a shape and in words."""
    if estimate.value is None:
        return "✕", "no ratio: no room above the piston"
    return _MARKS.get(window.side(estimate.value), ("", ""))


_MARKS = {Side.UNDER: ("▼", "below the window"), Side.OVER: ("▲", "above the window")}


def _writer(reader: Reader, key: str, u: float, *, words: bool = True) -> Callable[[float | None], str]:
    """Return how the figures of one column are written: one unit, one number of decimals.

    A deck clearance is never a bare sign: it is so much down, or proud.
    """
    unit = None if key == "compression_ratio" else THOU if reader.system == "inch" else MM
    scale = 1.0 if unit is None else from_base(1.0, unit)
    decimals = decimals_for(u * scale, MOST_DECIMALS["ratio" if unit is None else unit.symbol])

    def write(value: float | None) -> str:
        return "—" if value is None else figure(value * scale, decimals)

    def write_clearance(value: float | None) -> str:
        text = write(None if value is None else abs(value))
        if not words or value is None or not text.strip("0."):
            return text
        return f"{text} {'down' if value > 0 else 'proud'}"

    return write_clearance if key == "deck_clearance" else write


def _window_text(reader: Reader, key: str, window: Window) -> str:
    if window.is_open:
        return "no window set"

    def edge(value: float) -> str:
        if key == "compression_ratio":
            return figure(value, 2)
        decimals = 1 if reader.system == "inch" else 2
        number = float(value) / 0.0254 if reader.system == "inch" else value
        if key != "deck_clearance":
            return figure(number, decimals)
        text = figure(abs(number), decimals)
        return f"{text} {'down' if number > 0 else 'proud'}" if text.strip("0.") else "level"

    bounded = window.low is not None and window.high is not None
    parts = []
    if window.aim is not None and not (bounded and key == "deck_clearance"):
        parts.append(f"aim {edge(window.aim)}")
    if window.low is not None and window.high is not None:
        parts.append(f"{edge(window.low)} to {edge(window.high)}")
    elif window.low is not None:
        parts.append(f"from {edge(window.low)}")
    elif window.high is not None:
        parts.append(f"up to {edge(window.high)}")
    return " · ".join(parts)


# -- the path -----------------------------------------------------------------


def path_of(bench: Bench) -> tuple[Station, ...]:
    """Return the stations of a build in working order."""
    figures = bench.build.figures
    read = sum(q.basis in ("measured", "mock-up") for q in figures.values())
    targets = bench.build.targets
    aimed = not (targets.compression_ratio.is_open and targets.quench.is_open)
    stops = bench.stops
    cuts = len(bench.build.planned)
    at = f"/builds/{bench.id}"
    return (
        Station(
            "aim",
            "Aim",
            f"{at}/aim",
            "done" if aimed else "due",
            "windows set" if aimed else "no windows yet",
        ),
        Station(
            "parts",
            "Figures",
            f"{at}/figures",
            "done" if read == len(figures) else "part" if read else "due",
            f"{read} of {len(figures)} measured",
        ),
        Station(
            "stack",
            "Stack",
            f"{at}/stack",
            "blocked" if stops else "part" if bench.pending else "done" if cuts else "due",
            _counted(stops, "stop")
            if stops
            else "not kept yet"
            if bench.pending
            else _counted(cuts, "operation")
            if cuts
            else "nothing planned",
        ),
        Station(
            "sheet",
            "Cut sheet",
            f"{at}/sheet",
            "blocked" if stops else "done" if cuts else "due",
            "a stop stands" if stops else "ready to print" if cuts else "no cut yet",
        ),
        Station("record", "Record", f"{at}/record", "done", f"version {bench.stored.version}"),
    )


def _counted(number: int, word: str) -> str:
    return f"{number} {word}{'' if number == 1 else 's'}"


def engine_line(build: Build, document: dict[str, Any], state: State | None) -> str:
    """Return the engine in a few words: family, layout, displacement."""
    family = document["engine"].get("family") or ""
    holes = len(build.cylinders)
    words = "single" if holes == 1 else f"{build.layout} {holes}"
    parts = [f"{family} {words}".strip()]
    if state is not None:
        parts.append(f"{figure(state.displacement_cc, 0)} cc")
    return " · ".join(parts)
