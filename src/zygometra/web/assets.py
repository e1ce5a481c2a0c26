"""Styles, scripts and fonts: compressed once, named by their content, kept by the browser.

What every page uses lies in ``static``; what one bench uses lies in a folder ``static`` of
its own, and is named after it: ``mix/mix.css``. One mark stands for all of them, so that a
style sheet may name its fonts beside it, and a script another.
"""

from __future__ import annotations

import gzip
import hashlib
import mimetypes
from functools import cache
from pathlib import Path

from flask import Blueprint, Response, abort, request, url_for

WEB = Path(__file__).parent
STATIC = WEB / "static"
# What every page is styled with, in the order of the cascade: read by component, sent as one.
STYLES = (
    "tokens",
    "fonts",
    "base",
    "bar",
    "bench",
    "reckoning",
    "findings",
    "drawing",
    "forms",
    "gates",
    "queue",
    "tables",
    "dialog",
    "print",
)
ALL_STYLES = "css/all.css"
assets = Blueprint("assets", __name__)
mimetypes.add_type("font/woff2", ".woff2")


@cache
def _shipped() -> dict[str, Path]:
    """Every file that ships, by the name it is asked for: what is not among them is no file of ours."""
    folders = [("", STATIC), *((f"{bench.parent.name}/", bench) for bench in sorted(WEB.glob("*/static")))]
    return {
        prefix + file.relative_to(folder).as_posix(): file
        for prefix, folder in folders
        for file in sorted(folder.rglob("*"))
        if file.is_file()
    }


@cache
def _mark() -> str:
    """The mark of everything that ships: it changes whenever one file does."""
    digest = hashlib.sha256()
    for name, file in _shipped().items():
        digest.update(name.encode() + file.read_bytes())
    return digest.hexdigest()[:12]


def asset_file(name: str) -> Path:
    """Return where a static file lies: in its bench's folder, or in the common one.

    Raises
    ------
    FileNotFoundError
        Where nothing of that name ships.
    """
    try:
        return _shipped()[name]
    except KeyError:
        raise FileNotFoundError(name) from None


@cache
def _contents() -> dict[str, tuple[bytes, bytes | None, str]]:
    """What is served, by name: bytes, their gzip form where that is smaller, and their type.

    Made once and whole, so that nothing is kept by a spelling that a visitor thought of.
    """
    plain = {name: file.read_bytes() for name, file in _shipped().items()}
    plain[ALL_STYLES] = b"\n".join(plain[f"css/{part}.css"] for part in STYLES)
    out = {}
    for name, content in plain.items():
        packed = gzip.compress(content, 9, mtime=0)
        kind = mimetypes.guess_type(name)[0] or "application/octet-stream"
        out[name] = content, packed if len(packed) < 0.9 * len(content) else None, kind
    return out


@cache
def asset(name: str) -> str:
    """Return the address of a static file; it changes whenever its content does."""
    return url_for("assets.serve", mark=_mark(), name=name)


@assets.get("/static/<mark>/<path:name>")
def serve(mark: str, name: str) -> Response:
    """Serve a static file, to be kept for a year where its mark is the present one."""
    found = _contents().get(name)
    if found is None:
        abort(404)
    plain, packed, kind = found
    text = kind.startswith("text/") or kind.endswith("javascript")
    response = Response(plain, content_type=f"{kind}; charset=utf-8" if text else kind)
    if packed is not None:
        response.vary.add("Accept-Encoding")
        if request.accept_encodings.quality("gzip"):
            response.data = packed
            response.content_encoding = "gzip"
    year = "public, max-age=31536000, immutable"
    response.headers["Cache-Control"] = year if mark == _mark() else "no-cache"
    return response
