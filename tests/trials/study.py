"""What every study shares: engines worked on by all cores, shares with what they may stray, tables."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from os import cpu_count
from typing import NamedTuple

# Classes smaller than this are printed and not judged.
JUDGED_FROM = 500


class Share(NamedTuple):
    """In how many cases of a class something held, and what was stated."""

    held: int
    cases: int
    stated: float

    @property
    def share(self) -> float:
        return self.held / self.cases if self.cases else math.nan

    @property
    def strays(self) -> float:
        """Twice the standard error of a share of so many cases."""
        p = self.stated
        return 2 * math.sqrt(p * (1 - p) / self.cases) if self.cases else math.inf

    def within(self, points: float, *, more: bool = False) -> bool:
        """Whether it lies within so many points of what was stated; with ``more``, it may hold more."""
        if self.cases < JUDGED_FROM:
            return True
        off = self.share - self.stated
        allowed = points / 100 + self.strays
        return -allowed <= off and (more or off <= allowed)


@dataclass
class Table:
    """A table of a study, as docs/trials.md keeps it."""

    title: str
    heads: tuple[str, ...]
    rows: list[tuple[str, ...]]
    fails: list[str]

    def __str__(self) -> str:
        lines = [f"## {self.title}", "", "| " + " | ".join(self.heads) + " |", "|" + "---|" * len(self.heads)]
        lines += ["| " + " | ".join(row) + " |" for row in self.rows]
        return "\n".join(lines) + "\n"


def percent(share: float) -> str:
    return "—" if math.isnan(share) else f"{100 * share:.1f} %"


def over_all(work: Callable[[int], object], seeds: Iterable[int], cores: int = 0) -> list:
    """Do some work for every seed, on all cores."""
    listed = list(seeds)
    workers = cores or min(2, cpu_count() or 1)
    if workers == 1 or len(listed) < 40:
        return [work(seed) for seed in listed]
    with ProcessPoolExecutor(workers) as pool:
        return list(pool.map(work, listed, chunksize=max(1, len(listed) // (workers * 20))))
