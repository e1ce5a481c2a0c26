"""The one place for addresses that are put together by hand.

Templates use ``url_for``. What is written anew at every step of a lever uses these:
the routing table costs more there than the text. A test holds each against ``url_for``.
"""

from __future__ import annotations

from collections.abc import Mapping
from urllib.parse import urlencode

from werkzeug.routing import IntegerConverter, ValidationError

from zygometra.core.typed import MOST_ID


class IdConverter(IntegerConverter):
    """A number in an address: one that the database can hold, or there is no such page."""

    def to_python(self, value: str) -> int:
        """Return the number; a larger one is no address of ours."""
        number: int = super().to_python(value)
        if number > MOST_ID:
            raise ValidationError
        return number


def build(build_id: int) -> str:
    """Return where a build lies; its stations lie under it."""
    return f"/builds/{build_id}"


def station(build_id: int, address: str, **query: object) -> str:
    """Return the address of a station of a build, perhaps with a query."""
    return with_query(f"{build(build_id)}/{address}", query)


def with_query(address: str, query: Mapping[str, object]) -> str:
    """Return an address with a query; values that are None or empty are left out."""
    kept = {key: value for key, value in query.items() if value not in (None, "")}
    return f"{address}?{urlencode(kept)}" if kept else address
