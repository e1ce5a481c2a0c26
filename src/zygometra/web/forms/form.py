"""A whole form read: what was typed stays, what is wrong stands beside its field."""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple, TypeVar

from zygometra.core.errors import BuildFaults, Fault
from zygometra.core.typed import known_version
from zygometra.core.wording import Reader

from .read import Read

T = TypeVar("T")
# What a form carries for itself.
_OWN = ("csrf_token",)


class Slot(NamedTuple):
    """One field as a page shows it: its name, what it is called, what was typed, and what is wrong with it.

    ``of`` names the dimension it takes (:mod:`.named`), where it takes one: what was
    understood then stands beside it while it is typed.
    """

    name: str
    label: str
    value: str = ""
    fault: str = ""
    hint: str = ""
    of: str = ""


def slot(
    typed: Mapping[str, str],
    faults: Mapping[str, str],
    name: str,
    label: str,
    hint: str = "",
    *,
    of: str = "",
) -> Slot:
    """Return a field of a form whose texts and faults are known by field."""
    return Slot(
        name=name, label=label, value=typed.get(name, ""), fault=faults.get(name, ""), hint=hint, of=of
    )


class Form:
    """What was sent, and what came of it, field by field.

    Parameters
    ----------
    sent : Mapping
        Texts by field.
    reader : Reader
        Whose bare numbers these are.
    """

    def __init__(self, sent: Mapping[str, str], reader: Reader) -> None:
        self.typed: dict[str, str] = {key: text for key, text in sent.items() if key not in _OWN}
        self.reader = reader
        self.faults: dict[str, str] = {}

    def __getitem__(self, field: str) -> str:
        """What was typed in a field, trimmed; empty where it was not sent."""
        return self.typed.get(field, "").strip()

    @property
    def version(self) -> int:
        """The version that the page was made from; 0 where it carried none."""
        return known_version(self.typed.get("version"))

    def take(self, field: str, read: Read[T]) -> T | None:
        """Keep what came of a field, and return its value.

        Parameters
        ----------
        field : str
            Its name.
        read : Read
            What came of it.

        Returns
        -------
        object
            The value; None where nothing was typed, or where it is at fault.
        """
        if read.fault:
            self.faults[field] = read.fault
        return read.value

    def refuse(self, field: str, found: str, wanted: str) -> None:
        """Put a fault beside a field that was read well by itself."""
        self.faults[field] = f"Found {found}; wanted {wanted}."

    def refuse_all(self, error: BuildFaults, field_of: Mapping[str, str] | None = None) -> None:
        """Put the faults of a document beside the fields they belong to, by their place."""
        for fault in error.faults:
            field = (field_of or {}).get(fault.path, fault.path)
            self.faults[field] = words_of(fault)


def words_of(fault: Fault) -> str:
    """Return a fault of a document in one sentence, without its place."""
    return f"Found {fault.found}; wanted {fault.wanted}."
