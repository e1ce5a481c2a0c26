"""From a page to PDF. WeasyPrint is imported only here, and only when a sheet is asked for."""

from __future__ import annotations

from pathlib import Path
from typing import Any


def to_pdf(html: str, *, assets: Path) -> bytes:
    """Return a page as PDF.

    Parameters
    ----------
    html : str
        A whole page; it may name files of ``assets`` as ``asset:name``.
    assets : Path
        Where its styles and fonts lie; nothing else is ever opened, no address fetched.

    Returns
    -------
    bytes
        A PDF document.
    """
    from weasyprint import HTML
    from weasyprint.urls import URLFetcher, URLFetcherResponse

    class OnlyAssets(URLFetcher):  # type: ignore[misc]
        def fetch(self, url: str, headers: Any = None) -> Any:
            if not url.startswith("asset:"):
                raise ValueError(f"outside address refused: {url}")
            file = (assets / url.removeprefix("asset:")).resolve()
            if not file.is_relative_to(assets.resolve()):
                raise ValueError(f"outside the assets: {url}")
            kind = {".css": "text/css", ".woff2": "font/woff2"}.get(file.suffix, "application/octet-stream")
            return URLFetcherResponse(url, file.read_bytes(), headers={"Content-Type": kind})

    pdf: bytes = HTML(string=html, url_fetcher=OnlyAssets(), base_url="asset:").write_pdf()
    return pdf
