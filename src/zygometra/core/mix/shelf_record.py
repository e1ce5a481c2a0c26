"""What is written into the record of the shelf and of its rules of fit."""

from __future__ import annotations

PUT_ON = "put on the shelf"
CHANGED = "changed"
TAKEN_OFF = "taken off the shelf"
RULES_CHANGED = "rules of fit changed"
RULES_USUAL = "back to the usual rules of fit"
# What stands against a part that is set to ordered by itself.
NO_STACK = "no stack on paper stands behind it"


def put_back_words(says: str) -> str:
    """Return what the record says where a part comes back to what it was before a change.

    Parameters
    ----------
    says : str
        What that change said.

    Returns
    -------
    str
        Such as ``put back as before: changed``.
    """
    return f"put back as before: {says}"


def ordered_words(block: str, recipe: str) -> str:
    """Return what the record says where a part is ordered for a recipe.

    Parameters
    ----------
    block, recipe : str
        The block's code, and the recipe's key.

    Returns
    -------
    str
        Such as ``ordered for BL-1: CR-1 RD-1 PS-1 GS-1 HD-1``.

    Examples
    --------
    >>> ordered_words("BL-1", "CR-1~RD-1")
    'ordered for BL-1: CR-1 RD-1'
    """
    return f"ordered for {block}: {recipe.replace('~', ' ')}"


def recipe_words(block: str, parts: str) -> str:
    """Return what the record of a build says where a recipe is taken into it.

    Parameters
    ----------
    block, parts : str
        The block's code, and the other parts in words.

    Returns
    -------
    str
        In words.
    """
    return f"recipe from the mix bench: block {block}, {parts}"


def part_about(kind: str, code: str) -> str:
    """Return what a signature for one part is about.

    Parameters
    ----------
    kind, code : str
        Of the part.

    Returns
    -------
    str
        Such as ``part rod RD-1``.
    """
    return f"part {kind} {code}"
