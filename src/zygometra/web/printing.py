"""A printed page as an answer: PDF, shown in the browser. The printer is imported only when one is asked for."""

from __future__ import annotations

from flask import Response

from .assets import asset_file


def pdf_response(html: str, name: str) -> Response:
    """Return a page as PDF, under the name that it is kept by."""
    from zygometra.exchange.pdf import to_pdf

    response = Response(to_pdf(html, asset_file=asset_file), content_type="application/pdf")
    response.headers["Content-Disposition"] = f'inline; filename="{name}"'
    return response
