"""Slots: what may stand under one key of a record, understood, refused in words, and told as JSON Schema."""

# long: one kind of slot after another

from __future__ import annotations

import math
import re
from collections.abc import Callable
from typing import Any

from .errors import QuantityError, shown
from .fields import Field
from .moments import moment
from .quantity import QUANTITY_KEYS, Quantity, Unstated, read_field, read_quantity
from .units import Kind


class Slot:
    """What may stand under a key of a record.

    Parameters
    ----------
    null : bool
        Whether ``null`` may stand there for nothing said; where it may not it is a fault like any other.
    """

    null = True
    missing = "this key"
    """What is wanted where a key that must be there is not."""

    def read(self, raw: Any, unstated: Unstated) -> Any:
        """Return what stands there, understood.

        Parameters
        ----------
        raw : object
            As it was written.
        unstated : {"house", "zero"}
            What unstated doubt becomes.

        Raises
        ------
        QuantityError
            If it will not do.
        Wrong
            If something inside it will not do.
        """
        raise NotImplementedError

    def schema(self, shared: dict[str, Any]) -> dict[str, Any]:
        """Return the JSON Schema of what may stand there.

        Parameters
        ----------
        shared : dict
            Takes the schemas of the records that it names.
        """
        raise NotImplementedError


def _words(raw: Any) -> str:
    if not isinstance(raw, str):
        raise QuantityError(shown(raw), "a text")
    return raw


class TextSlot(Slot):
    """A text of so many characters."""

    def __init__(self, most: int | None = None, least: int = 0, *, null: bool = True) -> None:
        self.most, self.least, self.null = most, least, null

    def read(self, raw: Any, _unstated: Unstated) -> str:
        """Return the text as it stands."""
        if not isinstance(raw, str):
            raise QuantityError(shown(raw), "a text")
        if self.most is not None and len(raw) > self.most:
            raise QuantityError(shown(raw), f"at most {self.most} characters")
        if len(raw) < self.least:
            raise QuantityError(shown(raw), "a text that is not empty")
        return raw

    def schema(self, _shared: dict[str, Any]) -> dict[str, Any]:
        """Return type and lengths."""
        limits = {"maxLength": self.most, "minLength": self.least or None}
        return {"type": "string", **{key: value for key, value in limits.items() if value is not None}}


class Matching(TextSlot):
    """A text of a pattern, with the sentence for any other."""

    def __init__(self, pattern: str, wanted: str) -> None:
        super().__init__()
        self.pattern, self.wanted = re.compile(pattern), wanted

    def read(self, raw: Any, _unstated: Unstated) -> str:
        """Return the text as it stands."""
        if not self.pattern.fullmatch(_words(raw)):
            raise QuantityError(shown(raw), self.wanted)
        return str(raw)

    def schema(self, _shared: dict[str, Any]) -> dict[str, Any]:
        """Return type and pattern."""
        return {"type": "string", "pattern": self.pattern.pattern}


class OneOf(Slot):
    """One of a few words, or of a few numbers."""

    def __init__(self, *words: str | int, null: bool = True) -> None:
        self.words, self.null = words, null
        *most, last = map(str, words)
        self.wanted = f"{', '.join(most)} or {last}" if most else last

    def read(self, raw: Any, _unstated: Unstated) -> Any:
        """Return the word."""
        for word in self.words:
            if raw == word and type(raw) is type(word):
                return raw
        raise QuantityError(shown(raw), self.wanted)

    def schema(self, _shared: dict[str, Any]) -> dict[str, Any]:
        """Return the words."""
        kind = "integer" if isinstance(self.words[0], int) else "string"
        if len(self.words) == 1:
            return {"const": self.words[0], "type": kind}
        return {"enum": list(self.words), "type": kind}


class Whole(Slot):
    """A whole number from one to another."""

    def __init__(self, low: int, high: int, wanted: str = "") -> None:
        self.low, self.high, self.wanted = low, high, wanted

    def read(self, raw: Any, _unstated: Unstated) -> int:
        """Return the number."""
        if isinstance(raw, bool) or not isinstance(raw, int):
            raise QuantityError(shown(raw), "a whole number")
        _within(raw, self.low, self.high, self.wanted)
        return raw

    def schema(self, _shared: dict[str, Any]) -> dict[str, Any]:
        """Return type and limits."""
        return {"type": "integer", "minimum": self.low, "maximum": self.high}


class NumberSlot(Slot):
    """A plain number from one to another; as it was written, whole or not."""

    def __init__(self, low: float = -math.inf, high: float = math.inf) -> None:
        self.low, self.high = low, high

    def read(self, raw: Any, _unstated: Unstated) -> float:
        """Return the number."""
        if isinstance(raw, bool) or not isinstance(raw, (int, float)):
            raise QuantityError(shown(raw), "input should be a valid number")
        _within(raw, self.low, self.high, "")
        return raw

    def schema(self, _shared: dict[str, Any]) -> dict[str, Any]:
        """Return type and limits."""
        limits = {"minimum": self.low, "maximum": self.high}
        return {"type": "number", **{key: value for key, value in limits.items() if math.isfinite(value)}}


class Real(NumberSlot):
    """A plain number, read as a float."""

    def read(self, raw: Any, unstated: Unstated) -> float:
        """Return the number as a float."""
        return float(super().read(raw, unstated))


def _within(raw: float, low: float, high: float, wanted: str) -> None:
    if not low <= raw <= high:
        edge, which = (low, "at least") if raw < low else (high, "at most")
        bound = "nought or more" if not edge else f"{which} {edge:g}"
        raise QuantityError(shown(raw), wanted or bound)


class Flag(Slot):
    """Yes or no."""

    def __init__(self, *, null: bool = True) -> None:
        self.null = null

    def read(self, raw: Any, _unstated: Unstated) -> bool:
        """Return it."""
        if not isinstance(raw, bool):
            raise QuantityError(shown(raw), "true or false")
        return raw

    def schema(self, _shared: dict[str, Any]) -> dict[str, Any]:
        """Return the type."""
        return {"type": "boolean"}


class NumberOrText(TextSlot):
    """A number, or a text of so many characters."""

    def read(self, raw: Any, unstated: Unstated) -> Any:
        """Return it as it stands."""
        if isinstance(raw, str):
            return super().read(raw, unstated)
        if isinstance(raw, bool) or not isinstance(raw, (int, float)):
            raise QuantityError(shown(raw), "a number or a text")
        return raw

    def schema(self, shared: dict[str, Any]) -> dict[str, Any]:
        """Return both."""
        return {"anyOf": [{"type": "number"}, super().schema(shared)]}


class FlagOrText(TextSlot):
    """Yes, no, or in words what else."""

    def read(self, raw: Any, unstated: Unstated) -> Any:
        """Return it as it stands."""
        if isinstance(raw, bool):
            return raw
        if not isinstance(raw, str):
            raise QuantityError(shown(raw), "true, false or a text")
        return super().read(raw, unstated)

    def schema(self, shared: dict[str, Any]) -> dict[str, Any]:
        """Return both."""
        return {"anyOf": [{"type": "boolean"}, super().schema(shared)]}


class Moment(Slot):
    """A date and time; read in UTC, as text that sorts by time."""

    null = False

    def read(self, raw: Any, _unstated: Unstated) -> str:
        """Return the time in UTC."""
        if not isinstance(raw, str) or len(raw) > 40:
            raise QuantityError(shown(raw), "a date and time such as 2026-05-05T09:12:00Z")
        return moment(raw)

    def schema(self, _shared: dict[str, Any]) -> dict[str, Any]:
        """Return type and format."""
        return {"type": "string", "format": "date-time"}


class Day(Moment):
    """A day, or a moment of it: kept as it was written."""

    def read(self, raw: Any, unstated: Unstated) -> str:
        """Return it as it stands."""
        super().read(raw, unstated)
        return str(raw)


BASIS_NAMES = ["catalogue", "advertised", "measured", "mock-up", "assumed"]
_SCALAR = {"anyOf": [{"type": "number"}, {"type": "string", "maxLength": 80}]}
QUANTITY_SCHEMA: dict[str, Any] = {
    "description": "A number in the field's default unit, text with a unit, or an object.",
    "anyOf": [
        {"type": "number"},
        {"type": "string", "minLength": 1, "maxLength": 80},
        {
            "type": "object",
            "properties": dict.fromkeys(QUANTITY_KEYS, _SCALAR)
            | {
                "unit": {"type": "string"},
                "basis": {"enum": BASIS_NAMES},
                "readings": {"type": "array", "items": _SCALAR, "minItems": 1},
                "each": {"type": "boolean"},
            },
            "patternProperties": {"^x-": {}},
            "additionalProperties": False,
            "anyOf": [{"required": ["value"]}, {"required": ["readings"]}],
        },
    ],
}


class Figure(Slot):
    """A quantity that is no dimension of a part: a length, a volume, an angle with its doubt.

    Parameters
    ----------
    kind : Kind
        What it measures.
    dimension : str
        The name under which the house knows its doubt.
    low, high : float
        The range that is possible, in the base unit.
    """

    null = False

    def __init__(self, kind: Kind, dimension: str, low: float, high: float) -> None:
        self.kind, self.dimension, self.low, self.high = kind, dimension, low, high

    def read(self, raw: Any, unstated: Unstated) -> Any:
        """Return the quantity, in base units with what was typed."""
        return read_quantity(
            raw, self.kind, dimension=self.dimension, unstated=unstated, low=self.low, high=self.high
        )

    def schema(self, shared: dict[str, Any]) -> dict[str, Any]:
        """Return the reference to the quantity's schema, which all share."""
        shared["Quantity"] = QUANTITY_SCHEMA
        return {"$ref": "#/$defs/Quantity"}


class Plain(Figure):
    """A quantity of which only the value counts, in the base unit of its kind."""

    def read(self, raw: Any, unstated: Unstated) -> Any:
        """Return the value, in mm, cc, mm² or degrees."""
        return super().read(raw, unstated).value


class Dimension(Figure):
    """A dimension of a part, with the limits and the doubt that :mod:`.fields` gives it."""

    def __init__(self, field: Field) -> None:
        self.field = field

    def read(self, raw: Any, unstated: Unstated) -> Quantity:
        """Return the quantity, in base units with what was typed."""
        return read_field(raw, self.field, unstated)

    def schema(self, shared: dict[str, Any]) -> dict[str, Any]:
        """Return the reference, and what the dimension is."""
        return {**super().schema(shared), "description": self.field.help or self.field.label}


class Checked(Slot):
    """Whatever a function takes: it returns what was understood, or refuses in words."""

    null = False

    def __init__(self, how: Callable[[Any], Any], schema: dict[str, Any], *, null: bool = False) -> None:
        self.how, self.described, self.null = how, schema, null

    def read(self, raw: Any, _unstated: Unstated) -> Any:
        """Return what the function makes of it."""
        return self.how(raw)

    def schema(self, shared: dict[str, Any]) -> dict[str, Any]:
        """Return what was said of it."""
        return _described(self.described, shared)


def _described(schema: dict[str, Any], shared: dict[str, Any]) -> dict[str, Any]:
    if schema == QUANTITY:
        shared["Quantity"] = QUANTITY_SCHEMA
    return schema


QUANTITY: dict[str, Any] = {"$ref": "#/$defs/Quantity"}


class Anything(Slot):
    """What the record as a whole makes sense of."""

    def __init__(self, schema: dict[str, Any] | None = None, *, null: bool = True) -> None:
        self.described, self.null = schema or {}, null

    def read(self, raw: Any, _unstated: Unstated) -> Any:
        """Return it as it stands."""
        return raw

    def schema(self, shared: dict[str, Any]) -> dict[str, Any]:
        """Return what was said of it."""
        return _described(self.described, shared)


class Object(Slot):
    """An object of which a later check makes sense."""

    def read(self, raw: Any, _unstated: Unstated) -> Any:
        """Return it as it stands."""
        if not isinstance(raw, dict):
            raise QuantityError(shown(raw), "an object")
        return raw

    def schema(self, _shared: dict[str, Any]) -> dict[str, Any]:
        """Return the type."""
        return {"type": "object", "additionalProperties": True}


ID = TextSlot(80, 1)
WORD = TextSlot(80)
NOTE = TextSlot(2000)
NAME = TextSlot(120, 1)
SAID = TextSlot(400, 1)
WORDS = TextSlot(400)
_BANK_NAME = re.compile(r"[^.\x00-\x1f]{1,40}")


def _bank_name(raw: Any) -> str:
    if not isinstance(raw, str) or not _BANK_NAME.fullmatch(raw) or not raw.strip():
        raise QuantityError(shown(raw), "a bank's name of 1 to 40 characters without a full stop")
    return raw


BANK = Checked(_bank_name, {"type": "string", "pattern": "^[^.]{1,40}$"})
HOLE = Whole(1, 99, "a cylinder number, 1 to 99")


def length(low: float, high: float, dimension: str = "exact") -> Plain:
    """Return the slot of a length of which only the value counts.

    Parameters
    ----------
    low, high : float
        The range that is possible, in mm.
    dimension : str
        The name under which the house knows its doubt.
    """
    return Plain(Kind.LENGTH, dimension, low, high)


def volume(low: float, high: float, dimension: str = "exact") -> Plain:
    """Return the slot of a volume of which only the value counts.

    Parameters
    ----------
    low, high : float
        The range that is possible, in cc.
    dimension : str
        The name under which the house knows its doubt.
    """
    return Plain(Kind.VOLUME, dimension, low, high)
