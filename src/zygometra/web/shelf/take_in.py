"""A table of parts on its way in: what was sent, what is wrong with it, and what it would order."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import NamedTuple

from flask import render_template, request

from zygometra.core import gates
from zygometra.core.mix.parts import KIND, Part, newly_ordered, to_the_letter
from zygometra.core.typed import made_printable
from zygometra.exchange.shelf_csv import MOST_BYTES, TableRead
from zygometra.exchange.tables import NoTable, letters_of
from zygometra.store import shelf as store

from ..db import db
from ..forms.form import sent_form
from ..words import counted
from .view import leaves_between

# How many faults of a table are told, and how many codes named.
_MOST_FAULTS, _MOST_CODES = 200, 6


class Clash(NamedTuple):
    """A figure or word that a table would change, of a part that somebody changed since the shelf was seen."""

    what: str
    theirs: str
    mine: str


@dataclass(frozen=True, slots=True)
class TableTakenIn:
    """A table that was sent.

    ``text`` is what it held, kept so that nothing is sent twice, or ``token`` names it where it was read behind;
    ``ordered`` are the codes
    that it would set on order, which wants a signed ``reason``. ``seen`` is the number of the
    shelf that the person saw, ``clashes`` what others did since to parts that it would change.
    """

    kind: str
    name: str
    text: bytes | str
    read: TableRead
    ordered: tuple[str, ...]
    reason: str
    good_rows: bool
    seen: int
    clashes: tuple[Clash, ...]
    token: str = ""

    @property
    def wants_reason(self) -> bool:
        """True where somebody must sign for what it orders."""
        return bool(self.ordered) and not gates.is_reason(self.reason)

    @property
    def refused(self) -> bool:
        """True where it is not taken in as it stands."""
        faulty = self.read.faults and not self.good_rows
        return bool(faulty) or not self.read.whole or self.wants_reason or not self.read.parts

    def words(self, added: int, changed: int) -> str:
        """Return what was done with it, in a sentence."""
        faulty = self.read.rows - len(self.read.parts)
        left = f"; {counted(faulty, 'row')} with faults left out" if self.read.faults else ""
        same = len(self.read.parts) - added - changed
        read_as = f", read as {self.read.read_as}" if self.read.read_as else ""
        return f"From {self.name}{read_as}: {added} new, {changed} changed, {same} as they were{left}."


def sent() -> tuple[str, bytes | str]:
    """Return the table that a request carries: its name and what it holds, of a file or as it was shown before."""
    upload = request.files.get("file")
    if upload is not None and upload.filename:
        with upload.stream as stream:
            return made_printable(upload.filename), stream.read(MOST_BYTES + 1)
    return made_printable(sent_form().raw("name") or "a table"), sent_form().raw("text")


def laid_beside(
    kind: str, name: str, text: bytes | str, read: TableRead, *, seen: int, token: str = ""
) -> TableTakenIn:
    """Lay a table that was read beside the shelf as it is, with what the request says of it.

    Parameters
    ----------
    kind, name : str
        Of its parts; of the file.
    text : bytes or str
        What it held; nothing where ``token`` names it.
    read : TableRead
        What was read of it.
    seen : int
        The number of the shelf that the person saw.
    token : str
        Of a table that was read behind.
    """
    known = store.parts_by_code(db(), ((p.kind, p.code) for p in read.parts))
    ordered = tuple(p.code for p in read.parts if newly_ordered(p, known.get((p.kind, p.code))))
    reason = sent_form()["reason"]
    good = bool(sent_form().raw("good_rows"))
    return TableTakenIn(
        kind=kind,
        name=name,
        text=text,
        read=read,
        ordered=ordered,
        reason=reason,
        good_rows=good,
        seen=seen,
        clashes=_clashes(read, known, seen),
        token=token,
    )


def _clashes(read: TableRead, known: Mapping[tuple[str, str], Part], seen: int) -> tuple[Clash, ...]:
    """What others did since the shelf was seen to parts that a table would make something else of."""
    others = {
        key: part
        for part in read.parts
        if (now := known.get(key := (part.kind, part.code))) is None or to_the_letter(part, now) != now
    }
    changes = store.changed_since(db(), others, seen)
    out = []
    for key, change in changes.items():
        who = f"{key[1]} ({change.actor}: {change.says})"
        if (now := known.get(key)) is None:
            out.append(Clash(who, "off the shelf", "on it again"))
            continue
        mine = store.as_data(to_the_letter(others[key], now))
        out += [Clash(f"{who}, {what}", *both) for what, *both in leaves_between(store.as_data(now), mine)]
    return tuple(out)


def _text_of(given: str | bytes) -> str:
    """What was given as text, to be corrected on the page."""
    if isinstance(given, str):
        return given
    try:
        return letters_of(given)[0]
    except NoTable:
        return given.decode("utf-8", "replace")


def take_in_page(table: TableTakenIn) -> str:
    """Return the page that says why a table is not taken in yet, and offers what can be done."""
    text = _text_of(table.text)
    # Of a table that was not read to its end nothing is offered.
    good = len(table.read.parts) if table.read.whole else 0
    ordered = table.ordered if table.wants_reason else ()
    take = "Take mine over theirs" if table.clashes else "Take them in"
    if table.read.faults and good:
        take = "Take in the good row" if good == 1 else f"Take in the {good} good rows"
    names = ", ".join(ordered[:_MOST_CODES]) + (", …" if len(ordered) > _MOST_CODES else "")
    return render_template(
        "shelf/take_in.html",
        kind=KIND[table.kind],
        name=table.name,
        faults=table.read.faults[:_MOST_FAULTS],
        count=counted(len(table.read.faults), "fault") if table.read.faults else "",
        good=good,
        rows=table.read.rows,
        read_as=table.read.read_as,
        token=table.token,
        only_good=bool(table.read.faults and good),
        ordered=counted(len(ordered), "row") if ordered else "",
        ordered_names=names,
        asks_reason=bool(ordered or table.reason),
        clashes=table.clashes[:_MOST_FAULTS],
        seen=store.number(db())[0],
        text=text,
        reason=table.reason,
        take=take,
    )
