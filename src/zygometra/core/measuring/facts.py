"""Facts as they are kept: one after another, folded into the logbook that they come to."""

# long: what facts are, and what those of a build come to
from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field, replace
from typing import Any, Literal, NamedTuple

from ..build.cut_log import CutLog
from ..errors import Fault, shown
from ..quantity import Unstated
from .face_surveys import FaceSurvey, read_face_survey
from .logbook import Gauge, Logbook, MockUp, Reading, Voided, Zero
from .read_in import cut_log_of, read_gauge, read_reading, read_void, read_zero
from .read_in import moment as when
from .steps import Step, read_step

FactKind = Literal[
    "reading",
    "zero",
    "void",
    "found",
    "gauge",
    "accepted",
    "survey",
    "step",
    "set-up",
    "pass",
    "decision",
    "agreement",
    "verified",
]
# How many of each kind a build may have, and a file may list: what goes out comes in again.
MOST_FACTS = 20_000
MOST: dict[FactKind, int] = {
    "found": 2000,
    "accepted": 2000,
    "survey": 500,
    "step": 2000,
    "set-up": 500,
    "pass": 5000,
    "decision": 2000,
    "agreement": 500,
    "verified": 500,
    "gauge": 500,
}
# Kinds that a file lists with an id of their own, under which key.
LISTED: dict[str, FactKind] = {
    "found": "found",
    "acceptances": "accepted",
    "surveys": "survey",
    "steps": "step",
    "set_ups": "set-up",
    "passes": "pass",
    "decisions": "decision",
    "agreements": "agreement",
    "verified": "verified",
}
# What files wrote before they had the word.
ALSO_READ = {"accepted": "acceptances"}


class Fact(NamedTuple):
    """One fact of a build as it is kept.

    ``body`` is its entry of a build file; of a zero and a gauge with their ``name`` in it, which a file
    has as a key.
    """

    seq: int
    key: str
    kind: FactKind
    body: Mapping[str, Any]
    by: str = ""
    at: str = ""


class FoundBy(NamedTuple):
    """What a fact is found by: its place, gauge and zero as texts, and the figure of a reading in its base unit."""

    place: str = ""
    gauge: str = ""
    zero: str = ""
    value: float | None = None
    other: float | None = None


def found_by(kind: FactKind, body: Mapping[str, Any]) -> FoundBy:
    """Return what a fact is found by.

    Parameters
    ----------
    kind : str
        Its kind.
    body : Mapping
        Its entry of a build file, checked.

    Returns
    -------
    FoundBy
        Values in mm, cc, mm² or degrees, by the figure.
    """
    if kind == "reading":
        reading = read_reading(body, 0)
        value, other = reading.tipped or (reading.value, None)
        return FoundBy(
            place=str(reading.place), gauge=reading.gauge, zero=reading.zero, value=value, other=other
        )
    if kind == "zero":
        return FoundBy(zero=body["name"])
    if kind == "gauge":
        return FoundBy(gauge=body["name"])
    if body.get("cylinder") is not None:
        return FoundBy(place=f"cylinders.{body['cylinder']}")
    return FoundBy(place=f"banks.{body['bank']}") if body.get("bank") is not None else FoundBy()


class Signed(NamedTuple):
    """What people put their names to beside a build, in their order and without what was taken back."""

    accepted: tuple[Fact, ...] = ()
    agreements: tuple[Fact, ...] = ()
    decisions: tuple[Fact, ...] = ()


# What is kept as it came, by its kind: the field of :class:`Facts` that holds it.
_NOTED: dict[FactKind, str] = {
    "found": "found",
    "accepted": "accepted",
    "survey": "surveys",
    "set-up": "set_ups",
    "pass": "passes",
    "decision": "decisions",
    "agreement": "agreements",
    "verified": "verified",
}


@dataclass(frozen=True)
class Facts:
    """The facts of a build up to one of them, read."""

    seq: int = 0
    readings: tuple[Reading, ...] = ()
    zeros: Mapping[str, Mapping[str, Any]] = field(default_factory=dict)
    voided: tuple[Voided, ...] = ()
    found: tuple[Fact, ...] = ()
    accepted: tuple[Fact, ...] = ()
    surveys: tuple[Fact, ...] = ()
    steps: tuple[Step, ...] = ()
    gauges: Mapping[str, Mapping[str, Any]] = field(default_factory=dict)
    set_ups: tuple[Fact, ...] = ()
    passes: tuple[Fact, ...] = ()
    decisions: tuple[Fact, ...] = ()
    agreements: tuple[Fact, ...] = ()
    verified: tuple[Fact, ...] = ()

    def extended(self, new: Iterable[Fact]) -> Facts:
        """Return these facts with those that came after.

        Parameters
        ----------
        new : iterable of Fact
            In their order; the rest need not be read again.
        """
        readings, voided = list(self.readings), list(self.voided)
        noted: dict[str, list[Fact]] = {kind: list(getattr(self, name)) for kind, name in _NOTED.items()}
        steps = list(self.steps)
        zeros, gauges = dict(self.zeros), dict(self.gauges)
        seq = self.seq
        for fact in new:
            seq = fact.seq
            body = fact.body
            if fact.kind == "reading":
                readings.append(read_reading(body, len(readings)))
            elif fact.kind == "void":
                voided.append(read_void(body))
            elif fact.kind in noted:
                noted[fact.kind].append(fact)
            elif fact.kind == "step":
                steps.append(read_step(body))
            else:
                into = zeros if fact.kind == "zero" else gauges
                # What is known of a zero or a gauge grows: before the readings, after them.
                name = body["name"]
                into[name] = {**into.get(name, {}), **{k: v for k, v in body.items() if k != "name"}}
        return replace(
            self,
            seq=seq,
            readings=tuple(readings),
            zeros=zeros,
            voided=tuple(voided),
            steps=tuple(steps),
            gauges=gauges,
            **{name: tuple(noted[kind]) for kind, name in _NOTED.items()},
        )

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
        banks = {bank["name"] for bank in listed}
        holes = {number for bank in listed for number in bank["cylinders"]}

        def fits(body: Mapping[str, Any]) -> bool:
            hole, bank = body.get("cylinder"), body.get("bank")
            return (hole is None or hole in holes) and (bank is None or bank in banks)

        aside: set[str] = set()
        kept: dict[str, Any] = {}
        readings = tuple(one for one in self.readings if fits(one.typed))
        steps = tuple(one for one in self.steps if fits(one.typed))
        for name in _NOTED.values():
            own: tuple[Fact, ...] = getattr(self, name)
            kept[name] = tuple(one for one in own if fits(one.body))
            aside |= {one.key for one in own if not fits(one.body)}
        aside |= {one.id for one in self.readings if not fits(one.typed)}
        aside |= {one.id for one in self.steps if not fits(one.typed)}
        if not aside:
            return self, 0
        voided = tuple(one for one in self.voided if one.reading not in aside)
        return replace(self, readings=readings, steps=steps, voided=voided, **kept), len(aside)

    def says_already(self, kind: FactKind, key: str, said: Mapping[str, Any]) -> bool:
        """Tell whether something was noted under a key already, in the same words: it was only sent again.

        Parameters
        ----------
        kind : str
            One of those that are kept as they came.
        key : str
            Made where it was typed.
        said : Mapping
            What of it a person typed, without what follows from the build as it stands now.
        """
        noted: tuple[Fact, ...] = getattr(self, _NOTED[kind])
        return any(
            one.key == key and all(one.body.get(name) == value for name, value in said.items())
            for one in noted
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
        own = self._own_gauges()
        zeros: dict[str, Zero] = {name: read_zero(name, raw) for name, raw in self.zeros.items()}
        return Logbook(
            gauges={**register, **own},
            zeros=zeros,
            readings=self.readings,
            voided=self.voided,
            mock_up=mock_up,
        )

    def _own_gauges(self) -> dict[str, Gauge]:
        return {name: read_gauge(name, raw) for name, raw in self.gauges.items()}

    def faces(self, register: Mapping[str, Gauge], unstated: Unstated) -> tuple[FaceSurvey, ...]:
        """Return the surveys among these facts, read.

        Parameters
        ----------
        register : Mapping
            The shop's gauges; the build's own stand before them.
        unstated : {"house", "zero"}
            What unstated doubt becomes.
        """
        known = {**register, **self._own_gauges()}
        return tuple(read_face_survey(one.body, i, known, unstated) for i, one in enumerate(self.surveys))

    @property
    def void(self) -> frozenset[str]:
        """The ids of everything that was taken back."""
        return frozenset(one.reading for one in self.voided)

    @property
    def signed(self) -> Signed:
        """What people put their names to, without what was taken back."""
        void = self.void
        listed = (self.accepted, self.agreements, self.decisions)
        return Signed(*(tuple(one for one in own if one.key not in void) for own in listed))

    @property
    def steps_done(self) -> tuple[Step, ...]:
        """The steps, without what was taken back."""
        void = self.void
        return tuple(step for step in self.steps if step.id not in void)

    def cut_log(self) -> CutLog:
        """Return the log of cuts that these facts come to, without what was voided."""
        return cut_log_of(
            (one.body for one in self.set_ups),
            (one.body for one in self.passes),
            self.void,
        )

    def document(self, register: Mapping[str, Mapping[str, Any]]) -> dict[str, Any]:
        """Return these facts as a build file carries them; empty where there are none.

        Parameters
        ----------
        register : Mapping
            The shop's gauges, as files have them: of those the ones that readings name go along.
        """
        named = {one.gauge for one in self.readings if one.gauge}
        named |= {str(one.body["gauge"]) for one in self.surveys if one.body.get("gauge")}
        named |= {str(zero["gauge"]) for zero in self.zeros.values() if zero.get("gauge")}
        gauges = {name: dict(register[name]) for name in sorted(named) if name in register}
        gauges |= {name: dict(raw) for name, raw in self.gauges.items()}
        through = {str(g["read_with"]) for g in gauges.values() if g.get("read_with")}
        gauges |= {n: dict(register[n]) for n in sorted(through) if n in register and n not in gauges}
        written: dict[str, Any] = {
            "gauges": gauges,
            "zeros": {name: dict(raw) for name, raw in self.zeros.items()},
            "readings": [dict(one.typed) for one in self.readings],
            "voided": [_void_entry(one) for one in self.voided],
            "steps": [dict(one.typed) for one in self.steps],
        }
        for key, kind in LISTED.items():
            if kind in _NOTED:
                written[key] = [dict(one.body) for one in getattr(self, _NOTED[kind])]
        return {key: value for key, value in written.items() if value}


def _void_entry(void: Voided) -> dict[str, str]:
    entry = {"reading": void.reading, "why": void.why, "by": void.by, "at": void.at}
    return {key: value for key, value in entry.items() if value}


def facts_of(document: Mapping[str, Any], register: Mapping[str, Mapping[str, Any]]) -> list[Fact]:
    """Return the facts that a checked document carries, each with its key.

    Parameters
    ----------
    document : Mapping
        A build document, its logbook in it.
    register : Mapping
        The shop's gauges as files have them: one that is the same there is no fact of the build.

    Returns
    -------
    list of Fact
        Gauges, zeros, readings, what was voided and found; ``seq`` counts from 1.
    """
    rows: list[tuple[str, FactKind, Mapping[str, Any]]] = []
    for name, raw in (document.get("gauges") or {}).items():
        if not name.startswith("x-") and register.get(name) != raw:
            rows.append((f"gauge {name}", "gauge", {"name": name, **raw}))
    for name, raw in (document.get("zeros") or {}).items():
        if not name.startswith("x-"):
            rows.append((f"zero {name}", "zero", {"name": name, **raw}))
    rows += [(raw["id"], "reading", raw) for raw in document.get("readings") or ()]
    rows += [(f"void {raw['reading']}", "void", raw) for raw in document.get("voided") or ()]
    for key, kind in LISTED.items():
        also = (old for old, new in ALSO_READ.items() if new == key)
        rows += [(raw["id"], kind, raw) for name in (*also, key) for raw in document.get(name) or ()]
    return [Fact(i, key, kind, body) for i, (key, kind, body) in enumerate(rows, start=1)]


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


def signed_of(document: Mapping[str, Any]) -> Signed:
    """Return what people put their names to in a checked document.

    Parameters
    ----------
    document : Mapping
        A build document with what was signed in it.
    """
    keys = {key for key, kind in LISTED.items() if kind in ("accepted", "agreement", "decision")}
    keys |= {"voided", *ALSO_READ}
    own = {key: document[key] for key in keys if document.get(key)}
    return Facts().extended(facts_of(own, {})).signed


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
