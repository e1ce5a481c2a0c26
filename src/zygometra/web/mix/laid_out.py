"""The shelf as this process knows it: read once, laid out once for each question, until something changes."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Hashable
from threading import Lock

from sqlalchemy.orm import Session

from zygometra.core.mix.laid_out import LaidOut
from zygometra.core.mix.question import Question
from zygometra.core.mix.rules import FitRules
from zygometra.core.mix.shelf import Block, Shelf
from zygometra.store import fit_rules
from zygometra.store import shelf as store

_LOCK = Lock()
_SHELF: dict[tuple[str, int, int], tuple[Shelf, FitRules]] = {}
_BENCHES: OrderedDict[Hashable, LaidOut] = OrderedDict()
_MOST_BENCHES = 12


def shelf_and_rules(session: Session) -> tuple[Shelf, FitRules, tuple[str, int, int]]:
    """Return the present shelf and rules of fit, and what numbers them."""
    bind = session.get_bind()
    number = (str(getattr(bind, "url", "")), *store.number(session))
    with _LOCK:
        known = _SHELF.get(number)
    if known is None:
        known = (store.read_shelf(session), fit_rules.in_force(session))
        with _LOCK:
            _SHELF.clear()
            _SHELF[number] = known
            _BENCHES.clear()
    return *known, number


def lay_out(session: Session, question: Question) -> LaidOut:
    """Return the shelf laid out for a question; raises QuantityError where there is no such block."""
    shelf, rules, _ = shelf_and_rules(session)
    key = key_for(session, question)
    with _LOCK:
        laid_out = _BENCHES.get(key)
    if laid_out is None:
        with _LOCK:
            akin = [
                known
                for known in _BENCHES.values()
                if known.shelf is shelf and known.block.code == question.block
            ]
        laid_out = (
            akin[-1].asked(question)
            if akin
            else LaidOut(shelf, Block(shelf, question.block), rules, question)
        )
        with _LOCK:
            _BENCHES[key] = laid_out
            while len(_BENCHES) > _MOST_BENCHES:
                _BENCHES.popitem(last=False)
    return laid_out


def key_for(session: Session, question: Question) -> Hashable:
    """Return what tells this question, asked of the present shelf and rules, from every other."""
    _, _, number = shelf_and_rules(session)
    return number, _key(question)


def _key(question: Question) -> Hashable:
    return (
        question.block,
        tuple(sorted(question.windows.items())),
        question.rpm,
        question.priority,
        question.best,
        question.only_in_hand,
        question.machining,
        tuple(sorted(question.use.items())),
        tuple(sorted(question.quench_floor.items())),
        question.crown_limit,
        question.clean_up,
    )
