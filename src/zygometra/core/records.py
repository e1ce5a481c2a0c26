"""Records: what a file, a fact, a form or a table holds, each declared once as a frozen class of its fields.

A field is written ``depth: Annotated[float, Plain(Kind.LENGTH, "exact", 0, 10)]``: its name is the key of the
file, its type what the program sees, its slot what may stand there. Shape, JSON Schema, reading in and the
sentence for what is wrong follow from that line. ``typed`` keeps what was written to the letter, so that what
goes out is what came in. Classes are msgspec's (docs/decisions/0024): sixty of them cost a cold start
three milliseconds.

See Also
--------
zygometra.core.quantity : how one figure is understood.
"""

# long: what a record is, and every way in which records stand within records

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from typing import Any, ClassVar, NamedTuple, Self, get_type_hints

import msgspec

from .errors import Fault, QuantityError, shown
from .quantity import Unstated
from .slots import NumberOrText, Slot

_NOTE = "x-"
"""Keys that begin so are kept, and never read."""


_Inner = tuple[str, str, str]


class Wrong(Exception):
    """What is wrong inside an object or a list: each with its place from there, as ``.z`` or ``[3].z``.

    ``of_whole`` where every field by itself would do, and together they do not.
    """

    def __init__(self, faults: list[_Inner], *, of_whole: bool = False) -> None:
        self.faults, self.of_whole = faults, of_whole
        super().__init__(faults)

    def inside(self, place: str) -> Wrong:
        """Return the same one level further out.

        Parameters
        ----------
        place : str
            Where it stands there, such as ``.part``.
        """
        return Wrong([(place + inner, found, wanted) for inner, found, wanted in self.faults], of_whole=True)

    def at(self, path: str) -> Iterator[Fault]:
        """Yield each fault with its whole place.

        Parameters
        ----------
        path : str
            Where the object stands; empty at the top.
        """
        for place, found, wanted in self.faults:
            yield Fault(path + place if path else place.removeprefix("."), found, wanted)


class ListOf(Slot):
    """A list of so many of one kind."""

    def __init__(self, of: Slot, most: int | None = None, least: int = 0, *, null: bool = True) -> None:
        self.of, self.most, self.least, self.null = of, most, least, null

    def read(self, raw: Any, unstated: Unstated) -> tuple[Any, ...]:
        """Return the entries, read."""
        if not isinstance(raw, list):
            raise QuantityError(shown(raw), "a list")
        if self.most is not None and len(raw) > self.most:
            raise QuantityError(f"{len(raw)} entries", f"at most {self.most}")
        found: list[Any] = []
        wrong: list[_Inner] = []
        for i, item in enumerate(raw):
            try:
                found.append(self.one(item, i, unstated))
            except (QuantityError, Wrong) as error:
                wrong += _inside(f"[{i}]", error)
        if wrong:
            raise Wrong(wrong)
        if len(raw) < self.least:
            raise QuantityError(f"{len(raw)} entries", f"at least {self.least}")
        return tuple(found)

    def one(self, item: Any, _order: int, unstated: Unstated) -> Any:
        """Return one entry, read."""
        return self.of.read(item, unstated)

    def schema(self, shared: dict[str, Any]) -> dict[str, Any]:
        """Return the entries' schema and how many there may be."""
        limits = {"maxItems": self.most, "minItems": self.least or None}
        return {
            "type": "array",
            "items": self.of.schema(shared),
            **{key: value for key, value in limits.items() if value is not None},
        }


class Refused(NamedTuple):
    """An entry whose fields would do one by one and not together: as it was written, and what is wrong with it."""

    typed: Mapping[str, Any]
    wrong: Wrong


class InOrder(ListOf):
    """A list of records that know their place in it.

    One whose fields do not go together stands among them as :class:`Refused`: whoever checks a whole
    file tells it beside what else is wrong there.
    """

    def __init__(self, record: type[Record], most: int) -> None:
        super().__init__(Nested(record), most)
        self.record = record

    def one(self, item: Any, order: int, unstated: Unstated) -> Any:
        """Return one record with its place."""
        derived = {"order": order} if "order" in self.record.__struct_fields__ else {}
        return _or_refused(self.record, item, unstated, derived)


def _or_refused(
    record: type[Record], item: Any, unstated: Unstated, derived: dict[str, Any]
) -> Record | Refused:
    try:
        return record.read(item, unstated, **derived)
    except Wrong as error:
        if not error.of_whole:
            raise
        return Refused(item, error)


class MapOf(Slot):
    """An object whose keys are names: of banks, gauges, corners; with ``nulls``, of what stands there or does not."""

    def __init__(self, key: Slot, of: Slot, most: int | None = None, *, nulls: bool = False) -> None:
        self.key, self.of, self.most, self.nulls = key, of, most, nulls or isinstance(of, NumberOrText)

    def read(self, raw: Any, unstated: Unstated) -> dict[str, Any]:
        """Return the entries, read; without those whose names begin with ``x-``."""
        if not isinstance(raw, dict):
            raise QuantityError(shown(raw), "an object")
        own = {name: value for name, value in raw.items() if not name.startswith(_NOTE)}
        if self.most is not None and len(own) > self.most:
            raise QuantityError(f"{len(own)} entries", f"at most {self.most}")
        found: dict[str, Any] = {}
        wrong: list[_Inner] = []
        for name, value in own.items():
            try:
                self.key.read(name, unstated)
            except QuantityError as error:
                wrong += _inside(f".{name}", error)
            try:
                found[name] = None if value is None and self.nulls else self.one(name, value, unstated)
            except (QuantityError, Wrong) as error:
                wrong += _inside(f".{name}", error)
        if wrong:
            raise Wrong(wrong)
        return found

    def one(self, _name: str, item: Any, unstated: Unstated) -> Any:
        """Return one entry, read."""
        return self.of.read(item, unstated)

    def schema(self, shared: dict[str, Any]) -> dict[str, Any]:
        """Return the schemas of names and entries."""
        limits = {} if self.most is None else {"maxProperties": self.most}
        return {
            "type": "object",
            "propertyNames": self.key.schema(shared),
            "additionalProperties": _property(self.of, shared, required=not self.nulls),
            **limits,
        }


class Named(MapOf):
    """An object whose entries are records, each with its key as its ``id``; see also :class:`InOrder`."""

    def __init__(self, key: Slot, record: type[Record], most: int) -> None:
        super().__init__(key, Nested(record), most)
        self.record = record

    def one(self, name: str, item: Any, unstated: Unstated) -> Any:
        """Return one record with its name."""
        return _or_refused(self.record, item, unstated, {"id": name})


class DimensionTable(Slot):
    """An object whose keys a table of the house gives, such as the dimensions of a part; read as a plain dict.

    Parameters
    ----------
    title : str
        What it is called in the JSON Schema.
    slots : Mapping
        By key.
    """

    def __init__(self, title: str, slots: Mapping[str, Slot], *, null: bool = True) -> None:
        self.title, self.slots, self.null = title, dict(slots), null

    def read(self, raw: Any, unstated: Unstated) -> dict[str, Any]:
        """Return what stands there, by key; nothing for what does not."""
        if not isinstance(raw, dict):
            raise QuantityError(shown(raw), "an object")
        found: dict[str, Any] = {}
        wrong: list[_Inner] = []
        left = len(raw)
        for key, slot in self.slots.items():
            if key in raw:
                left -= 1
                if raw[key] is None and slot.null:
                    continue
                try:
                    found[key] = slot.read(raw[key], unstated)
                except (QuantityError, Wrong) as error:
                    wrong += _inside(f".{key}", error)
        if left:
            others = (key for key in raw if key not in self.slots and not key.startswith(_NOTE))
            wrong += [(f".{key}", *Record.unknown(key)) for key in others]
        if wrong:
            raise Wrong(wrong)
        return found

    def schema(self, shared: dict[str, Any]) -> dict[str, Any]:
        """Return the reference to its schema."""
        if self.title not in shared:
            shared[self.title] = {}
            properties = {key: _property(slot, shared, required=False) for key, slot in self.slots.items()}
            shared[self.title] = _object_schema(self.title, properties, [])
        return {"$ref": f"#/$defs/{self.title}"}


def together(place: str, found: str, wanted: str) -> Wrong:
    """Return what is wrong with a record whose fields would do one by one, to be raised.

    Parameters
    ----------
    place : str
        Within the record, such as ``.tipped``.
    found, wanted : str
        What stands there, and what should.
    """
    return Wrong([(place, found, wanted)], of_whole=True)


class Nested(Slot):
    """A record within a record."""

    def __init__(self, record: type[Record], *, null: bool = True) -> None:
        self.record, self.null = record, null

    def read(self, raw: Any, unstated: Unstated) -> Any:
        """Return the record."""
        return self.record.read(raw, unstated)

    def schema(self, shared: dict[str, Any]) -> dict[str, Any]:
        """Return the reference to its schema."""
        name = self.record.__name__
        if name not in shared:
            shared[name] = {}
            shared[name] = self.record.json_schema(shared)
        return {"$ref": f"#/$defs/{name}"}


def _inside(place: str, error: QuantityError | Wrong) -> list[_Inner]:
    if isinstance(error, QuantityError):
        return [(place, error.found, error.wanted)]
    return [(place + inner, found, wanted) for inner, found, wanted in error.faults]


def _property(slot: Slot, shared: dict[str, Any], *, required: bool) -> dict[str, Any]:
    own = slot.schema(shared)
    return {"anyOf": [own, {"type": "null"}]} if slot.null and not required else own


def _object_schema(title: str, properties: dict[str, Any], required: list[str]) -> dict[str, Any]:
    return {
        "type": "object",
        "title": title,
        "properties": properties,
        **({"required": required} if required else {}),
        "additionalProperties": False,
        "patternProperties": {"^x-": {}},
    }


class FieldOfRecord(NamedTuple):
    """One field of a record: its key in a file, its name in the class, what may stand there."""

    key: str
    name: str
    slot: Slot
    required: bool


class Record(msgspec.Struct, frozen=True, kw_only=True, eq=False):
    """Base of every record: a frozen class whose annotated fields say what may stand in a file.

    A field without a slot is none of the file: a subclass derives it in :meth:`understood`. Two records are
    equal where they say the same, however it was written.

    Parameters
    ----------
    typed : Mapping
        What was written, to the letter; empty of a record that nobody wrote.
    """

    typed: Mapping[str, Any] = {}

    def with_(self, **changed: Any) -> Self:
        """Return the same record with some fields changed.

        Parameters
        ----------
        **changed
            By their names.
        """
        return msgspec.structs.replace(self, **changed)

    @classmethod
    def unknown(cls, key: str) -> tuple[str, str]:
        """Return what is said of a key that the record does not know: what was found, and what is wanted.

        Parameters
        ----------
        key : str
            As it was written.
        """
        return f"the unknown key {shown(key)}", "no such key (or one that starts with x-)"

    KEYS: ClassVar[Mapping[str, str]] = {}
    """The keys that a file writes otherwise than the class names them, by the name in the class."""

    @classmethod
    def fields(cls) -> Mapping[str, FieldOfRecord]:
        """Return the fields that a file may hold, by key."""
        known = _FIELDS.get(cls)
        if known is None:
            known = _FIELDS[cls] = dict(_fields_of(cls))
        return known

    @classmethod
    def read(cls, raw: Any, unstated: Unstated = "house", **derived: Any) -> Self:
        """Read one record: its shape, its figures, then what :meth:`understood` makes of them.

        Parameters
        ----------
        raw : object
            What should be an object of a file.
        unstated : {"house", "zero"}
            What unstated doubt becomes.
        **derived
            Fields of the class that stand elsewhere: its place in a list, its key.

        Raises
        ------
        QuantityError
            If it is no object.
        Wrong
            With everything that is wrong inside it.
        """
        if not isinstance(raw, dict):
            raise QuantityError(shown(raw), "an object")
        values: dict[str, Any] = {}
        wrong: list[_Inner] = []
        left = len(raw)
        fields = cls.fields()
        for key, _name, slot, required in fields.values():
            if key in raw:
                left -= 1
                item = raw[key]
                if item is None and slot.null and not required:
                    continue
                try:
                    values[_name] = slot.read(item, unstated)
                except (QuantityError, Wrong) as error:
                    wrong += _inside(f".{key}", error)
            elif required:
                wrong.append((f".{key}", "nothing", slot.missing))
        if left:
            others = (key for key in raw if key not in fields and not key.startswith(_NOTE))
            wrong += [(f".{key}", *cls.unknown(key)) for key in others]
        if wrong:
            raise Wrong(wrong)
        try:
            return cls(typed=raw, **cls.understood(raw, values | derived, unstated))
        except QuantityError as error:
            raise Wrong(_inside("", error), of_whole=True) from None

    def __eq__(self, other: object) -> bool:
        """Tell whether another says the same."""
        if type(other) is not type(self):
            return NotImplemented
        names = self.__struct_fields__
        return all(getattr(self, name) == getattr(other, name) for name in names if name != "typed")

    def __hash__(self) -> int:
        """Hash what names it."""
        return hash((type(self), getattr(self, "id", None)))

    @classmethod
    def understood(
        cls, _raw: Mapping[str, Any], values: dict[str, Any], _unstated: Unstated
    ) -> dict[str, Any]:
        """Return the fields of the class, from those of the file.

        Parameters
        ----------
        _raw : Mapping
            As it was written.
        values : dict
            The fields of the file, read, by their names in the class.
        _unstated : {"house", "zero"}
            What unstated doubt becomes.

        Raises
        ------
        QuantityError, Wrong
            If the fields do not go together.
        """
        return values

    @classmethod
    def json_schema(cls, shared: dict[str, Any]) -> dict[str, Any]:
        """Return the JSON Schema of the record.

        Parameters
        ----------
        shared : dict
            Takes the schemas of the records that it names.
        """
        fields = cls.fields().values()
        properties = {f.key: _property(f.slot, shared, required=f.required) for f in fields}
        schema = _object_schema(cls.__name__, properties, [f.key for f in fields if f.required])
        return {**schema, "description": (cls.__doc__ or "").strip().partition("\n")[0]}


_FIELDS: dict[type[Record], dict[str, FieldOfRecord]] = {}


def _fields_of(cls: type[Record]) -> Iterator[tuple[str, FieldOfRecord]]:
    hints = get_type_hints(cls, include_extras=True)
    required = {field.name for field in msgspec.structs.fields(cls) if field.required}
    for name in cls.__struct_fields__:
        slot = next((one for one in getattr(hints[name], "__metadata__", ()) if isinstance(one, Slot)), None)
        if slot is not None:
            key = cls.KEYS.get(name, name)
            yield key, FieldOfRecord(key, name, slot, name in required)


def faults_of(read: Callable[[], object], path: str = "") -> list[Fault]:
    """Return what is wrong, each with its place; empty where it is read.

    Parameters
    ----------
    read : callable
        Reads something of records.
    path : str
        Where that stands; empty at the top.
    """
    try:
        read()
    except Wrong as error:
        return list(error.at(path))
    except QuantityError as error:
        return [Fault(path, error.found, error.wanted)]
    return []
