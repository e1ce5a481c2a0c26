"""The key that signs cookies: given, or made once for this machine."""

from __future__ import annotations

import os
import secrets
from pathlib import Path

SHORTEST_KEY = 32
"""Characters of a key that signs cookies."""


def secret_key(var: Path) -> str:
    """Return the key that signs cookies: the environment's, else one made once for this machine.

    Parameters
    ----------
    var : Path
        The folder that keeps it.

    Returns
    -------
    str
        The same for every process that is given this folder, however many start at once.

    Raises
    ------
    SystemExit
        With a sentence, where the environment's is too short to keep anybody out.
    """
    if key := os.environ.get("SECRET_KEY"):
        if len(key) < SHORTEST_KEY:
            raise SystemExit(
                f"SECRET_KEY has {len(key)} characters; give at least {SHORTEST_KEY}, or none: "
                "one is then made and kept."
            )
        return key
    file = var / "secret-key"
    if not (kept := _read(file)):
        kept = _make(file)
    return kept


def _read(file: Path) -> str:
    """The key that is kept; empty where there is none, or only what a broken start left."""
    try:
        key = file.read_text().strip()
    except (FileNotFoundError, UnicodeDecodeError):
        return ""
    return key if len(key) >= SHORTEST_KEY else ""


def _make(file: Path) -> str:
    """Make a key beside and bind it to its place in one step: of two that start at once, one key stands."""
    made = file.with_name(f"{file.name}.{os.getpid()}.{secrets.token_hex(4)}")
    made.touch(mode=0o600)
    made.write_text(secrets.token_hex(32))
    try:
        try:
            os.link(made, file)
        except FileExistsError:
            if not _read(file):
                made.replace(file)
    finally:
        made.unlink(missing_ok=True)
    return _read(file)
