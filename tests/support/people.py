"""Who does things in the tests: one identity a name."""

from __future__ import annotations

from zygometra.core.actors import Actor, Entry


def someone(name):
    """Return the actor of a name; the same name is the same person."""
    return Actor(f"id-of-{name}", name)


def by(name, says="x"):
    """Return what someone's change leaves in the record."""
    return Entry(someone(name), says)
