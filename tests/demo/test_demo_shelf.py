"""The made-up shelf: believable, with near-fits and traps in it, and no two codes alike."""

from __future__ import annotations

from collections import Counter

import pytest

from zygometra.core.mix.counting import count
from zygometra.core.mix.joins import Join
from zygometra.core.mix.judge import judge
from zygometra.core.mix.laid_out import QueryTables
from zygometra.core.mix.parts import KIND
from zygometra.core.mix.question import MixQuestion
from zygometra.core.mix.searching import best
from zygometra.core.mix.shelf import Block, shelf_of
from zygometra.core.mix.usual import USUAL
from zygometra.core.windows import Window
from zygometra.demo import PARTS, SEED
from zygometra.demo.shelf import demo_shelf

OURS = ("Tarnbeck", "Quillon", "Veldrin", "Pellam", "Ottermoor")


@pytest.fixture(scope="module")
def shelf():
    return shelf_of(demo_shelf(PARTS, SEED))


@pytest.fixture(scope="module")
def bench(shelf):
    return QueryTables(
        shelf, Block(shelf, "BL-001"), USUAL, MixQuestion("BL-001", {"quench": Window(0.9, None, 1.6)})
    )


@pytest.mark.parametrize("parts", [60, 500, 5000])
def test_there_are_as_many_parts_as_were_asked_for(parts):
    made = demo_shelf(parts, 1)
    assert len(made) == pytest.approx(parts, rel=0.05)
    assert max(Counter((p.kind, p.code) for p in made).values()) == 1


def test_too_small_a_shelf_is_refused():
    with pytest.raises(ValueError, match="at least 60"):
        demo_shelf(10, 1)


@pytest.mark.parametrize("number", range(1, 6))
def test_each_of_our_engines_can_be_built_from_the_shelf(shelf, number):
    code = f"BL-{number:03d}"
    assert OURS[number - 1] in next(p for p in demo_shelf(PARTS, SEED) if p.code == code).name
    found = count(QueryTables(shelf, Block(shelf, code), USUAL, MixQuestion(code, {})))
    assert found.recipes > 0


def test_there_are_traps_far_down_the_hole_and_through_the_head(bench):
    free = MixQuestion(
        "BL-001", {"quench": Window(-8.0, None, 12.0)}, quench_floor={"": -8.0}, crown_limit=0.0
    )
    field = QueryTables(bench.shelf, bench.block, USUAL, free)
    rows = [
        r
        for pairs in Join(field, free.windows, None).pairs()
        for t in Join(field, free.windows, None).triples(pairs)
        for r in Join(field, free.windows, None).stacks(t)
    ]
    quench = [float(q) for piece in rows for q in piece["quench"]]
    assert min(quench) < 0 < 3 < max(quench)


def test_there_are_near_fits_that_want_machining(bench):
    jobs = Counter()
    for recipe in best(bench, 500).recipes:
        jobs.update(
            job.machining
            for job in judge(
                bench.shelf, bench.block, rules=USUAL, question=bench.question, recipe=recipe
            ).jobs
        )
    assert len(jobs) >= 3


def test_some_parts_lack_a_figure_without_which_they_cannot_be_judged(shelf):
    lacking = [
        p.code
        for p in demo_shelf(PARTS, SEED)
        for d in KIND[p.kind].dimensions
        if d.required and p.quantity(d.name) is None
    ]
    assert lacking
