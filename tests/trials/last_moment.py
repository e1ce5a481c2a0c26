"""Logs replayed pass by pass: is it told before the pass after which no other lever brings the target back?

What can still be reached is worked out here a second way: gaskets one by one, further cuts on a grid of a µm.
"""

from __future__ import annotations

import math

import numpy as np

from support.half_cut import BORE, CROWN, STROKE, document, moment
from trials.study import Table, over_all, percent
from zygometra.core.build.cut_log import CutPlace
from zygometra.core.cutting.next_pass import before_pass
from zygometra.core.cutting.reach import reach_of
from zygometra.core.cutting.running import running
from zygometra.core.house_rules import rules_for
from zygometra.exchange.build_file import check

DECK, LIMIT, GRID = CutPlace("deck_cut", "A"), 0.6, 0.001
AREA = math.pi / 4 * BORE**2
FALSE = 0.05
KINDS = ("gap", "gap and ratio", "clearance", "gap, ratio, spread")


def engine(random: np.random.Generator, kind: str):
    """An engine with its windows and levers: read clearances, the file, and the figures of the second way."""
    base = random.uniform(0.2, 0.6)
    read = np.round(base + random.normal(0, 0.015, 4), 3)
    gaskets = sorted(
        random.choice([0.9, 1.0, 1.2, 1.4, 1.6], size=random.integers(1, 4), replace=False).tolist()
    )
    opened = float(random.choice([0.0, 1.0, 2.0]))
    chamber = float(np.round(random.uniform(46, 54), 1))
    now = float(random.choice([1.0, 1.2]))
    low = round(base + now - random.uniform(0.05, 0.4), 2)
    windows = {"quench": {"min": low, "max": round(low + random.uniform(0.12, 0.4), 2)}}
    if kind == "clearance":
        windows = {"deck_clearance": {"min": round(base - random.uniform(0.1, 0.35), 2), "max": 1.0}}
    if "ratio" in kind:
        swept = AREA * STROKE / 1000
        volume = chamber + CROWN + now * math.pi / 4 * 93**2 / 1000 + AREA * (base - 0.15) / 1000
        middle = round((swept + volume) / volume, 2)
        windows["compression_ratio"] = {"min": round(middle - 0.3, 2), "max": round(middle + 0.3, 2)}
    if "spread" in kind:
        windows["spread"] = {"compression_ratio": 0.25}
    doc = document(targets=windows)
    doc["parts"]["gasket"]["thickness"] = now
    doc["parts"]["head"]["chamber_volume"] = chamber
    for n, one in enumerate(doc["readings"]):
        one["value"] = float(read[n])
    doc["levers"] = {
        "deck_cut": {"max": LIMIT},
        "gaskets": [{"name": f"{t}", "thickness": t, "bore": 93} for t in gaskets],
    }
    if opened:
        doc["levers"]["open_chamber"] = {"max": opened}
    return doc, (read, [now, *gaskets], opened, chamber)


def reachable(doc, figures, off: float) -> bool:
    """Whether some further cut, gasket and opening brings every hole inside every window."""
    read, gaskets, opened, chamber = figures
    windows = doc["targets"]
    floor = 0.889
    further = np.arange(0.0, LIMIT - off + GRID / 2, GRID)
    clearance = read[None, :] - off - further[:, None]
    swept = AREA * STROKE / 1000
    for thickness in gaskets:
        quench = clearance + thickness
        good = (quench >= floor - 1e-9).all(axis=1)
        for name, values in (("quench", quench), ("deck_clearance", clearance)):
            window = windows.get(name)
            if window:
                good &= ((values >= window["min"] - 1e-9) & (values <= window["max"] + 1e-9)).all(axis=1)
        ratio = windows.get("compression_ratio")
        if ratio and good.any():
            volume = chamber + CROWN + thickness * math.pi / 4 * 93**2 / 1000 + AREA * clearance / 1000
            least, most = swept / (ratio["max"] - 1), swept / (ratio["min"] - 1)
            low, high = np.maximum(volume, least), np.minimum(volume + opened, most)
            fits = (low <= high + 1e-9).all(axis=1)
            spread = windows.get("spread")
            if spread:
                # The narrowest spread: the largest volume as small as it can be, the others up to it.
                top = low.max(axis=1)
                highest, lowest = (1 + swept / v for v in (np.minimum(high, top[:, None]).min(axis=1), top))
                fits &= highest - lowest <= spread["compression_ratio"] + 1e-9
            good &= fits
        if good.any():
            return True
    return False


def one_log(case: tuple[int, str]) -> tuple[int, int, int, int, int]:
    """A log until the target is lost: losses, told before, warnings, false ones; and false ones of what is truly so."""
    seed, kind = case
    random = np.random.default_rng(seed)
    doc, figures = engine(random, kind)
    truth = (figures[0] + random.normal(0, 0.004, 4), *figures[1:])
    rules = rules_for("")
    off, lost, told, warned, false, strayed = 0.0, 0, 0, 0, 0, 0
    doc["passes"] = []
    for i in range(1, 30):
        if not reachable(doc, figures, off):
            break
        depth = float(np.round(random.choice([0.02, 0.03, 0.05, 0.08]) * random.uniform(0.8, 1.2), 3))
        if off + depth > LIMIT:
            break
        build = check(doc)
        said = before_pass(running(build, DECK, rules), reach_of(build, DECK, rules), depth, rules)
        warns = said.state == "stop"
        gone = not reachable(doc, figures, off + depth)
        warned, false = warned + warns, false + (warns and not gone)
        strayed += warns and reachable(doc, truth, off + depth)
        if gone:
            lost, told = 1, int(warns)
        off += depth
        doc["passes"].append(
            {
                "id": f"p{i}",
                "op": "deck_cut",
                "bank": "A",
                "number": i,
                "depth": depth,
                "at": moment(10 + 5 * i),
            }
        )
        if gone:
            break
    return lost, told, warned, false, strayed


def study(logs: int, seed: int = 9) -> Table:
    """Replay so many logs of each kind of window."""
    rows, fails, every = [], [], np.zeros(5, dtype=int)
    for k, kind in enumerate(KINDS):
        cases = [(seed * 10**6 + k * 10**5 + i, kind) for i in range(logs // len(KINDS))]
        sums = np.array(over_all(one_log, cases)).sum(axis=0)
        every += sums
        rows.append(_row(kind, len(cases), sums))
    rows.append(_row("together", logs // len(KINDS) * len(KINDS), every))
    lost, told, warned, false, _ = every
    if told < lost:
        fails.append(f"{lost - told} of {lost} last moments were not told")
    if false > FALSE * max(warned, 1):
        fails.append(f"{false} of {warned} warnings were false")
    heads = ("windows", "logs", "target lost", "told before", "warnings", "false", "not lost in truth")
    return Table("The last moment", heads, rows, fails)


def _row(kind: str, logs: int, sums) -> tuple[str, ...]:
    lost, told, warned, false, strayed = (int(one) for one in sums)
    of = max(warned, 1)
    return (kind, str(logs), str(lost), str(told), str(warned), percent(false / of), percent(strayed / of))
