"""What every shape of a file is made of: quantities with their limits, names, moments, the base of all objects."""

from __future__ import annotations

import math
import re
from typing import Annotated, Any

from pydantic import (
    BaseModel,
    ConfigDict,
    PlainValidator,
    StringConstraints,
    WithJsonSchema,
)
from pydantic import (
    Field as Slot,
)
from pydantic_core import PydanticCustomError

from zygometra.core.build.lever_table import LEVER, Lever
from zygometra.core.errors import QuantityError, shown
from zygometra.core.fields import Field
from zygometra.core.measuring.read_in import moment
from zygometra.core.quantity import QUANTITY_KEYS, read_field, read_quantity
from zygometra.core.units import Kind

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


def checked(read: Any) -> Any:
    """Turn the core's refusal into a located fault that keeps found and wanted apart.

    Parameters
    ----------
    read : callable
        Raises :class:`QuantityError` where what stands there will not do.
    """

    def check(raw: Any) -> Any:
        try:
            read(raw)
        except QuantityError as error:
            raise PydanticCustomError(
                "quantity", "{found}; {wanted}", {"found": error.found, "wanted": error.wanted}
            ) from None
        return raw

    return PlainValidator(check)


def of_field(field: Field) -> Any:
    """Return the slot of a dimension of a part.

    Parameters
    ----------
    field : Field
        Its name, kind and limits.
    """
    wanted = WithJsonSchema({"x-ref": "Quantity", "description": field.help or field.label})
    return Annotated[Any, checked(lambda raw: read_field(raw, field)), wanted]


def plain_slot(kind: Kind, dimension: str, low: float, high: float) -> Any:
    """Return the slot of a quantity that is no field of a part.

    Parameters
    ----------
    kind : Kind
        What it measures.
    dimension : str
        The name under which the house knows its doubt.
    low, high : float
        The range that is possible, in the base unit.
    """

    def read(raw: Any) -> object:
        return read_quantity(raw, kind, dimension=dimension, low=low, high=high)

    return Annotated[Any, checked(read), WithJsonSchema({"x-ref": "Quantity"})]


def _amount_of(lever: Lever) -> Any:
    return plain_slot(lever.kind, lever.key, 0, lever.most)


Cut = _amount_of(LEVER["deck_cut"])
Height = plain_slot(Kind.LENGTH, "deck_cut", 20, 3000)
Opening = _amount_of(LEVER["open_chamber"])
Gap = plain_slot(Kind.LENGTH, "target", -20, 50)


def planned_amount(raw: Any) -> object:
    """Return an operation's amount: a length, but for a chamber opening a volume.

    Parameters
    ----------
    raw : object
        What stands there.

    Raises
    ------
    QuantityError
        If it is neither.
    """
    cut, opening = LEVER["deck_cut"], LEVER["open_chamber"]
    try:
        return read_quantity(raw, cut.kind, dimension=cut.key, low=0, high=cut.most)
    except QuantityError as error:
        try:
            return read_quantity(raw, opening.kind, dimension=opening.key, low=0, high=opening.most)
        except QuantityError:
            raise error from None


def _ratio(raw: Any) -> float:
    if isinstance(raw, bool) or not isinstance(raw, (int, float)) or not math.isfinite(raw):
        raise QuantityError(shown(raw), "a number such as 9.8")
    if not 1 < raw <= 60:
        raise QuantityError(shown(raw), "a compression ratio above 1 and up to 60")
    return float(raw)


def spread(raw: Any) -> float:
    """Return a difference of ratio between holes as it was typed; no unit.

    Parameters
    ----------
    raw : object
        What stands there.

    Raises
    ------
    QuantityError
        If it is none from 0 to 20.
    """
    if isinstance(raw, bool) or not isinstance(raw, (int, float)) or not 0 <= raw <= 20:
        raise QuantityError(shown(raw), "a difference of ratio from 0 to 20")
    return float(raw)


def _moment(raw: Any) -> str:
    if not isinstance(raw, str) or len(raw) > 40:
        raise QuantityError(shown(raw), "a date and time such as 2026-05-05T09:12:00Z")
    return moment(raw)


Ratio = Annotated[Any, checked(_ratio), WithJsonSchema({"type": "number", "exclusiveMinimum": 1})]
Name = Annotated[str, StringConstraints(strip_whitespace=False, min_length=1, max_length=120)]
Note = Annotated[str, StringConstraints(max_length=2000)]
_BANK_NAME = re.compile(r"[^.\x00-\x1f]{1,40}")


def _bank_name(raw: Any) -> str:
    if not isinstance(raw, str) or not _BANK_NAME.fullmatch(raw) or not raw.strip():
        raise QuantityError(shown(raw), "a bank's name of 1 to 40 characters without a full stop")
    return raw


BankName = Annotated[str, checked(_bank_name), WithJsonSchema({"type": "string", "pattern": "^[^.]{1,40}$"})]
CylinderNumber = Annotated[int, Slot(ge=1, le=99, strict=True)]


class Shape(BaseModel):
    """Base of every object of the file: unknown keys are faults (x- keys are set aside before)."""

    # Built when first used: one check of a file builds one model, not each part by itself too.
    model_config = ConfigDict(extra="forbid", strict=True, defer_build=True)


Id = Annotated[str, StringConstraints(min_length=1, max_length=80)]
Word = Annotated[str, StringConstraints(max_length=80)]
Moment = Annotated[Any, checked(_moment), WithJsonSchema({"type": "string", "format": "date-time"})]
