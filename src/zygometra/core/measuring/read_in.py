"""A build file as one record: the document and the facts beside it, and the build that they come to."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import replace
from typing import Any

from ..build.build_record import BuildRecord
from ..build.document import build_of
from ..build.model import Build
from ..quantity import Unstated
from ..records import FieldOfRecord, InOrder, Named
from ..slots import ID
from .facts import ALSO_READ, FACT_TYPES, LOGBOOK_KEYS, Fact, Facts, facts_of
from .figures import measure
from .logbook import Gauge, Zero


def _lists() -> dict[str, FieldOfRecord]:
    """A field for each kind of fact, under the key where a file lists it."""
    found: dict[str, FieldOfRecord] = {}
    for one in FACT_TYPES:
        also = [old for old, new in ALSO_READ.items() if new == one.listed]
        for key in (*also, one.listed):
            by_name = one.record in (Gauge, Zero)
            slot = Named(ID, one.record, one.most) if by_name else InOrder(one.record, one.most)
            found[key] = FieldOfRecord(key, key, slot, required=False)
    return found


_LISTS = _lists()
# After the document's own figures, before what was decided of mock-up, faces and valves.
_AFTER = "between_holes"


class BuildFile(BuildRecord, frozen=True, kw_only=True, eq=False):
    """One build as one document, version 1: the document, and ``listed``, the facts by the key of their list."""

    listed: Mapping[str, Any] = {}

    @classmethod
    def fields(cls) -> Mapping[str, FieldOfRecord]:
        """Return the fields of the document with a list for each kind of fact."""
        return _FIELDS

    @classmethod
    def understood(
        cls, _raw: Mapping[str, Any], values: dict[str, Any], _unstated: Unstated
    ) -> dict[str, Any]:
        """Return the lists by their keys."""
        listed = {key: values.pop(key) for key in _LISTS if key in values}
        return {**values, "listed": listed}

    def list_of(self, key: str) -> tuple[Any, ...]:
        """Return what is listed under a key; empty where nothing is.

        Parameters
        ----------
        key : str
            Such as ``readings``.
        """
        found: tuple[Any, ...] = self.listed.get(key, ())
        return found


def _fields() -> dict[str, FieldOfRecord]:
    found: dict[str, FieldOfRecord] = {}
    for key, field in BuildRecord.fields().items():
        found[key] = field
        if key == _AFTER:
            found |= _LISTS
    return found


_FIELDS = _fields()


def file_record(document: Mapping[str, Any]) -> BuildFile:
    """Return the record of a build file, the facts in it too.

    Parameters
    ----------
    document : Mapping
        As it was written.

    Raises
    ------
    Wrong
        With everything that its shape alone shows to be wrong; see :class:`~zygometra.core.records.Refused`.
    """
    unstated = document.get("unstated_doubt", "house")
    return BuildFile.read(document, unstated if unstated in ("house", "zero") else "house")


def facts_in(document: Mapping[str, Any], register: Mapping[str, Mapping[str, Any]]) -> list[Fact]:
    """Return the facts that a checked document carries, each with its key.

    Parameters
    ----------
    document : Mapping
        A build document, its logbook in it.
    register : Mapping
        The shop's gauges as files have them: one that is the same there is no fact of the build.
    """
    unstated: Unstated = document.get("unstated_doubt", "house")
    listed = {
        key: field.slot.read(document[key], unstated)
        for key, field in _LISTS.items()
        if document.get(key) is not None
    }
    return facts_of(listed, register)


def read_measured(document: Mapping[str, Any]) -> Build:
    """Return the build that a checked document and the logbook in it come to.

    Parameters
    ----------
    document : Mapping
        A build document that was checked when it was taken in, its facts among it.
    """
    return measured(file_record(document))


def measured(file: BuildFile) -> Build:
    """Return the build that a file comes to, with the figures that its readings give.

    Parameters
    ----------
    file : BuildFile
        With nothing refused in it.
    """
    build = build_of(file)
    if not any(file.listed.values()) and not file.typed.get("mock_up"):
        return build
    return with_facts(build, Facts().extended(facts_of(file.listed, {})), {}, file)


def with_facts(build: Build, facts: Facts, register: Mapping[str, Gauge], record: BuildRecord) -> Build:
    """Return a build with what was noted beside it.

    Parameters
    ----------
    build : Build
        As its document has it.
    facts : Facts
        Those that its engine has a place for.
    register : Mapping
        The shop's gauges.
    record : BuildRecord
        Its document: how the mock-up was made.
    """
    beside = replace(
        build,
        surveys=facts.faces(register, build.unstated_doubt),
        steps=facts.steps_done,
        cuts=facts.cut_log(),
        signed=facts.signed,
    )
    return measure(beside, facts.logbook(register, record.mock_up))


def without_facts(document: Mapping[str, Any]) -> dict[str, Any]:
    """Return a document without its logbook, which is kept as facts beside it.

    Parameters
    ----------
    document : Mapping
        A build document.
    """
    return {key: value for key, value in document.items() if key not in LOGBOOK_KEYS}


def ids_twice(items: Iterable[Mapping[str, Any]]) -> list[int]:
    """Return the indices of entries whose id stood before; places without a unit.

    Parameters
    ----------
    items : iterable of Mapping
        Entries with an ``id``.
    """
    seen: set[str] = set()
    twice = []
    for i, item in enumerate(items):
        if item["id"] in seen:
            twice.append(i)
        seen.add(item["id"])
    return twice
