"""A whole form read: what was typed stays, what is wrong stands beside its field."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import NamedTuple, TypeVar

from flask import request

from zygometra.core.errors import BuildFaults, Fault, QuantityError, shown
from zygometra.core.quantity import read_quantity
from zygometra.core.typed import check_text, known_version, plain_number, whole_number
from zygometra.core.units import Kind
from zygometra.core.wording import Reader

from ..people import reader, safe_next
from ..queued import KEY
from .read import Read, with_unit

T = TypeVar("T")
# What a form carries for itself.
_OWN = ("csrf_token",)


class FormSlot(NamedTuple):
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
) -> FormSlot:
    """Return a field of a form whose texts and faults are known by field."""
    return FormSlot(
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
        listed = getattr(sent, "getlist", None)
        self._all: Callable[[str], list[str]] = listed or (
            lambda field: [self.typed[field]] if field in self else []
        )
        self.reader = reader
        self.faults: dict[str, str] = {}

    def __getitem__(self, field: str) -> str:
        """What was typed in a field, trimmed; empty where it was not sent."""
        return self.typed.get(field, "").strip()

    def __contains__(self, field: str) -> bool:
        """Whether a field was sent, empty or not."""
        return field in self.typed

    def raw(self, field: str) -> str:
        """Return what was typed in a field to the letter; empty where it was not sent."""
        return self.typed.get(field, "")

    def line(self, field: str) -> str:
        """Return what was typed in a field as one line, blanks between words made one."""
        return " ".join(self.raw(field).split())

    def all(self, field: str) -> list[str]:
        """Return everything that was sent under one name, such as what was ticked; each once, in its order."""
        return list(dict.fromkeys(self._all(field)))

    @property
    def key(self) -> str:
        """The key that was made where a fact was typed; raises QuantityError where there is none, or none such."""
        key = self.raw("key")
        if not KEY.fullmatch(key):
            raise QuantityError(f"the key {shown(key)}", "1 to 80 letters, digits, spaces and _ . : -")
        return key

    def words(self, field: str, wanted: str = "", *, least: int = 0, most: int = 400) -> str:
        """Return a person's own words, trimmed; raises QuantityError where they will not do."""
        return check_text(
            self.raw(field), wanted or f"text of up to {most} characters", least=least, most=most
        )

    def number(self, field: str, wanted: str, *, low: float, high: float) -> float | None:
        """Return a plain number; None where nothing was typed; raises QuantityError where it is none."""
        return plain_number(self[field], wanted, low=low, high=high) if self[field] else None

    def hole(self, field: str = "cylinder") -> int | None:
        """Return the number of a hole; None where none was sent; raises QuantityError where it is none."""
        return whole_number(self[field], "the number of a hole", low=1) if self[field] else None

    def length(self, field: str, *, low: float = -50.0, high: float = 50.0, small: bool = True) -> str | None:
        """Return a length as it was typed, with its unit; None where nothing was; raises QuantityError if it is none.

        ``low`` and ``high`` in mm; ``small`` where a reader of inches means thou by a bare number.
        """
        if not self[field]:
            return None
        written = with_unit(self[field][:80], Kind.LENGTH, self.reader, small=small)
        read_quantity(written, Kind.LENGTH, dimension="exact", low=low, high=high)
        return written

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


def sent_form() -> Form:
    """Return the form that this request sent, in the unit of its reader: every page reads its form so."""
    return Form(request.form, reader())


def back_or(address: str) -> str:
    """Return the page that this request's form says it came from; another address where it says none."""
    back = sent_form().raw("back")
    return safe_next(back) if back else address


def placed(form: Form) -> Form:
    """Return a form whose place (``h3``, ``bA``, ``e``) stands as cylinder and bank."""
    named, rest = form.raw("place"), {key: text for key, text in form.typed.items() if key != "place"}
    if named.startswith("h"):
        rest["cylinder"] = named[1:]
    elif named.startswith("b"):
        rest["bank"] = named[1:]
    return Form(rest, form.reader)


def words_of(fault: Fault) -> str:
    """Return a fault of a document in one sentence, without its place."""
    return f"Found {fault.found}; wanted {fault.wanted}."
