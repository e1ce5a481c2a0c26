"""What every screen of a build shares: load once, ask the core once, show the same reckoning."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from typing import Any, NamedTuple

from flask import url_for

from zygometra.core.build import Build, Operation, Window
from zygometra.core.document import operation_document, read_document
from zygometra.core.errors import ZygometraError
from zygometra.core.evaluate import Evaluation, State, evaluate
from zygometra.core.findings import Finding, findings
from zygometra.core.house_rules import HouseRules, rules_for
from zygometra.core.quantity import coverage
from zygometra.core.wording import Reader, figure, ratio_text
from zygometra.drawing.bands import Estimate, axis, band
from zygometra.store import builds
from zygometra.store.builds import StoredBuild

from .db import db
from .people import reader


@dataclass(frozen=True, slots=True)
class Bench:
    """A build as one request sees it."""

    stored: StoredBuild
    build: Build
    rules: HouseRules
    evaluation: Evaluation | None
    findings: tuple[Finding, ...]
    reader: Reader
    problem: str = ""
    pending: bool = False

    @property
    def id(self) -> int:
        """The build's number."""
        return self.stored.id

    @property
    def document(self) -> dict[str, Any]:
        """The build's document, as kept."""
        return self.stored.document

    @property
    def plan(self) -> list[dict[str, Any]]:
        """The plan on screen, as it would stand in a build file."""
        return [operation_document(op) for op in self.build.planned]

    @property
    def stops(self) -> int:
        """How many findings say stop."""
        return sum(f.severity == "stop" for f in self.findings) + bool(self.problem)


def open_bench(build_id: int) -> Bench:
    """Load a build and evaluate it as kept."""
    stored = builds.load(db(), build_id)
    return bench_of(stored, read_document(stored.document))


def bench_of(stored: StoredBuild, build: Build, *, pending: bool = False) -> Bench:
    """Evaluate a build that was read from a stored one, perhaps with another plan."""
    rules = rules_for(build.school, stored.shop_rules)
    read_as = reader()
    try:
        evaluation = evaluate(build)
    except ZygometraError as error:
        return Bench(stored, build, rules, None, (), read_as, str(error), pending)
    found = findings(build, evaluation, rules, read_as)
    return Bench(stored, build, rules, evaluation, found, read_as, "", pending)


def with_plan(bench: Bench, planned: tuple[Operation, ...]) -> Bench:
    """Return the bench with another plan on it, not kept."""
    return bench_of(bench.stored, replace(bench.build, planned=planned), pending=True)


# -- the reckoning ------------------------------------------------------------


class Row(NamedTuple):
    """One hole of one result, written out."""

    number: int
    band: str
    now: str
    planned: str
    mark: str
    says: str


class Reckoning(NamedTuple):
    """One result of every hole."""

    key: str
    title: str
    window: str
    unit: str
    rows: tuple[Row, ...]


_LEAST_SPAN = {"ratio": 0.2, "quench": 0.15, "deck_clearance": 0.1}


def reckon(bench: Bench) -> tuple[Reckoning, ...]:
    """Return ratio, quench and deck clearance of every hole against their windows."""
    if bench.evaluation is None:
        return ()
    targets = bench.build.targets
    unit = "thou" if bench.reader.system == "inch" else "mm"
    floor = bench.rules.quench_floor(bench.build.rod_material)
    quench = targets.quench
    # What is asked never reaches below the house floor, whatever was typed.
    quench = replace(quench, low=max(floor, quench.low or 0.0))
    if quench.high is None:
        quench = replace(quench, high=bench.rules["quench_ceiling"])
    clearance_word = f"{bench.reader.deck} clearance"
    return (
        _reckoning(bench, "ratio", "Compression ratio", targets.compression_ratio, ""),
        _reckoning(bench, "quench", bench.reader.quench.capitalize(), quench, unit),
        _reckoning(bench, "deck_clearance", clearance_word.capitalize(), targets.deck_clearance, unit),
    )


def _estimates(state: State, key: str) -> list[Estimate]:
    out = []
    for hole in state.holes:
        u, dof = getattr(hole.outcome.doubts, key)
        out.append(Estimate(getattr(hole.outcome, key), coverage(dof) * u if u else 0.0))
    return out


def _largest_doubt(state: State, key: str) -> float:
    return float(max(getattr(hole.outcome.doubts, key)[0] for hole in state.holes))


def _reckoning(bench: Bench, key: str, title: str, window: Window, unit: str) -> Reckoning:
    evaluation = bench.evaluation
    assert evaluation is not None
    changed = evaluation.planned is not evaluation.now
    now, planned = _estimates(evaluation.now, key), _estimates(evaluation.planned, key)
    scale = axis(now + planned, window, _LEAST_SPAN[key])
    # One column, one number of decimals: that of its least certain hole.
    u_now, u_plan = _largest_doubt(evaluation.now, key), _largest_doubt(evaluation.planned, key)
    rows = []
    for hole, a, b in zip(evaluation.now.holes, now, planned, strict=True):
        last = b if changed else a
        mark, says = _judge(last, window)
        rows.append(
            Row(hole.number, band(scale, window, a, b, changed=changed),
                _write(bench.reader, key, a.value, u_now),
                _write(bench.reader, key, b.value, u_plan) if changed else "", mark, says))  # fmt: skip
    rows.sort(key=lambda row: row.number)
    return Reckoning(key, title, _window_text(bench.reader, key, window), unit, tuple(rows))


def _judge(estimate: Estimate, window: Window) -> tuple[str, str]:
    """Where an estimate lies against its window, as a shape and in words."""
    if estimate.value is None:
        return "✕", "no ratio: no room above the piston"
    if window.low is not None and estimate.value < window.low - 1e-9:
        return "▼", "below the window"
    if window.high is not None and estimate.value > window.high + 1e-9:
        return "▲", "above the window"
    return "", ""


def _write(reader: Reader, key: str, value: float | None, u: float) -> str:
    if value is None:
        return "—"
    return ratio_text(value, u) if key == "ratio" else reader.length_parts(value, u)[0]


def _window_text(reader: Reader, key: str, window: Window) -> str:
    if window.is_open:
        return "no window set"

    def edge(value: float) -> str:
        if key == "ratio":
            return figure(value, 2)
        decimals = 1 if reader.system == "inch" else 2
        number = float(value) / 0.0254 if reader.system == "inch" else value
        return figure(number, decimals)

    parts = [f"aim {edge(window.aim)}"] if window.aim is not None else []
    if window.low is not None and window.high is not None:
        parts.append(f"{edge(window.low)} to {edge(window.high)}")
    elif window.low is not None:
        parts.append(f"from {edge(window.low)}")
    elif window.high is not None:
        parts.append(f"up to {edge(window.high)}")
    return " · ".join(parts)


# -- the path -----------------------------------------------------------------


class Station(NamedTuple):
    """One station of the path: where it leads, its state as shape and word."""

    key: str
    label: str
    href: str
    state: str
    says: str


def path_of(bench: Bench) -> tuple[Station, ...]:
    """Return the stations of a build in working order."""
    figures = bench.build.figures
    read = sum(q.basis in ("measured", "mock-up") for q in figures.values())
    targets = bench.build.targets
    aimed = not (targets.compression_ratio.is_open and targets.quench.is_open)
    stops = bench.stops
    cuts = len(bench.build.planned)
    return (
        Station("aim", "Aim", url_for("aim.page", build_id=bench.id), "done" if aimed else "due",
                "windows set" if aimed else "no windows yet"),
        Station("parts", "Figures", url_for("figures.page", build_id=bench.id),
                "done" if read == len(figures) else "part" if read else "due",
                f"{read} of {len(figures)} measured"),
        Station("stack", "Stack", url_for("stack.page", build_id=bench.id),
                "blocked" if stops else "part" if bench.pending else "done" if cuts else "due",
                _counted(stops, "stop") if stops else "not kept yet" if bench.pending
                else _counted(cuts, "operation") if cuts else "nothing planned"),
        Station("sheet", "Cut sheet", url_for("sheet.page", build_id=bench.id),
                "blocked" if stops else "done" if cuts else "due",
                "a stop stands" if stops else "ready to print" if cuts else "no cut yet"),
        Station("record", "Record", url_for("record.page", build_id=bench.id), "done",
                f"version {bench.stored.version}"),
    )  # fmt: skip


def _counted(number: int, word: str) -> str:
    return f"{number} {word}{'' if number == 1 else 's'}"


def engine_line(build: Build, document: dict[str, Any], state: State | None) -> str:
    """Return the engine in a few words: family, layout, displacement."""
    family = document["engine"].get("family") or ""
    holes = len(build.cylinders)
    layout = {"inline": "inline", "vee": "vee", "flat": "flat"}[build.layout]
    words = "single" if holes == 1 else f"{layout} {holes}"
    parts = [f"{family} {words}".strip()]
    if state is not None:
        parts.append(f"{figure(state.displacement_cc, 0)} cc")
    return " · ".join(parts)


def worst_first(found: Iterable[Finding]) -> list[dict[str, str]]:
    """Return findings for the page, each with the word and the place that helps."""
    words = {"stop": "Stop", "warn": "Check", "note": "Note"}
    return [
        {"severity": f.severity, "word": words[f.severity], "says": f.says, "why": f.why, "do": f.do,
         "where": f.where, "code": f.code}
        for f in found
    ]  # fmt: skip
