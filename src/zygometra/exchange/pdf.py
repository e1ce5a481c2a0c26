"""From a page to PDF. WeasyPrint is imported only here, and only when a sheet is asked for."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

TYPES = {".css": "text/css", ".woff2": "font/woff2"}


def to_pdf(html: str, *, asset_file: Callable[[str], Path]) -> bytes:
    """Return a page as PDF.

    Parameters
    ----------
    html : str
        A whole page; it names its styles and fonts as ``asset:name``.
    asset_file : callable
        Says which file such a name is; nothing else is ever opened, no address fetched.

    Returns
    -------
    bytes
        A PDF document.
    """
    from weasyprint import HTML
    from weasyprint.urls import URLFetcher, URLFetcherResponse

    class OnlyAssets(URLFetcher):  # type: ignore[misc]
        def fetch(self, url: str, headers: Any = None) -> Any:  # noqa: ARG002 - as its base
            if not url.startswith("asset:"):
                raise ValueError(f"outside address refused: {url}")
            file = asset_file(url.removeprefix("asset:"))
            kind = TYPES.get(file.suffix, "application/octet-stream")
            return URLFetcherResponse(url, file.read_bytes(), headers={"Content-Type": kind})

    pdf: bytes = HTML(string=html, url_fetcher=OnlyAssets(), base_url="asset:").write_pdf()
    return pdf
