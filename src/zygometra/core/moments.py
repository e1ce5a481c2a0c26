"""Moments: dates and times as people and files write them, as text that sorts by time."""

from __future__ import annotations

from datetime import UTC, datetime

from .errors import QuantityError, shown


def moment(text: str) -> str:
    """Return a time as text that sorts by time: UTC; a time without a zone counts as UTC.

    Parameters
    ----------
    text : str
        As in ISO 8601, such as ``2026-05-05T09:12:00Z``.

    Raises
    ------
    QuantityError
        If it is none.

    Examples
    --------
    >>> moment("2026-05-05T11:12:00+02:00")
    '2026-05-05T09:12:00.000000Z'
    """
    try:
        read = datetime.fromisoformat(text)
        read = read.replace(tzinfo=UTC) if read.tzinfo is None else read.astimezone(UTC)
    except (ValueError, OverflowError):
        raise QuantityError(
            f"the time {shown(text)}", "a date and time such as 2026-05-05T09:12:00Z"
        ) from None
    return f"{read:%Y-%m-%dT%H:%M:%S.%f}Z" if read.year > 999 else f"0{read:%Y-%m-%dT%H:%M:%S.%f}Z"
