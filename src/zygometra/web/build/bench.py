"""A build as one request sees it: loaded once, asked of the core once."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any, TypeVar

from zygometra.core.build.document import operation_document
from zygometra.core.build.model import Build, Operation
from zygometra.core.digits import figure
from zygometra.core.errors import ZygometraError
from zygometra.core.findings.collect import of_figures, of_plan, worst_first
from zygometra.core.findings.registry import Case
from zygometra.core.findings.said import Finding
from zygometra.core.house_rules import HouseRules, rules_for
from zygometra.core.measuring.simulated import is_simulated
from zygometra.core.records import Record
from zygometra.core.stack.evaluate import evaluate
from zygometra.core.stack.results import Evaluation, State
from zygometra.core.stages import BuildProgress
from zygometra.core.wording import Reader
from zygometra.store import builds, facts, gauges, heads
from zygometra.store.builds import StoredBuild

from ..db import database, db, reading
from ..people import reader, told_error
from .kept import Kept, Key, keep, kept_builds

_T = TypeVar("_T")


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
    def document(self) -> Mapping[str, Any]:
        """The build's document, as kept."""
        return self.stored.document

    @cached_property
    def _evaluated(self) -> tuple[Evaluation | None, str]:
        try:
            if self.build.figures is not self.kept.build.figures and self.kept.now is not None:
                # What is tried counts as planned, beside the build as it stands.
                return Evaluation(self.kept.now, evaluate(self.build).planned), ""
            return evaluate(self.build, self.kept.now), ""
        except ZygometraError as error:
            return None, told_error(error)

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
        # What is to be said of the figures is the same for every what-if of a version.
        key = ("said", self.reader, tuple(self.stored.shop_rules.items()))
        said = self.kept.once(key, lambda: of_figures(case, self.reader))
        return worst_first([*of_plan(case, self.reader), *said])

    @cached_property
    def plan(self) -> list[dict[str, Any]]:
        """The plan on screen, as it would stand in a build file."""
        return [operation_document(op) for op in self.build.planned]

    @property
    def stops(self) -> int:
        """How many findings say stop."""
        return sum(f.severity == "stop" for f in self.findings) + bool(self.problem)

    @property
    def standing(self) -> BuildProgress:
        """What is known of how far it is."""
        figures = self.build.figures
        read = sum(q.basis in ("measured", "mock-up") for q in figures.values())
        cuts = len({one.place for one in self.build.cuts.passes})
        return BuildProgress(
            figures=len(figures), read=read, operations=len(self.build.planned), stops=self.stops, cuts=cuts
        )

    @cached_property
    def read_places(self) -> frozenset[str]:
        """The places of figures that readings stand behind."""
        used = self.build.in_use
        return frozenset() if used is None else frozenset(map(str, used.series))

    @property
    def is_simulated(self) -> bool:
        """True where stand-ins made some of its figures."""
        return self.kept.once("simulated", lambda: is_simulated(self.kept.build))

    @property
    def shown_state(self) -> State | None:
        """The state that pages speak of: as planned; None where it cannot be evaluated."""
        return None if self.evaluation is None else self.evaluation.planned

    @property
    def several_banks(self) -> bool:
        """True where there is more than one bank."""
        return len(self.build.banks) > 1


def open_bench(build_id: int) -> Bench:
    """Load a build as kept."""
    return _open(build_id, heads.head(reading(), build_id))


# long: what it puts together is told field by field, a line each
def _open(build_id: int, head: heads.Head) -> Bench:
    known = kept_builds()
    key = Key(
        database=database(),
        build=build_id,
        version=head.version,
        fact=head.fact,
        gauges=head.gauges,
        moment=head.changed_at,
    )
    kept = known.find(key, head)
    if kept is None:
        stored = builds.load(db(), build_id)
        read = known.facts(key.database, build_id)
        # The build may have come to more since the head was asked: what is kept says what it holds.
        read = read.extended(facts.since(db(), build_id, read.seq)) if head.fact > read.seq else read
        register = gauges.register(db()) if read.seq else None
        kept = keep(stored.document, read, register.gauges if register else None)
        known.put(
            key._replace(
                version=stored.version,
                fact=read.seq,
                gauges=register.newest if register else head.gauges,
                moment=stored.changed_at,
            ),
            kept,
        )
    else:
        stored = StoredBuild(
            id=build_id,
            version=head.version,
            stage=head.stage,
            document=kept.document,
            shop_rules=head.shop_rules,
            changed_at=head.changed_at,
            changed_by=head.changed_by,
        )
    rules = kept.once(
        ("rules", tuple(stored.shop_rules.items())), lambda: rules_for(kept.build.school, stored.shop_rules)
    )
    return Bench(stored=stored, build=kept.build, rules=rules, reader=reader(), kept=kept)


def bench_with(build_id: int, noted: Mapping[int, Record]) -> tuple[Bench, Callable[[], None]]:
    """Load a build with what this request just noted of it, in the same transaction.

    Parameters
    ----------
    build_id : int
        The build, held.
    noted : Mapping
        By their numbers, as they were understood where they came in: none is read again.

    Returns
    -------
    bench, keep : Bench, callable
        Call ``keep`` once the transaction is committed: from then on this process has it.
    """
    known = kept_builds()
    stored = builds.load(db(), build_id)
    read = known.facts(database(), build_id)
    read = read.extended(facts.since(db(), build_id, read.seq, noted))
    register = gauges.register(db())
    kept = keep(stored.document, read, register.gauges)
    key = Key(
        database=database(),
        build=build_id,
        version=stored.version,
        fact=read.seq,
        gauges=register.newest,
        moment=stored.changed_at,
    )
    rules = rules_for(kept.build.school, stored.shop_rules)
    bench = Bench(stored=stored, build=kept.build, rules=rules, reader=reader(), kept=kept)
    return bench, lambda: known.put(key, kept)


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
        hoped = kept_builds().newest(database(), build_id)
        done = work(_open(build_id, hoped)) if hoped is not None else None
        head = asked.answer()
    if head == hoped and done is not None:
        return done
    return work(_open(build_id, head))


def with_plan(bench: Bench, planned: tuple[Operation, ...]) -> Bench:
    """Return the bench with another plan on it, not kept."""
    return replace(bench, build=replace(bench.build, planned=planned), pending=True)


def engine_line(build: Build, document: Mapping[str, Any], state: State | None) -> str:
    """Return the engine in a few words: family, layout, displacement."""
    family = document["engine"].get("family") or ""
    holes = len(build.cylinders)
    words = "single" if holes == 1 else f"{build.layout} {holes}"
    parts = [f"{family} {words}".strip()]
    if state is not None and state.displacement_cc is not None:
        parts.append(f"{figure(state.displacement_cc, 0)} cc")
    return " · ".join(parts)


# What is said where a bench would put a cut on the plan of which passes are logged already.
BEGUN = "Passes are logged on what this would cut: plan what is still to come on the Plan bench."


def is_begun(bench: Bench, op: str) -> bool:
    """Tell whether passes of a kind of cut are logged on a build: readings before and after tell of two states."""
    return any(one.place.op == op for one in bench.build.cuts.passes)
