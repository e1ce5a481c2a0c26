"""Facts as they are kept: one after another, folded into the logbook that they come to."""

# long: what facts are, and what those of a build come to
from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any, NamedTuple, TypeVar

from ..build.cut_log import CutLog, PassMade, SetUpRecord, VerifiedCut
from ..build.model import MockUp
from ..errors import Fault, shown
from ..moments import moment as when
from ..quantity import Unstated
from ..records import Record
from .face_surveys import FaceSurvey, NotedSurvey, settled_survey
from .logbook import Found, Gauge, Logbook, Reading, Voided, Zero
from .signed import Accepted, Decision, SignedAgreement
from .steps import Step

# What a build may have of everything together.
MOST_FACTS = 20_000
R = TypeVar("R", bound=Record)


class FactType(NamedTuple):
    """One kind of fact: what it is called in the store, its record, and where and how often a file lists it.

    A new kind is one line here and its record: file, JSON Schema, store and undoing follow from them.
    """

    kind: str
    record: type[Record]
    listed: str
    most: int = 2000


FACT_TYPES: tuple[FactType, ...] = (
    FactType("gauge", Gauge, "gauges", 500),
    FactType("zero", Zero, "zeros", MOST_FACTS),
    FactType("reading", Reading, "readings", MOST_FACTS),
    FactType("void", Voided, "voided", MOST_FACTS),
    FactType("found", Found, "found"),
    FactType("accepted", Accepted, "acceptances"),
    FactType("survey", NotedSurvey, "surveys", 500),
    FactType("step", Step, "steps"),
    FactType("set-up", SetUpRecord, "set_ups", 500),
    FactType("pass", PassMade, "passes", 5000),
    FactType("decision", Decision, "decisions"),
    FactType("agreement", SignedAgreement, "agreements", 500),
    FactType("verified", VerifiedCut, "verified", 500),
)
FactKind = str
TYPE_OF: dict[FactKind, FactType] = {one.kind: one for one in FACT_TYPES}
_KIND_OF: dict[type[Record], FactKind] = {one.record: one.kind for one in FACT_TYPES}
# How many of each kind a build may have, and a file may list: what goes out comes in again.
MOST: dict[FactKind, int] = {one.kind: one.most for one in FACT_TYPES if one.most < MOST_FACTS}
# Named after something else, each kind apart; a file has gauges and zeros by their names.
_BY_NAME = ("gauge", "zero")
NAMED_AFTER = ("void", *_BY_NAME)
# Kinds that a file lists with an id of their own, under which key; readings come before them.
LISTED: dict[str, FactKind] = {
    one.listed: one.kind for one in FACT_TYPES if one.kind not in (*NAMED_AFTER, "reading")
}
# What files wrote before they had the word.
ALSO_READ = {"accepted": "acceptances"}
_LISTED_KIND = {one.listed: one.kind for one in FACT_TYPES}
# In this order a file has them, after gauges and zeros.
_AS_WRITTEN = ("readings", "voided", "steps", *(key for key in LISTED if key != "steps"))
LOGBOOK_KEYS = (*(one.listed for one in FACT_TYPES), *ALSO_READ)


class Fact(NamedTuple):
    """One fact of a build as it is kept; who noted it and when, where its record does not say."""

    seq: int
    key: str
    record: Record
    by: str = ""
    at: str = ""

    @property
    def kind(self) -> FactKind:
        """What it is called in the store."""
        return kind_of(self.record)


def kind_of(record: Record) -> FactKind:
    """Return what a record is called in the store.

    Parameters
    ----------
    record : Record
        Of one of the kinds of fact.
    """
    return _KIND_OF[type(record)]


def read_fact(kind: FactKind, body: Mapping[str, Any]) -> Record:
    """Return the record of a fact that was checked when it was taken in.

    Parameters
    ----------
    kind : str
        What it is called in the store.
    body : Mapping
        Its entry of a build file; of a zero and a gauge with their ``name`` in it, which a file has as a key.

    Raises
    ------
    Wrong
        If it was not.
    """
    record = TYPE_OF[kind].record
    if kind in _BY_NAME:
        return record.read({key: value for key, value in body.items() if key != "name"}, id=body["name"])
    return record.read(dict(body))


def body_of(record: Record) -> dict[str, Any]:
    """Return a record as the store keeps it: its entry of a build file, to the letter.

    Parameters
    ----------
    record : Record
        Of one of the kinds of fact.
    """
    if isinstance(record, (Zero, Gauge)):
        return {"name": record.id, **record.typed}
    return dict(record.typed)


def stamped(record: R, by: str, at: str) -> R:
    """Return a record with who noted it and when, where it does not say itself.

    Parameters
    ----------
    record : Record
        Of one of the kinds of fact.
    by : str
        Who.
    at : str
        This moment, as facts carry it.
    """
    stamp = {"by": by, "at": at}
    missing = {key: value for key, value in stamp.items() if key not in record.typed}
    if not missing:
        return record
    typed = {**missing, **record.typed}
    read = {key: record.fields()[key].slot.read(value, "house") for key, value in missing.items()}
    return record.with_(typed=typed, **read)


class FoundBy(NamedTuple):
    """What a fact is found by: its place, gauge and zero as texts, and the figure of a reading in its base unit."""

    place: str = ""
    gauge: str = ""
    zero: str = ""
    value: float | None = None
    other: float | None = None


def found_by(record: Record) -> FoundBy:
    """Return what a fact is found by; values in mm, cc, mm² or degrees, by the figure.

    Parameters
    ----------
    record : Record
        Of one of the kinds of fact.
    """
    if isinstance(record, Reading):
        value, other = record.tipped or (record.value, None)
        place = str(record.place)
        return FoundBy(place=place, gauge=record.gauge, zero=record.zero, value=value, other=other)
    if isinstance(record, Zero):
        return FoundBy(zero=record.id)
    if isinstance(record, Gauge):
        return FoundBy(gauge=record.id)
    bank, cylinder = _where(record)
    if cylinder is not None:
        return FoundBy(place=f"cylinders.{cylinder}")
    return FoundBy(place=f"banks.{bank}") if bank else FoundBy()


def _where(record: Record) -> tuple[str, int | None]:
    """The bank and the hole that a record names."""
    return getattr(record, "bank", "") or "", getattr(record, "cylinder", None)


class Signed(NamedTuple):
    """What people put their names to beside a build, in their order and without what was taken back."""

    accepted: tuple[Accepted, ...] = ()
    agreements: tuple[SignedAgreement, ...] = ()
    decisions: tuple[Decision, ...] = ()


@dataclass(frozen=True)
class Facts:
    """The facts of a build up to one of them, as records.

    ``noted`` holds what has an id of its own, by kind; see :meth:`of`.
    """

    seq: int = 0
    zeros: Mapping[str, Zero] = field(default_factory=dict)
    gauges: Mapping[str, Gauge] = field(default_factory=dict)
    noted: Mapping[FactKind, tuple[Record, ...]] = field(default_factory=dict)

    def of(self, record: type[R]) -> tuple[R, ...]:
        """Return everything of one kind in its order, what was taken back among it.

        Parameters
        ----------
        record : type
            The kind's record, such as ``PassMade``.
        """
        found: tuple[R, ...] = self.noted.get(_KIND_OF[record], ())  # type: ignore[assignment]
        return found

    @property
    def readings(self) -> tuple[Reading, ...]:
        """The readings, those that were taken back among them."""
        return self.of(Reading)

    @property
    def voided(self) -> tuple[Voided, ...]:
        """What was taken back, with the reasons."""
        return self.of(Voided)

    def extended(self, new: Iterable[Fact]) -> Facts:
        """Return these facts with those that came after.

        Parameters
        ----------
        new : iterable of Fact
            In their order; the rest need not be read again.
        """
        zeros, gauges, seq = dict(self.zeros), dict(self.gauges), self.seq
        more: dict[FactKind, list[Record]] = {}
        for fact in new:
            seq, record = fact.seq, fact.record
            if isinstance(record, Zero):
                zeros[record.id] = _grown(zeros.get(record.id), record)
            elif isinstance(record, Gauge):
                gauges[record.id] = _grown(gauges.get(record.id), record)
            else:
                kind = kind_of(record)
                listed = more.get(kind)
                if listed is None:
                    listed = more[kind] = list(self.noted.get(kind, ()))
                listed.append(_in_place(record, fact, len(listed)))
        noted = {**self.noted, **{kind: tuple(listed) for kind, listed in more.items()}}
        return Facts(seq=seq, zeros=zeros, gauges=gauges, noted=noted)

    def within(self, document: Mapping[str, Any]) -> tuple[Facts, int]:
        """Return the facts whose holes and banks an engine has, and how many lie aside because it has not theirs.

        Parameters
        ----------
        document : Mapping
            The build's: its frame may have been changed since they were noted, and may be changed back.

        Returns
        -------
        facts, aside : Facts, int
            What was voided among those that lie aside is with them.
        """
        listed = document["engine"]["banks"]
        banks = {bank["name"] for bank in listed} | {""}
        holes = {number for bank in listed for number in bank["cylinders"]} | {None}

        def fits(record: Record) -> bool:
            bank, hole = _where(record)
            return hole in holes and bank in banks

        aside = {str(one.id) for own in self.noted.values() for one in own if not fits(one)}  # type: ignore[attr-defined]
        if not aside:
            return self, 0
        kept = {kind: tuple(one for one in own if fits(one)) for kind, own in self.noted.items()}
        kept["void"] = tuple(one for one in self.voided if one.reading not in aside)
        return replace(self, noted=kept), len(aside)

    def says_already(self, kind: FactKind, key: str, said: Mapping[str, Any]) -> bool:
        """Tell whether something was noted under a key already, in the same words: it was only sent again.

        Parameters
        ----------
        kind : str
            One of those with an id of their own.
        key : str
            Made where it was typed.
        said : Mapping
            What of it a person typed, without what follows from the build as it stands now.
        """
        return any(
            one.typed.get("id") == key and all(one.typed.get(name) == value for name, value in said.items())
            for one in self.noted.get(kind, ())
        )

    def logbook(self, register: Mapping[str, Gauge], mock_up: MockUp) -> Logbook:
        """Return the logbook that these facts come to.

        Parameters
        ----------
        register : Mapping
            The shop's gauges; the build's own stand before them.
        mock_up : MockUp
            As the build's document has it.
        """
        return Logbook(
            gauges={**register, **self.gauges},
            zeros=self.zeros,
            readings=self.readings,
            voided=self.voided,
            mock_up=mock_up,
        )

    def faces(self, register: Mapping[str, Gauge], unstated: Unstated) -> tuple[FaceSurvey, ...]:
        """Return the surveys among these facts, their doubts settled.

        Parameters
        ----------
        register : Mapping
            The shop's gauges; the build's own stand before them.
        unstated : {"house", "zero"}
            What unstated doubt becomes.
        """
        known = {**register, **self.gauges}
        return tuple(settled_survey(one, i, known, unstated) for i, one in enumerate(self.of(NotedSurvey)))

    @cached_property
    def void(self) -> frozenset[str]:
        """The ids of everything that was taken back."""
        return frozenset(one.reading for one in self.voided)

    def standing(self, record: type[R]) -> tuple[R, ...]:
        """Return everything of one kind in its order, without what was taken back.

        Parameters
        ----------
        record : type
            The kind's record.
        """
        return tuple(one for one in self.of(record) if one.id not in self.void)  # type: ignore[attr-defined]

    @property
    def ids(self) -> frozenset[str]:
        """The ids of everything that can be taken back."""
        return frozenset(
            str(one.id)  # type: ignore[attr-defined]
            for kind, own in self.noted.items()
            if kind != "void"
            for one in own
        )

    @property
    def signed(self) -> Signed:
        """What people put their names to, without what was taken back."""
        return Signed(self.standing(Accepted), self.standing(SignedAgreement), self.standing(Decision))

    @property
    def steps_done(self) -> tuple[Step, ...]:
        """The steps, without what was taken back."""
        return self.standing(Step)

    def cut_log(self) -> CutLog:
        """Return the log of cuts that these facts come to, without what was voided."""
        return CutLog(self.standing(SetUpRecord), self.standing(PassMade))

    def document(self, register: Mapping[str, Mapping[str, Any]]) -> dict[str, Any]:
        """Return these facts as a build file carries them; empty where there are none.

        Parameters
        ----------
        register : Mapping
            The shop's gauges, as files have them: of those the ones that readings name go along.
        """
        named = {
            one.gauge for own in (self.readings, self.of(NotedSurvey), self.zeros.values()) for one in own
        }
        gauges = {name: dict(register[name]) for name in sorted(named) if name in register}
        gauges |= {name: dict(one.typed) for name, one in self.gauges.items()}
        through = {str(g["read_with"]) for g in gauges.values() if g.get("read_with")}
        gauges |= {n: dict(register[n]) for n in sorted(through) if n in register and n not in gauges}
        written: dict[str, Any] = {
            "gauges": gauges,
            "zeros": {name: dict(one.typed) for name, one in self.zeros.items()},
        }
        for key in _AS_WRITTEN:
            written[key] = [dict(own.typed) for own in self.noted.get(_LISTED_KIND[key], ())]
        return {key: value for key, value in written.items() if value}


def _grown(before: R | None, new: R) -> R:
    """What is known of a zero or a gauge grows: before the readings, after them."""
    if before is None:
        return new
    return type(new).read({**before.typed, **new.typed}, id=new.id)  # type: ignore[attr-defined]


def _in_place(record: Record, fact: Fact, order: int) -> Record:
    """A record with its place among its kind, and with who noted it where it does not say itself."""
    if isinstance(record, Reading | PassMade):
        return record if record.order == order else record.with_(order=order)
    if isinstance(record, Accepted | SignedAgreement | Decision | Found) and not (record.by and record.at):
        return record.with_(by=record.by or fact.by, at=record.at or fact.at)
    return record


def facts_of(listed: Mapping[str, Any], register: Mapping[str, Mapping[str, Any]]) -> list[Fact]:
    """Return the facts that a build file lists, each with its key.

    Parameters
    ----------
    listed : Mapping
        Its records, by the key under which the file has them: gauges and zeros by name, the others in order.
    register : Mapping
        The shop's gauges as files have them: one that is the same there is no fact of the build.

    Returns
    -------
    list of Fact
        Gauges, zeros, readings, what was voided and found; ``seq`` counts from 1.
    """
    rows: list[tuple[str, Record]] = []
    for name, gauge in (listed.get("gauges") or {}).items():
        if register.get(name) != gauge.typed:
            rows.append((f"gauge {name}", gauge))
    rows += [(f"zero {name}", zero) for name, zero in (listed.get("zeros") or {}).items()]
    rows += [(one.id, one) for one in listed.get("readings") or ()]
    rows += [(f"void {one.reading}", one) for one in listed.get("voided") or ()]
    for key in LISTED:
        also = (old for old, new in ALSO_READ.items() if new == key)
        rows += [(one.id, one) for name in (*also, key) for one in listed.get(name) or ()]
    return [Fact(i, key, record) for i, (key, record) in enumerate(rows, start=1)]


# What people put their names to.
_SIGNED = ("acceptances", "accepted", "agreements", "decisions", "verified")
_WITH_A_FILE = ", came with a file"


def came_with_a_file(document: Mapping[str, Any]) -> dict[str, Any]:
    """Return a document whose agreements and signatures say that they came with a file: nobody gave them here.

    Parameters
    ----------
    document : Mapping
        A build document that was taken in.
    """
    out = dict(document)
    for key in _SIGNED:
        if out.get(key):
            out[key] = [{**one, "by": _with_a_file(str(one.get("by") or ""))} for one in out[key]]
    return out


def _with_a_file(by: str) -> str:
    if by.endswith(_WITH_A_FILE):
        return by
    return f"{(by or 'somebody')[:50]}{_WITH_A_FILE}"


def ahead_of(document: Mapping[str, Any], moment: str) -> Iterator[Fault]:
    """Yield what is dated after a moment: it would outlive all that is still to be done.

    Parameters
    ----------
    document : Mapping
        A checked build document, or part of one.
    moment : str
        As facts carry it; a little later than now, for clocks that go ahead.

    Yields
    ------
    Fault
        With its place.
    """
    for key in ("readings", "voided", *LISTED, *ALSO_READ):
        for i, one in enumerate(document.get(key) or ()):
            if one.get("at") and when(one["at"]) > moment:
                wanted = "a moment that has been: is the clock right that wrote it?"
                yield Fault(f"{key}[{i}].at", shown(one["at"]), wanted)


def register_of(facts: Iterable[tuple[str, str, Mapping[str, Any]]]) -> dict[str, dict[str, Any]]:
    """Fold the facts of a shop's gauges into the register, as files have a gauge.

    Parameters
    ----------
    facts : iterable of (str, str, Mapping)
        Gauge, kind (``registered``, ``check``, ``mishap``, ``retired``) and body, in their order.

    Returns
    -------
    dict
        By the gauge's id; a retired one stays, with ``x-retired``.

    Examples
    --------
    >>> register_of([("d", "registered", {"u": 0.002}), ("d", "check", {"on": "2026-05-04", "good": True})])
    {'d': {'u': 0.002, 'checks': [{'on': '2026-05-04', 'good': True}]}}
    """
    register: dict[str, dict[str, Any]] = {}
    lists = {"check": "checks", "mishap": "mishaps"}
    for gauge, kind, body in facts:
        entry = register.setdefault(gauge, {})
        if kind == "registered":
            kept = {key: entry[key] for key in lists.values() if key in entry}
            entry.clear()
            entry.update(body)
            entry.update(kept)
        elif kind == "retired":
            entry["x-retired"] = body.get("why") or "retired"
        else:
            shown = {key: value for key, value in body.items() if not key.startswith("x-")}
            entry[lists[kind]] = [*entry.get(lists[kind], ()), shown]
    return register
