"""A recipe goes into a build: what it replaces there, what of the build stays, and what it aims at."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from .parts import STAND_INS
from .question import WANTED_KEY, MixQuestion

# What a head's own drawing says of its chamber's opening: a recipe's head has no word for it.
_OF_THE_OPENING = ("opening_perimeter", "wall_draft")
# Figures of the old parts, bank by bank and hole by hole, and the cuts planned on them.
_OF_OLD_PARTS = ("parts", "planned", "banks", "cylinders")
_AIMED_AT = ("compression_ratio", "quench", "deck_clearance")


def with_recipe(known: Mapping[str, Any], recipe: Mapping[str, Any]) -> dict[str, Any]:
    """Return a build's document with a recipe's parts in place of its own.

    Parameters
    ----------
    known : Mapping
        The build's document.
    recipe : Mapping
        The recipe's document, its ``targets`` among them.

    Returns
    -------
    dict
        The build's name, engine, school, gaskets and targets stay; figures measured on
        the old parts fall away with them. A build without targets takes the recipe's.
    """
    out = {key: value for key, value in known.items() if key not in _OF_OLD_PARTS}
    head = (known.get("parts") or {}).get("head") or {}
    opening = {key: head[key] for key in _OF_THE_OPENING if key in head}
    out["parts"] = {**recipe["parts"]}
    if "head" in recipe["parts"]:
        out["parts"]["head"] = {**opening, **recipe["parts"]["head"]}
    # What a recipe on paper leaves open stays as it is in the build.
    out["parts"] |= {
        kind: part
        for kind, part in (known.get("parts") or {}).items()
        if kind in STAND_INS and kind not in recipe["parts"]
    }
    if recipe.get("planned"):
        out["planned"] = recipe["planned"]
    if "targets" not in out and recipe.get("targets"):
        out["targets"] = recipe["targets"]
    return out


def targets_of(question: MixQuestion) -> dict[str, Any]:
    """Return a question's windows of ratio, quench and deck clearance as a build's targets.

    Parameters
    ----------
    question : MixQuestion
        With windows.

    Returns
    -------
    dict
        Only edges and aims that were asked; lengths with their unit.

    Examples
    --------
    >>> from ..windows import Window
    >>> targets_of(MixQuestion("BL-001", {"quench": Window(0.95, 1.1, None)}))
    {'quench': {'min': '0.95 mm', 'aim': '1.1 mm'}}
    """
    out: dict[str, Any] = {}
    for key in _AIMED_AT:
        window, unit = question.window(key), WANTED_KEY[key].unit
        edges = {"min": window.low, "aim": window.aim, "max": window.high}
        asked = {name: round(value, 6) for name, value in edges.items() if value is not None}
        if asked:
            out[key] = {name: f"{value} {unit}" for name, value in asked.items()} if unit else asked
    return out
