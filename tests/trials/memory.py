"""Shops that nobody runs: each machine has a bias and a spread of its own; does the band of its next cut hold?"""

from __future__ import annotations

import numpy as np

from trials.study import Share, Table, over_all, percent
from zygometra.core.memory import FinishedJob, remembered

USUAL = 0.015 / 3**0.5
STATED, LOW, HIGH = 0.95, 0.92, 0.98
JUDGED = (3, 4, 6, 10)
# Kinds of shop: how far machines differ in spread (log-sd), how large their bias is against it, how tails fall.
SHOPS = {
    "as the house expects": (0.5, 0.8, "normal"),
    "all much alike": (0.2, 0.3, "normal"),
    "very unlike": (0.9, 1.5, "normal"),
    "heavy tails": (0.5, 0.8, "heavy"),
}


def one_machine(case: tuple[int, str]) -> list[bool]:
    """A machine's jobs in turn: whether each lay in the band told before it, by how many jobs were known."""
    seed, kind = case
    random = np.random.default_rng(seed)
    differ, biased, tails = SHOPS[kind]
    spread = USUAL * np.exp(random.normal(0, differ))
    bias = random.normal(0, biased * spread)
    jobs: list[FinishedJob] = []
    held = []
    for _ in range(max(JUDGED) + 1):
        missed = bias + spread * (
            random.standard_t(5) / np.sqrt(5 / 3) if tails == "heavy" else random.normal()
        )
        known = remembered(jobs, USUAL)
        held.append(bool(known.low <= missed <= known.high))
        u = float(random.uniform(0.002, 0.006))
        jobs.append(FinishedJob(float(missed + random.normal(0, u)), u))
    return held


def study(machines: int, seed: int = 17) -> Table:
    """So many machines of each kind of shop."""
    rows, fails = [], []
    for k, kind in enumerate(SHOPS):
        cases = [(seed * 10**6 + k * 10**5 + i, kind) for i in range(machines)]
        told = np.array(over_all(one_machine, cases))
        for jobs in (0, 1, *JUDGED):
            held = Share(int(told[:, jobs].sum()), machines, STATED)
            judged = jobs in JUDGED and not LOW - held.strays <= held.share <= HIGH + held.strays
            rows.append((kind, str(jobs), str(machines), percent(held.share), "off" if judged else ""))
            if judged:
                fails.append(f"{kind}, {jobs} jobs known: the band held {percent(held.share)}")
    return Table(
        "What a machine tends to do", ("shop", "jobs known", "machines", "band held (95 %)", ""), rows, fails
    )
