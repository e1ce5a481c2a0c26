"""The shelf as this process knows it: read once, laid out once for each question, until something changes."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Hashable
from threading import Lock

from flask import Flask, current_app
from sqlalchemy.orm import Session

from zygometra.core.mix.laid_out import QueryTables
from zygometra.core.mix.placeholders import with_stand_ins
from zygometra.core.mix.question import MixQuestion
from zygometra.core.mix.rules import FitRules
from zygometra.core.mix.shelf import Block, Shelf
from zygometra.store import fit_rules
from zygometra.store import shelf as store

from ..db import database

Number = tuple[str, int, int]
_MOST_QUESTIONS = 12


class KeptShelf:
    """The newest shelf that this process read, and the questions it was laid out for of late.

    A number names one state of the shelf and its rules for ever: when another is seen,
    what was kept goes. What is handed out is shared between threads and never altered.
    """

    def __init__(self) -> None:
        self._lock = Lock()
        self._number: Number | None = None
        self._shelf: tuple[Shelf, FitRules] | None = None
        self._laid_out: OrderedDict[Hashable, QueryTables] = OrderedDict()

    def shelf(self, session: Session) -> tuple[Shelf, FitRules, Number]:
        """Return the present shelf and rules of fit, and what numbers them."""
        number = (database(), *store.number(session))
        with self._lock:
            known = self._shelf if self._number == number else None
        if known is None:
            known = (with_stand_ins(store.read_shelf(session)), fit_rules.in_force(session))
            with self._lock:
                self._number, self._shelf = number, known
                self._laid_out.clear()
        return *known, number

    def laid_out(self, key: Hashable, shelf: Shelf, rules: FitRules, question: MixQuestion) -> QueryTables:
        """Return the shelf laid out for a question; one for the same block is shared as far as it goes."""
        with self._lock:
            found = self._laid_out.get(key)
            akin = [k for k in self._laid_out.values() if k.shelf is shelf and k.block.code == question.block]
        if found is not None:
            return found
        made = (
            akin[-1].asked(question)
            if akin
            else QueryTables(shelf, Block(shelf, question.block), rules, question)
        )
        with self._lock:
            self._laid_out[key] = made
            while len(self._laid_out) > _MOST_QUESTIONS:
                self._laid_out.popitem(last=False)
        return made


def init(app: Flask) -> None:
    """Give the application its kept shelf."""
    app.extensions["kept shelf"] = KeptShelf()


def _kept() -> KeptShelf:
    kept: KeptShelf = current_app.extensions["kept shelf"]
    return kept


def shelf_and_rules(session: Session) -> tuple[Shelf, FitRules, Number]:
    """Return the present shelf and rules of fit, and what numbers them."""
    return _kept().shelf(session)


def lay_out(session: Session, question: MixQuestion) -> QueryTables:
    """Return the shelf laid out for a question; raises QuantityError where there is no such block."""
    shelf, rules, number = shelf_and_rules(session)
    return _kept().laid_out((number, _key(question)), shelf, rules, question)


def key_for(session: Session, question: MixQuestion) -> Hashable:
    """Return what tells this question, asked of the present shelf and rules, from every other."""
    _, _, number = shelf_and_rules(session)
    return number, _key(question)


def _key(question: MixQuestion) -> Hashable:
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
        question.land_left,
        question.crown_left,
        question.clean_up,
    )
