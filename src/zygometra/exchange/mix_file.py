"""The question to the shelf and its answer, as JSON: open formats, checked like build files."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping
from typing import Annotated, Any

from zygometra.core.errors import BuildFaults, QuantityError, shown
from zygometra.core.house_rules import rules_for
from zygometra.core.mix.counting import Count, count, estimate
from zygometra.core.mix.judge import judge
from zygometra.core.mix.laid_out import QueryTables
from zygometra.core.mix.parts import MAKING, Part
from zygometra.core.mix.placeholders import STAND_IN, stand_in, with_stand_ins
from zygometra.core.mix.question import PRIORITIES, WANTED_KEY, MixQuestion, Priority, limits_of
from zygometra.core.mix.reasons import Emptiness, cannot_be_judged, miss_words, why_none
from zygometra.core.mix.recipe import Recipe, recipe_in_full
from zygometra.core.mix.rules import FitRules
from zygometra.core.mix.searching import best
from zygometra.core.mix.shelf import Block, Shelf
from zygometra.core.mix.verdict import Combination, open_results
from zygometra.core.quantity import Unstated, read_quantity
from zygometra.core.records import Record, Wrong
from zygometra.core.slots import Anything, Flag, Slot
from zygometra.core.typed import plain_number
from zygometra.core.units import Kind
from zygometra.core.windows import Window

from .build_file import document_from_text

_LENGTHS = ("deck_clearance", "quench")
_EXAMPLES = {"compression_ratio": "9.8", "rod_ratio": "1.7", "piston_speed": "18", "cost": "1500"}
MOST_RECIPES = 1000


def read_question(text: str | bytes) -> tuple[MixQuestion, str]:
    """Read a question file.

    Parameters
    ----------
    text : str or bytes
        JSON, ``zygometra.mix-question`` version 1.

    Returns
    -------
    question : MixQuestion
        With the quench floors of the school it names.
    count : str
        ``exact``, ``estimate`` or ``none``: how the recipes are to be counted.

    Raises
    ------
    BuildFaults
        With every fault found, by place.
    """
    return question_of(document_from_text(text))


class _Only(Slot):
    """What a test lets through; whatever else stands there is told what is wanted."""

    null = False

    def __init__(self, good: Callable[[Any], bool], wanted: str) -> None:
        self.good, self.wanted = good, wanted
        self.missing = wanted

    def read(self, raw: Any, _unstated: Unstated) -> Any:
        """Return it as it stands."""
        if not self.good(raw):
            raise QuantityError(shown(raw), self.wanted)
        return raw


class _Windows(Slot):
    """Windows by result: least, aim and most, any of them."""

    null = False

    def read(self, raw: Any, _unstated: Unstated) -> dict[str, Window]:
        """Return the windows, their edges in base units."""
        if not isinstance(raw, dict):
            raise QuantityError(shown(raw), "windows by result: " + ", ".join(WANTED_KEY))
        wrong: list[tuple[str, str, str]] = []
        found = {}
        for key, edges in raw.items():
            if key not in WANTED_KEY:
                wrong.append((f".{key}", f"the key {shown(key)}", "one of " + ", ".join(WANTED_KEY)))
            elif not isinstance(edges, dict) or not set(edges) <= {"min", "aim", "max"}:
                wrong.append((f".{key}", shown(edges), "min, aim and max, any of them"))
            else:
                found[key] = _window(key, edges, wrong)
        if wrong:
            raise Wrong(wrong)
        return found


def _window(key: str, edges: Mapping[str, Any], wrong: list[tuple[str, str, str]]) -> Window:
    read: dict[str, float | None] = dict.fromkeys(("min", "aim", "max"))
    for name, value in edges.items():
        try:
            read[name] = edge_of(key, value)
        except QuantityError as error:
            wrong.append((f".{key}.{name}", error.found, error.wanted))
    given = [value for value in read.values() if value is not None]
    if given != sorted(given):
        wrong.append((f".{key}", "edges out of order", "min, aim, max from small to large"))
    return Window(read["min"], read["aim"], read["max"])


_FORMAT = "zygometra.mix-question"


_NAME = _Only(lambda v: v == _FORMAT, _FORMAT)
_VERSION = _Only(lambda v: v == 1 and not isinstance(v, bool), "1, the version this reader knows")
_BLOCK = _Only(lambda v: isinstance(v, str) and 0 < len(v) <= 40, "the code of a block, such as BL-001")
_RPM = _Only(lambda v: _number(v) and 0 < v <= 30000, "a crank speed above nought, up to 30000")
_PRIORITY = _Only(lambda v: isinstance(v, str) and v in PRIORITIES, "one of " + ", ".join(PRIORITIES))
_BEST = _Only(
    lambda v: isinstance(v, int) and not isinstance(v, bool) and 0 < v <= MOST_RECIPES,
    f"a whole number from 1 to {MOST_RECIPES}",
)
_MACHINING = _Only(lambda v: v is None or _texts(v), "a list of operations; leave it out for all")
_USE = _Only(
    lambda v: isinstance(v, dict) and set(v) <= set(MAKING) and _texts(list(v.values())),
    "codes by kind: " + ", ".join(MAKING),
)
_SCHOOL = _Only(lambda v: isinstance(v, str), "a school, such as paper-first")
_COUNT = _Only(lambda v: v in ("exact", "estimate", "none"), "exact, estimate or none")


class QuestionFile(Record, frozen=True, kw_only=True, eq=False):
    """A question to the shelf, version 1."""

    format: Annotated[str, _NAME]
    version: Annotated[int, _VERSION]
    name: Annotated[Any, Anything()] = ""
    block: Annotated[str, _BLOCK]
    windows: Annotated[dict[str, Window], _Windows()] = {}
    rpm: Annotated[float, _RPM] = 5500.0
    priority: Annotated[Priority, _PRIORITY] = "cheapest"
    best: Annotated[int, _BEST] = 50
    only_in_hand: Annotated[bool, Flag(null=False)] = False
    machining: Annotated[list[str] | None, _MACHINING] = None
    use: Annotated[dict[str, str], _USE] = {}
    school: Annotated[str, _SCHOOL] = ""
    count: Annotated[str, _COUNT] = "exact"

    @classmethod
    def unknown(cls, key: str) -> tuple[str, str]:
        """Return what is said of a key that no question has."""
        return f"the key {shown(key)}", "one of " + ", ".join(cls.fields())


def question_of(document: Mapping[str, Any]) -> tuple[MixQuestion, str]:
    """Check a question document and return the question; raises :class:`BuildFaults`."""
    try:
        asked = QuestionFile.read(dict(document))
    except Wrong as error:
        raise BuildFaults(list(error.at(""))) from None
    question = MixQuestion(
        block=asked.block,
        windows=asked.windows,
        rpm=float(asked.rpm),
        priority=asked.priority,
        best=asked.best,
        only_in_hand=asked.only_in_hand,
        machining=None if asked.machining is None else frozenset(asked.machining),
        use=dict(asked.use),
        **limits_of(rules_for(asked.school), float(asked.rpm)),
    )
    return question, asked.count


def _number(value: Any) -> bool:
    return isinstance(value, (int, float)) and not isinstance(value, bool) and value == value


def _texts(value: Any) -> bool:
    return isinstance(value, list) and all(isinstance(item, str) for item in value)


def edge_of(key: str, value: Any) -> float:
    """Return an edge of a window in base units.

    Parameters
    ----------
    key : str
        The result.
    value : float or str
        A bare number in the result's unit; a length or a volume may bear its own.

    Returns
    -------
    float
        In mm, cc, m/s, the shop's money, or a plain ratio.

    Raises
    ------
    QuantityError
        If it cannot be understood or is not possible.

    Examples
    --------
    >>> edge_of("quench", "40 thou"), edge_of("cost", 900)
    (1.016, 900.0)
    """
    if key in _LENGTHS:
        return read_quantity(value, Kind.LENGTH, dimension="target", low=-50, high=200).value
    if key == "displacement":
        return read_quantity(value, Kind.VOLUME, dimension="target", low=0, high=5_000_000).value
    if isinstance(value, str):
        value = plain_number(value, f"a number for the {WANTED_KEY[key].label}, such as {_EXAMPLES[key]}")
    low = 1.0 if key == "compression_ratio" else 0.0
    if not _number(value) or not low <= value <= 1e7:
        raise QuantityError(shown(value), f"a {WANTED_KEY[key].label} of {low:g} or more")
    return float(value)


# -- the answer -----------------------------------------------------------------------


def answer_document(
    shelf: Shelf, rules: FitRules, question: MixQuestion, counted: str, part: Callable[[str, str], Part]
) -> dict[str, Any]:
    """Ask the shelf and return the answer as a document.

    Parameters
    ----------
    shelf : Shelf
        The shelf.
    rules : FitRules
        In force.
    question : MixQuestion
        What is asked.
    counted : str
        How the recipes are to be counted.
    part : callable
        From kind and code to the part with its typed figures.

    Returns
    -------
    dict
        ``zygometra.mix-answer`` version 1.

    Raises
    ------
    QuantityError
        If the shelf has no such block.
    """
    shelf = with_stand_ins(shelf)
    block = Block(shelf, question.block)
    laid_out = QueryTables(shelf, block, rules, question)
    found = best(laid_out)
    number = count(laid_out) if counted == "exact" else estimate(laid_out) if counted == "estimate" else None
    recipes = [full_recipe(laid_out, recipe, part) for recipe in found.recipes]
    out: dict[str, Any] = {
        "format": "zygometra.mix-answer",
        "version": 1,
        "block": question.block,
        "count": None if number is None else count_document(number),
        "recipes": [recipe_document(recipe) for recipe in recipes],
        "cannot_be_judged": [
            {"kind": kind, "part": code, "missing": list(missing)}
            for kind, code, missing in cannot_be_judged(laid_out)
        ],
        "none_because": None,
    }
    if not recipes:
        out["none_because"] = _none_document(laid_out, why_none(laid_out))
    return out


def full_recipe(laid_out: QueryTables, recipe: Combination, part: Callable[[str, str], Part]) -> Recipe:
    """Return one recipe of a shelf laid out in full, its parts fetched."""
    verdict = judge(
        laid_out.shelf, laid_out.block, rules=laid_out.rules, question=laid_out.question, recipe=recipe
    )
    parts = {
        kind: stand_in(kind) if code == STAND_IN else part(kind, code)
        for kind, row in zip(MAKING, recipe, strict=True)
        for code in (laid_out.shelf.tables[kind].codes[row],)
    }
    return recipe_in_full(
        laid_out.block,
        laid_out.rules,
        question=laid_out.question,
        verdict=verdict,
        parts=parts | {"block": part("block", laid_out.block.code)},
    )


def count_document(number: Count) -> dict[str, Any]:
    """Return a count as a document; an estimate with its standard error."""
    if number.exact:
        return {"recipes": int(number.recipes), "exact": True}
    return {"recipes": round(number.recipes), "exact": False, "standard_error": round(number.error)}


def recipe_document(recipe: Recipe) -> dict[str, Any]:
    """Return one recipe as a document, numbers unrounded."""
    r = recipe.verdict.results
    assert r is not None
    return {
        "parts": {kind: recipe.parts[kind].code for kind in MAKING if recipe.parts[kind].code != STAND_IN},
        "stroke_mm": r.stroke,
        "bore_mm": r.bore,
        "crown_cut_mm": r.crown_cut,
        "deck_clearance_mm": r.deck_clearance,
        "quench_mm": r.quench,
        "compression_ratio": r.compression_ratio,
        "displacement_cc": r.displacement,
        "rod_ratio": r.rod_ratio,
        "piston_speed_m_s": r.piston_speed,
        "clearance_cc": r.clearance_volume,
        "cost": r.value("cost"),
        "known_cost": r.known_cost / 100,
        "weight_g": recipe.weight,
        "u": dict(recipe.u),
        "crosses": list(recipe.crosses),
        "machining": [
            {
                "operation": step.machining.key,
                "part": step.machining.part,
                "pieces": step.pieces,
                "cost": step.cost / 100,
                "says": str(step.says),
                "changes": step.machining.changes,
            }
            for step in recipe.operations
        ],
        "to_buy": dict(recipe.to_buy),
        "not_checked": [
            *({"rule": fit.rule.key, "missing": list(fit.missing)} for fit in recipe.verdict.unchecked),
            *(
                {"result": key, "missing": list(places)}
                for key, places in open_results(recipe.verdict).items()
            ),
        ],
    }


def _none_document(laid_out: QueryTables, why: Emptiness) -> dict[str, Any]:
    nearest = None
    if why.nearest is not None and why.nearest.verdict.results is not None:
        r = why.nearest.verdict.results
        nearest = {
            "parts": {
                kind: laid_out.shelf.tables[kind].codes[row]
                for kind, row in zip(MAKING, why.nearest.verdict.recipe, strict=True)
            },
            "misses": dict(why.nearest.misses),
            "says": "; ".join(str(miss_words(key, by)) for key, by in why.nearest.misses.items()),
            "deck_clearance_mm": r.deck_clearance,
            "quench_mm": r.quench,
            "compression_ratio": r.compression_ratio,
            "displacement_cc": r.displacement,
            "cost": r.value("cost"),
        }
    return {
        "parts": [
            {
                "kind": a.kind,
                "on_shelf": a.on_shelf,
                "left": a.left,
                "refused": dict(a.refused),
                "missing": dict(a.missing),
            }
            for a in why.parts
        ],
        "pairs_of_crank_and_rod": why.pairs,
        "without_window": [{"window": o.window, **count_document(o.count)} for o in why.openings],
        "nearest_miss": nearest,
    }


def to_json(document: Mapping[str, Any]) -> str:
    """Return a document as text."""
    return json.dumps(document, indent=1, ensure_ascii=False)
