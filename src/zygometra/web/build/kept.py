"""What a version of a build comes to, read and evaluated once for a process, and kept within bounds."""

from __future__ import annotations

import json
from collections import OrderedDict
from collections.abc import Callable, Hashable, Mapping
from dataclasses import dataclass, field
from datetime import datetime
from threading import Lock
from typing import Any, NamedTuple, TypeVar

from flask import Flask, current_app

from zygometra.core.build.build_record import record_of_document
from zygometra.core.build.document import build_of
from zygometra.core.build.model import Build
from zygometra.core.errors import ZygometraError
from zygometra.core.measuring.facts import Facts
from zygometra.core.measuring.logbook import Gauge
from zygometra.core.measuring.read_in import with_facts
from zygometra.core.stack.evaluate import state_now
from zygometra.core.stack.results import State
from zygometra.store.heads import Head

T = TypeVar("T")
NO_FACTS = Facts()
# Bytes of memory that a kept version takes for each byte of its document, and by itself: a
# document of 3 kB with eight holes of their own came to some 250 kB (tracemalloc), sentences
# and rules for two readers among it.
_PER_BYTE, _BY_ITSELF = 60, 60_000
# A reading as read takes some 2 kB; what follows from it, a little more.
_PER_READING = 2500
MOST_BYTES = 64_000_000
# Sentences and rules for so many readers and states of the house rules at most.
_MOST_MEMOS = 24
# Builds whose facts are kept as read; a few of thousands of readings weigh some ten megabytes each.
_MOST_FACTS = 12


class Key(NamedTuple):
    """What a reading of a build hangs on: change one of these and it is another."""

    database: str
    build: int
    version: int
    # The newest fact beside the document, and the newest about a gauge of the shop.
    fact: int
    gauges: int
    moment: datetime


@dataclass(frozen=True, slots=True)
class Kept:
    """A version of a build before anything is moved. Nobody may change what it holds."""

    document: Mapping[str, Any]
    build: Build
    now: State | None
    weight: int
    facts: Facts = NO_FACTS
    # All of them, and how many of them lie aside: the engine has no such hole or bank any more.
    every: Facts = NO_FACTS
    aside: int = 0
    _memos: dict[Hashable, Any] = field(default_factory=dict)

    def once(self, key: Hashable, make: Callable[[], T]) -> T:
        """Return what follows from this version and a key alone: made the first time it is asked.

        Parameters
        ----------
        key : hashable
            What it hangs on besides, such as the reader.
        make : callable
            Makes it.

        Returns
        -------
        object
            The same each time; two threads that ask at once may both make it.
        """
        if key not in self._memos:
            if len(self._memos) >= _MOST_MEMOS:
                self._memos.clear()
            self._memos[key] = make()
        made: T = self._memos[key]
        return made


def keep(
    document: Mapping[str, Any], facts: Facts = NO_FACTS, gauges: Mapping[str, Gauge] | None = None
) -> Kept:
    """Read a document with the facts beside it, and evaluate it as it stands."""
    record = record_of_document(document)
    build = build_of(record)
    every, (facts, aside) = facts, facts.within(document)
    if facts.seq or record.mock_up.between == "line":
        build = with_facts(build, facts, gauges or {}, record)
    try:
        now = state_now(build)
    except ZygometraError:
        now = None
    weight = _BY_ITSELF + _PER_BYTE * len(json.dumps(document, ensure_ascii=False))
    weight += _PER_READING * len(facts.readings)
    return Kept(document=document, build=build, now=now, weight=weight, facts=facts, every=every, aside=aside)


class KeptBuilds:
    """The versions of builds that this process has read of late.

    Invariants, held under one lock:

    - A key names one reading for ever: a version never changes, and whatever else a
      reading hangs on is part of its key. So an entry is never out of date; it is only
      no longer asked for.
    - ``newest`` of a build is the head that this process last saw; it may be behind the
      database, and whoever uses it asks the database before he answers.
    - The weights of all entries sum to at most ``most_bytes``; the longest unused go
      first. One entry alone may be heavier: it is kept until another comes.
    - What is handed out is shared between threads and never altered.

    Parameters
    ----------
    most_bytes : int
        How much memory its entries may take, as estimated by their weights.
    """

    def __init__(self, most_bytes: int = MOST_BYTES) -> None:
        self.most_bytes = most_bytes
        self._lock = Lock()
        self._kept: OrderedDict[Key, Kept] = OrderedDict()
        self._newest: dict[tuple[str, int], Head] = {}
        # The facts of a build as this process last read them: it goes on from there.
        self._facts: OrderedDict[tuple[str, int], Facts] = OrderedDict()
        self._weight = 0

    def __len__(self) -> int:
        return len(self._kept)

    @property
    def weight(self) -> int:
        """What its entries are estimated to take, in bytes."""
        return self._weight

    def find(self, key: Key, head: Head) -> Kept | None:
        """Return a reading if this process has it, and note its head as the newest seen."""
        with self._lock:
            if (kept := self._kept.get(key)) is not None:
                self._kept.move_to_end(key)
                self._newest[key.database, key.build] = head
            return kept

    def put(self, key: Key, kept: Kept) -> None:
        """Keep a reading; the longest unused make room for it."""
        with self._lock:
            before = self._kept.pop(key, None)
            self._weight += kept.weight - (before.weight if before is not None else 0)
            self._kept[key] = kept
            self._facts[key.database, key.build] = kept.every
            self._facts.move_to_end((key.database, key.build))
            while len(self._facts) > _MOST_FACTS:
                self._facts.popitem(last=False)
            while self._weight > self.most_bytes and len(self._kept) > 1:
                old, gone = self._kept.popitem(last=False)
                self._weight -= gone.weight
                self._newest.pop((old.database, old.build), None)

    def newest(self, database: str, build: int) -> Head | None:
        """Return the head of a build that this process last saw; None where it saw none."""
        with self._lock:
            return self._newest.get((database, build))

    def facts(self, database: str, build: int) -> Facts:
        """Return the facts of a build as far as this process has read them."""
        with self._lock:
            return self._facts.get((database, build), NO_FACTS)

    def clear(self) -> None:
        """Forget everything: for tests, and for whoever empties the database under it."""
        with self._lock:
            self._kept.clear()
            self._facts.clear()
            self._newest.clear()
            self._weight = 0


def init(app: Flask) -> None:
    """Give the application its kept builds."""
    app.extensions["kept builds"] = KeptBuilds()


def kept_builds() -> KeptBuilds:
    """Return the kept builds of this application."""
    found: KeptBuilds = current_app.extensions["kept builds"]
    return found
