"""A recipe with its doubt: the parts' typed figures put through the same evaluation as a build."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from ..build.model import Bank, Build, Operation
from ..place import Place
from ..quantity import Quantity, read_quantity
from ..sentence import Sentence
from ..stack.evaluate import evaluate
from ..uncertainty import Uncertainty
from ..units import Kind
from .judge import window_of
from .parts import MAKING, Part, needed_of
from .placeholders import STAND_IN
from .question import WANTED, MixQuestion
from .rules import FitRules, Machining
from .shelf import Block
from .verdict import Verdict

# Places of a build that a part's dimensions fill.
_BUILD_PLACES = {
    "block": ("deck_height",),
    "crank": ("stroke",),
    "rod": ("length",),
    "piston": (
        "compression_height",
        "crown_volume",
        "top_land_height",
        "top_land_diameter",
        "dish_area",
        "crown_thickness",
    ),
    "gasket": ("thickness", "bore", "opening_area"),
    "head": ("chamber_volume", "opening_area"),
}
# How well a shop grinds a stroke and bores a block: half-widths in mm.
_GROUND, _BORED = 0.03, 0.01


@dataclass(frozen=True, slots=True)
class RecipeStep:
    """One operation of a recipe in full: what, on how many, for how much, why, and what it changes."""

    machining: Machining
    pieces: int
    cost: int
    says: Sentence


@dataclass(frozen=True, slots=True)
class Recipe:
    """A recipe ready to be shown.

    Parameters
    ----------
    parts : Mapping
        The part of each kind, the block among them.
    verdict : Verdict
        What fits and what comes out.
    u, half : Mapping
        Standard uncertainty and half-width of the 95 % band of clearance, quench, ratio
        and displacement.
    crosses : tuple of str
        Windows whose edge the band reaches over while the result lies inside.
    operations : tuple
        What must be machined.
    to_buy : Mapping
        How many of each part are not in hand; only those that are wanting.
    weight : float or None
        Of crank, rods and pistons in g; None where one is not known.
    document : dict
        The recipe as a build document.
    asked : bool
        Whether any window was asked for.
    """

    parts: Mapping[str, Part]
    verdict: Verdict
    u: Mapping[str, float]
    half: Mapping[str, float]
    crosses: tuple[str, ...]
    operations: tuple[RecipeStep, ...]
    to_buy: Mapping[str, int]
    weight: float | None
    document: dict[str, Any]
    asked: bool

    @property
    def key(self) -> str:
        """The codes of its parts, crank to head, as an address carries them."""
        return "~".join(self.parts[kind].code for kind in MAKING)


Fetch = Callable[[str, str], Part]


# long: what it puts together is told field by field, a line each
def recipe_in_full(
    block: Block, rules: FitRules, question: MixQuestion, verdict: Verdict, parts: Mapping[str, Part]
) -> Recipe:
    """Put a verdict together with its parts: doubt, what it costs to make, what is wanting.

    Parameters
    ----------
    block : Block
        The question's block.
    rules : FitRules
        In force.
    question : MixQuestion
        The windows.
    verdict : Verdict
        With results.
    parts : Mapping
        The part of each kind, the block among them, with typed figures.

    Returns
    -------
    Recipe
        In full.
    """
    results = verdict.results
    assert results is not None
    document = document_of(block, verdict, parts)
    outcome = evaluate(_build(document, block, parts)).planned
    hole = outcome.holes[0].outcome
    spreads = {
        "deck_clearance": hole.doubts.deck_clearance,
        "quench": hole.doubts.quench,
        "compression_ratio": hole.doubts.compression_ratio,
        "displacement": Uncertainty(outcome.displacement_u),
    }
    u = {key: spread.u for key, spread in spreads.items()}
    half = {key: spread.half for key, spread in spreads.items()}
    # The floor of the rods stands whatever is asked.
    floor = question.floor(parts["rod"].texts.get("material", ""))
    crosses = [
        key
        for key, reach in half.items()
        if key not in verdict.outside
        and (value := results.value(key)) is not None
        and window_of(question, key, floor).side(value, reach).crosses
    ]
    operations = tuple(
        RecipeStep(rules.machinings[job.machining], job.pieces, job.cost, job.says) for job in verdict.jobs
    )
    needed = {kind: needed_of(kind, block.cylinders, block.banks) for kind in MAKING}
    to_buy = {
        kind: needed[kind] - parts[kind].in_hand for kind in MAKING if needed[kind] > parts[kind].in_hand
    }
    asked = any(question.window(w.key).is_bounded for w in WANTED)
    return Recipe(
        parts=parts,
        verdict=verdict,
        u=u,
        half=half,
        crosses=tuple(crosses),
        operations=operations,
        to_buy=to_buy,
        weight=_weight(parts, needed),
        document=document,
        asked=asked,
    )


def _weight(parts: Mapping[str, Part], needed: Mapping[str, int]) -> float | None:
    total = 0.0
    for kind in ("crank", "rod", "piston"):
        quantity = parts[kind].quantity("weight")
        if quantity is None:
            return None
        total += needed[kind] * quantity.value
    return total


# long: one document, written from top to bottom
def document_of(block: Block, verdict: Verdict, parts: Mapping[str, Part]) -> dict[str, Any]:
    """Return the recipe as a build document, figures as typed, each part's code beside them.

    Parameters
    ----------
    block : Block
        The block.
    verdict : Verdict
        With results.
    parts : Mapping
        The part of each kind, the block among them.

    Returns
    -------
    dict
        A valid build document. A stroke that is ground and a bore that is bored stand
        as assumed, with what a shop holds; a crown that is faced is a planned cut.
    """
    results = verdict.results
    assert results is not None
    out: dict[str, Any] = {kind: {} for kind in _BUILD_PLACES}
    for kind, names in _BUILD_PLACES.items():
        for name in names:
            if (typed := parts[kind].figures.get(name)) is not None:
                out[kind][name] = typed
        out[kind]["x-part"] = parts[kind].code
        if parts[kind].code == STAND_IN:
            del out[kind]
    bored = any(job.effect == "bore" for job in verdict.jobs)
    out["block"]["bore"] = _to_make(results.bore, _BORED) if bored else parts["block"].figures["bore"]
    drawn = parts["crank"].quantity("stroke")
    if drawn is None or abs(drawn.value - results.stroke) > 1e-9:
        out["crank"]["stroke"] = _to_make(results.stroke, _GROUND)
    material = parts["rod"].texts.get("material", "")
    if material in ("steel", "titanium", "aluminium"):
        out["rod"]["material"] = material
    if "gasket" in out:
        out["gasket"]["name"] = parts["gasket"].name or parts["gasket"].code
    texts = parts["block"].texts
    layout = texts.get("layout") if texts.get("layout") in ("inline", "vee", "flat") else None
    if layout is None:
        layout = "inline" if block.banks == 1 else "vee"
    engine: dict[str, Any] = {
        "layout": layout,
        "bank_angle": {"inline": 0, "flat": 180}.get(layout, 90),
        "banks": _banks(block),
    }
    if texts.get("family"):
        engine["family"] = texts["family"]
    if (pitch := parts["block"].figures.get("bore_pitch")) is not None:
        engine["bore_pitch"] = pitch
    document: dict[str, Any] = {
        "format": "zygometra.build",
        "version": 1,
        "name": f"{texts.get('family') or 'Recipe'} mix",
        "school": "paper-first",
        "engine": engine,
        "parts": out,
    }
    if results.crown_cut:
        document["planned"] = [{"op": "crown_cut", "amount": f"{round(results.crown_cut, 6)} mm"}]
        # A crown is faced only where somebody said that nothing stands above its rim.
        said = parts["piston"].figures.get("dome_height")
        nothing = {"value": 0, "unit": "mm", "basis": "assumed"}
        out["piston"]["above_rim"] = nothing if said is None else said
    return document


def _to_make(value: float, half_width: float) -> dict[str, Any]:
    return {"value": round(value, 9), "unit": "mm", "basis": "assumed", "plus_minus": half_width}


def _banks(block: Block) -> list[dict[str, Any]]:
    numbers = list(range(1, block.cylinders + 1))
    if block.banks == 1:
        return [{"name": "A", "cylinders": numbers}]
    names = ("left", "right", "third", "fourth")
    return [{"name": names[i], "cylinders": numbers[i :: block.banks]} for i in range(block.banks)]


def _build(document: dict[str, Any], block: Block, parts: Mapping[str, Part]) -> Build:
    """The build of a recipe's document: every cylinder alike, so one bank is enough to know its doubt."""
    figures: dict[str, Quantity] = {}
    for kind, names in _BUILD_PLACES.items():
        for name in names:
            if (quantity := parts[kind].quantity(name)) is not None:
                figures[f"parts.{kind}.{name}"] = quantity
    for place in ("parts.block.bore", "parts.crank.stroke"):
        _, kind, name = Place.engine(place).keys
        figures[place] = read_quantity(document["parts"][kind][name], Kind.LENGTH, dimension=name)
    planned: tuple[Operation, ...] = ()
    if document.get("planned"):
        amount = read_quantity(document["planned"][0]["amount"], Kind.LENGTH, dimension="crown_cut")
        planned = (Operation("crown_cut", amount=amount),)
    numbers = tuple(range(1, block.cylinders + 1))
    return Build("recipe", "inline", (Bank("A", numbers),), figures, planned=planned)
