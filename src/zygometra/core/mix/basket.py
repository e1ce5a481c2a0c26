"""What a recipe wants to be built: its parts, and what belongs to them; how many, and what is there."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from ..build.document import read_document
from ..findings.collect import findings
from ..house_rules import HouseRules
from ..place import PartPlace
from ..sentence import Sentence
from ..stack.evaluate import evaluate
from ..wording import Reader
from .parts import KIND, MAKING, Part, needed_of
from .placeholders import STAND_IN
from .question import WANTED
from .recipe import Recipe
from .shelf import Block

# What belongs to the parts: kind, what it is for, the word it must bear, and the measures
# that must be the same on both sides to within so many mm.
_BELONGS: tuple[tuple[str, str, tuple[str, str], tuple[tuple[str, str], ...], float], ...] = (
    ("bearing", "rod bearings", ("place", "rod"), (("journal", "rod.journal_diameter"),), 0.02),
    ("bearing", "main bearings", ("place", "main"), (("journal", "block.main_diameter"),), 0.02),
    ("ring_set", "ring sets", ("", ""), (("bore", "piston.bore"),), 0.05),
    ("fastener", "head bolts", ("place", "head"), (), 0.0),
    ("pushrod", "pushrods, length to be measured", ("", ""), (), 0.0),
)
_BY_PATTERN = ("fastener", "pushrod")


@dataclass(frozen=True, slots=True)
class Item:
    """One line of a basket.

    ``part`` is None where the shelf has nothing that suits; ``to_buy`` is how many are
    still wanted, ``cost`` what those cost in hundredths (None where not known).
    """

    what: str
    part: Part | None
    needed: int
    on_shelf: int
    to_buy: int
    cost: int | None
    lead_days: int | None


def basket(recipe: Recipe, block: Block, supporting: Iterable[Part]) -> tuple[Item, ...]:
    """Return everything to buy or to find for a recipe.

    Parameters
    ----------
    recipe : Recipe
        In full.
    block : Block
        Its block.
    supporting : iterable of Part
        Bearings, ring sets, fasteners, pushrods of the shelf.

    Returns
    -------
    tuple of Item
        The five parts, then what belongs to them: in hand before cheapest.
    """
    items = [
        _item(KIND[kind].label, recipe.parts[kind], needed_of(kind, block.cylinders, block.banks))
        for kind in MAKING
        if recipe.parts[kind].code != STAND_IN
    ]
    known = list(supporting)
    for kind, what, (word, wanted), same, within in _BELONGS:
        suits = [
            p
            for p in known
            if p.kind == kind
            and (not word or p.texts.get(word) == wanted)
            and _matches(p, recipe.parts, same, within)
        ]
        needed = needed_of(kind, block.cylinders, block.banks)
        if kind == "bearing" and wanted == "main":
            needed = main_bearings(block)
        best = min(
            suits,
            key=lambda p: (p.in_hand < needed, p.price if p.price is not None else 10**9, p.code),
            default=None,
        )
        items.append(_item(what, best, needed))
    return tuple(items)


def main_bearings(block: Block) -> int:
    """Return how many main bearings a block has: as its own figure says, else one more than cylinders in a bank.

    Parameters
    ----------
    block : Block
        The block.
    """
    own = block.values["main_bearings"]
    return block.cylinders // block.banks + 1 if math.isnan(own) else int(own)


def _matches(part: Part, parts: Mapping[str, Part], same: tuple[tuple[str, str], ...], within: float) -> bool:
    if part.kind in _BY_PATTERN and part.texts.get("head_pattern") != parts["block"].texts.get(
        "head_pattern"
    ):
        return False
    for own, place in same:
        kind, name = PartPlace.parse(place)
        mine, theirs = part.quantity(own), parts[kind].quantity(name)
        if mine is None or theirs is None or abs(mine.value - theirs.value) > within:
            return False
    return True


def _item(what: str, part: Part | None, needed: int) -> Item:
    if part is None:
        return Item(what=what, part=None, needed=needed, on_shelf=0, to_buy=needed, cost=None, lead_days=None)
    to_buy = max(needed - part.in_hand, 0)
    cost = None if part.price is None and to_buy else to_buy * (part.price or 0)
    return Item(
        what=what,
        part=part,
        needed=needed,
        on_shelf=part.in_hand,
        to_buy=to_buy,
        cost=cost,
        lead_days=part.lead_days if to_buy else 0,
    )


def total_of(items: Iterable[Item]) -> tuple[int, int, bool]:
    """Return cost in hundredths, the longest lead time in days, and whether all is known.

    Parameters
    ----------
    items : iterable of Item
        Lines of a basket.
    """
    cost, lead, known = 0, 0, True
    for item in items:
        if item.part is None or item.cost is None or (item.to_buy and item.lead_days is None):
            known = False
        cost += item.cost or 0
        lead = max(lead, item.lead_days or 0)
    return cost, lead, known


def stack_fails(recipe: Recipe, rules: HouseRules, reader: Reader | None = None) -> list[str]:
    """Return what stands against a recipe on paper: while anything does, nothing is ordered unsigned.

    Parameters
    ----------
    recipe : Recipe
        In full.
    rules : HouseRules
        In force.
    reader : Reader, optional
        Who reads; left out, the sentences are those that a signature is held against.

    Returns
    -------
    list of str
        Rules of fit, windows, and the stops of its evaluation as a build.
    """
    write = reader or Reader()
    out = [f"does not fit: {fit.says.written(write)}" for fit in recipe.verdict.refused]
    names = {wanted.key: Sentence(wanted.words).written(write) for wanted in WANTED}
    out += [f"outside its window: {names.get(key, key)}" for key in recipe.verdict.outside]
    build = read_document(recipe.document)
    out += [f.says for f in findings(build, evaluate(build), rules, write) if f.severity == "stop"]
    return out
