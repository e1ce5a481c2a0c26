"""What machines and outside shops of this shop tend to do, from the cuts that were verified in all builds."""

from __future__ import annotations

from zygometra.core.build.lever_table import OpName
from zygometra.core.build.model import Build
from zygometra.core.cutting.tolerance_learnt import with_memory
from zygometra.core.house_rules import HouseRules
from zygometra.core.memory import FinishedJob, Memory, remembered
from zygometra.core.wording import Reader
from zygometra.store import facts

from ..build.bench import Bench
from ..db import db
from ..words import counted


def memory_of(who: str, op: str, rules: HouseRules) -> Memory | None:
    """Return what a machine or a shop tends to do; None where nothing of it was ever verified."""
    jobs = [
        FinishedJob(one.achieved - one.asked, one.u)
        for _, one in facts.verified(db())
        if who and who in (one.shop, one.machine) and one.op == op
    ]
    return remembered(jobs, rules["cut_tolerance"] / 3**0.5) if jobs else None


def words_of(who: str, found: Memory | None, reader: Reader) -> str:
    """Return what somebody tends to do in words; empty where nothing is known."""
    if found is None:
        return ""
    way = "more" if found.bias >= 0 else "less"
    return (
        f"{who} tends to take {reader.length(abs(found.bias), found.spread / 4)} {way} than asked; next time it is "
        f"off by {reader.length(found.low, found.u)} to {reader.length(found.high, found.u)} "
        f"({counted(found.jobs, 'job')}, 95 %)"
    )


def memory_words(bench: Bench, who: str, op: str) -> str:
    """Return what a machine or a shop tends to do in words; empty where nothing is known."""
    return words_of(who, memory_of(who, op, bench.rules), bench.reader)


def remembering(build: Build, rules: HouseRules) -> Build:
    """Return a build whose levers are missed by what their machines missed by before."""

    def known(who: str, op: OpName) -> Memory | None:
        return memory_of(who, op, rules)

    return with_memory(build, known) if any(own.machine for own in build.levers.means.values()) else build


def told(bench: Bench) -> list[str]:
    """Return what is known of every machine that the levers of a build name."""
    named = {(own.machine, op) for op, own in bench.build.levers.means.items() if own.machine}
    return [words for who, op in sorted(named) if (words := memory_words(bench, who, op))]
