"""Who acts: the name under which something stands in the record, and an identity beside it.

Two people may go by one name; the identity tells them apart, and is what an account will
hang on. Rows from before there were identities have none.
"""

from __future__ import annotations

from typing import NamedTuple

MOST_NAME = 60


class Actor(NamedTuple):
    """One person at the bench.

    ``id`` is random and lasts as long as the person's cookie; None where something was
    done before there were identities, or by the program itself.
    """

    id: str | None
    name: str


def is_name(words: str) -> bool:
    """Tell whether words will do as a person's name: 1 to 60 printable characters.

    Parameters
    ----------
    words : str
        As typed, white space folded.

    Returns
    -------
    bool
        True where they will.

    Examples
    --------
    >>> is_name("Ada B"), is_name(""), is_name("A\\x07")
    (True, False, False)
    """
    return 0 < len(words) <= MOST_NAME and words.isprintable()


class Entry(NamedTuple):
    """What a change leaves in the record: who did it, what was done, and what kind of change it is."""

    actor: Actor
    says: str
    kind: str = "edit"
