"""What people put their names to beside a build: acceptances, agreements, questions and their answers."""

from __future__ import annotations

from typing import Annotated

from ..records import ListOf, MapOf, Nested, Record
from ..slots import ID, NOTE, SAID, WORD, WORDS, Day, NumberOrText, NumberSlot, OneOf, TextSlot, Whole

PARTIES = ("buyer", "builder", "machinist")
WAYS = ("in person", "by telephone", "by letter", "by message", "on paper")
# Places with their figures or names, as they stood; by the place in a build document.
_FIGURES = MapOf(NOTE, NumberOrText(2000), 2000)


class Accepted(Record, frozen=True, kw_only=True, eq=False):
    """Something passed with a name: a gate or what it is about, and the places and values that it covered: a fact."""

    id: Annotated[str, ID]
    gate: Annotated[int | None, Whole(1, 18)] = None
    about: Annotated[str, TextSlot(200, 1)] = ""
    against: Annotated[str, TextSlot(200, 1)] = ""
    reason: Annotated[str, TextSlot(500, 3)]
    fails: Annotated[tuple[str, ...], ListOf(NOTE, 200)] = ()
    covers: Annotated[dict[str, float | None], MapOf(NOTE, NumberSlot(), nulls=True)] = {}
    by: Annotated[str, NOTE] = ""
    at: Annotated[str, Day()] = ""


class Option(Record, frozen=True, kw_only=True, eq=False):
    """One way a question may be answered; None where nobody said."""

    name: Annotated[str, SAID]
    cost: Annotated[float | None, NumberSlot(-1e9, 1e9)] = None
    days: Annotated[float | None, NumberSlot(0, 10_000)] = None
    irreversible: Annotated[str, WORDS] = ""


class OpenOption(Record, frozen=True, kw_only=True, eq=False):
    """An option that is kept open, and until when it can be."""

    option: Annotated[str, SAID]
    until: Annotated[str, SAID]


class Decision(Record, frozen=True, kw_only=True, eq=False):
    """A question that was asked, or the answer to one: a fact."""

    id: Annotated[str, ID]
    text: Annotated[str, SAID] = ""
    options: Annotated[tuple[Option, ...], ListOf(Nested(Option), 12)] = ()
    rests_on: Annotated[dict[str, float | str | None], _FIGURES] = {}
    ask: Annotated[str, WORD] = ""
    way: Annotated[str, OneOf(*WAYS)] = ""
    blocks: Annotated[str, WORDS] = ""
    fallback: Annotated[OpenOption | None, Nested(OpenOption)] = None
    answers: Annotated[str, ID] = ""
    option: Annotated[str, SAID] = ""
    who: Annotated[str, SAID] = ""
    says: Annotated[str, WORDS] = ""
    by: Annotated[str, NOTE] = ""
    at: Annotated[str, Day()] = ""


class SignedAgreement(Record, frozen=True, kw_only=True, eq=False):
    """A party's agreement to the specification as it stood: a fact."""

    id: Annotated[str, ID]
    party: Annotated[str, OneOf(*PARTIES)]
    name: Annotated[str, SAID]
    way: Annotated[str, OneOf(*WAYS)] = ""
    covers: Annotated[dict[str, float | str | None], _FIGURES]
    by: Annotated[str, NOTE] = ""
    at: Annotated[str, Day()] = ""
