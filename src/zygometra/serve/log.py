"""The log: one line an event, escaped, closed to others; it holds no person's words and no values of the database."""

from __future__ import annotations

import logging
import os
import time
from logging.handlers import RotatingFileHandler
from pathlib import Path
from traceback import extract_tb

_OURS = Path(__file__).parents[1]
_MOST, _KEPT = 5_000_000, 3


class OneLine(logging.Formatter):
    """An event as one line: when, how grave, where, what; a fault by its kind and the lines it came through.

    What a fault says of itself is left out: it may hold what a person typed.
    """

    def __init__(self) -> None:
        super().__init__("%(asctime)s %(levelname)s %(name)s %(message)s")

    def formatTime(self, record: logging.LogRecord, datefmt: str | None = None) -> str:
        """Return when it happened, in universal time."""
        return time.strftime(datefmt or "%Y-%m-%dT%H:%M:%SZ", time.gmtime(record.created))

    def format(self, record: logging.LogRecord) -> str:
        """Return the line."""
        error = record.exc_info[1] if record.exc_info else None
        plain = logging.makeLogRecord(
            {**vars(record), "exc_info": None, "exc_text": None, "stack_info": None}
        )
        return escaped(super().format(plain) + (f" {came_through(error)}" if error is not None else ""))


def escaped(text: str) -> str:
    """Return a text as one line of plain letters.

    Examples
    --------
    >>> print(escaped("two\\nlines \\x1b[31m ü"))
    two\\nlines \\x1b[31m \\xfc
    """
    return text.encode("unicode_escape").decode("ascii").replace("\\\\", "\\")


def came_through(error: BaseException) -> str:
    """Return the kind of a fault, the lines of ours it came through and the one where it arose, without its words."""
    frames = extract_tb(error.__traceback__)
    ours = [frame for frame in frames[:-1] if _OURS in Path(frame.filename).parents]
    places = " > ".join(f"{Path(frame.filename).name}:{frame.lineno}" for frame in [*ours[-6:], *frames[-1:]])
    return f"{type(error).__name__} at {places}"


def keep_log(var: Path) -> None:
    """Write what happens to ``server.log`` in a folder, which nobody else may read, and warnings to the terminal.

    Parameters
    ----------
    var : Path
        The folder; old files are kept beside, three of them.
    """
    file = var / "server.log"
    handler = RotatingFileHandler(file, maxBytes=_MOST, backupCount=_KEPT, encoding="ascii")
    os.chmod(file, 0o600)
    terminal = logging.StreamHandler()
    terminal.setLevel(logging.WARNING)
    root = logging.getLogger()
    root.setLevel(logging.INFO)
    for kept in (handler, terminal):
        kept.setFormatter(OneLine())
        root.addHandler(kept)
    # What libraries tell of themselves is no event of ours, and may hold values.
    for noisy in ("alembic", "sqlalchemy", "weasyprint", "fontTools", "PIL"):
        logging.getLogger(noisy).setLevel(logging.ERROR)
