"""The stated error of the estimate over four hundred shelves: too long for every run, printed and held here."""

from __future__ import annotations

import random

import pytest

from support.timing import WHOLE
from zygometra.core.mix.counting import count, estimate
from zygometra.core.mix.laid_out import QueryTables
from zygometra.core.mix.question import MixQuestion
from zygometra.core.mix.shelf import Block, shelf_of
from zygometra.core.mix.usual import USUAL
from zygometra.core.windows import Window
from zygometra.demo.shelf import demo_shelf

pytestmark = pytest.mark.timing
SHELVES = 400 if WHOLE else 3


def asked_of(made, question):
    return QueryTables(made, Block(made, question.block), USUAL, question)


def test_four_hundred_shelves_hold_their_stated_error():
    held = drawn = 0
    for seed in range(10_000):
        rng = random.Random(seed)
        made = shelf_of(demo_shelf(rng.choice((1500, 2500)), seed))
        code = rng.choice(made.tables["block"].codes[:12])
        low, ratio = rng.uniform(0.9, 1.2), rng.uniform(8, 11)
        windows = {
            "quench": Window(low, None, low + rng.choice((0.02, 0.1, 0.3))),
            "compression_ratio": Window(ratio, None, ratio + rng.choice((0.1, 0.3, 1.0))),
        }
        laid_out = asked_of(made, MixQuestion(code, windows))
        found = estimate(laid_out, sample=60)
        if found.exact:
            continue
        assert found.error > 0
        held += abs(count(laid_out).recipes - found.recipes) <= 2 * found.error
        drawn += 1
        if drawn == SHELVES:
            break
    assert drawn == SHELVES
    print(f"\nthe stated error holds the truth in {held} of {drawn} shelves (95 in 100, two more or less)")
    assert not WHOLE or 0.93 <= held / drawn <= 0.97
