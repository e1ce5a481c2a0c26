"""The reckoning: ratio, quench and deck clearance of every hole against their windows."""

from __future__ import annotations

from collections.abc import Callable

from zygometra.core.digits import MOST_DECIMALS, decimals_for, figure
from zygometra.core.findings.wanted import quench_window
from zygometra.core.stack.results import Hole, State
from zygometra.core.units import MM, THOU, from_base
from zygometra.core.windows import Side, Window
from zygometra.core.wording import Reader
from zygometra.drawing.bands import Estimate, axis, bands

from .bench import Bench
from .fragments import Reckoning, ReckoningRow

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
        _reckoning(
            bench, "compression_ratio", title="Compression ratio", window=targets.compression_ratio, unit=""
        ),
        _reckoning(bench, "quench", title=bench.reader.quench.capitalize(), window=quench, unit=unit),
        _reckoning(
            bench,
            "deck_clearance",
            title=clearance_word.capitalize(),
            window=targets.deck_clearance,
            unit=unit,
        ),
    )


def _estimates(state: State, key: str) -> tuple[list[Estimate], float]:
    """One result of every hole with its band, and the largest doubt among them."""
    out, worst, last = [], 0.0, None
    for hole in state.holes:
        # Holes that nothing sets apart share one outcome.
        if hole.outcome is not last:
            last = hole.outcome
            spread = getattr(last.doubts, key)
            value = getattr(last, key)
            estimate = Estimate(value, spread.half if value is not None else 0.0)
            worst = max(worst, spread.u) if value is not None else worst
        out.append(estimate)
    return out, worst


def _reckoning(bench: Bench, key: str, title: str, window: Window, unit: str) -> Reckoning:
    evaluation = bench.evaluation
    assert evaluation is not None
    changed = evaluation.planned is not evaluation.now
    now, u_now = bench.kept.once(("estimates", key), lambda: _estimates(evaluation.now, key))
    planned, u_plan = _estimates(evaluation.planned, key) if changed else (now, u_now)
    drawn = bands(axis(now + planned, window, _LEAST_SPAN[key]), window)
    # One column, one number of decimals: that of its least certain hole.
    # Today's clearance says its direction only where the plan turns it or there is none.
    turned = not changed or any(
        (a.value or 0) * (b.value or 0) < 0 for a, b in zip(now, planned, strict=True)
    )
    write_now = _writer(bench.reader, key, u_now, words=turned)
    write_plan = _writer(bench.reader, key, u_plan)
    rows: list[ReckoningRow] = []
    last: tuple[Estimate, Estimate] | None = None
    for hole, a, b in zip(evaluation.now.holes, now, planned, strict=True):
        if last is not None and a is last[0] and b is last[1]:
            rows.append(rows[-1]._replace(number=hole.number))
            continue
        last = (a, b)
        mark, says = _judge(b, window, evaluation.planned.hole(hole.number))
        rows.append(
            ReckoningRow(
                number=hole.number,
                band=drawn.draw(a, b, changed=changed),
                now=write_now(a.value),
                planned=write_plan(b.value) if changed else "",
                mark=mark,
                says=says,
            )
        )
    rows.sort(key=lambda row: row.number)
    return Reckoning(
        key=key, title=title, window=_window_text(bench.reader, key, window), unit=unit, rows=tuple(rows)
    )


def _judge(estimate: Estimate, window: Window, hole: Hole) -> tuple[str, str]:
    """Where an estimate lies against its window, as a shape and in words."""
    if estimate.value is None:
        impossible = hole.outcome.clearance is not None and hole.outcome.clearance <= 0
        return ("✕", "no ratio: no room above the piston") if impossible else ("", "not known yet")
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
        number = from_base(value, THOU) if reader.system == "inch" else value
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
