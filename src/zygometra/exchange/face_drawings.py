"""The face of a deck or a head with its cuts, as DXF and as SVG, to scale in mm. ezdxf is imported only here."""

from __future__ import annotations

import io
from collections.abc import Sequence
from typing import NamedTuple
from xml.sax.saxutils import escape

_TEXT, _MARGIN = 6.0, 60.0


class Marked(NamedTuple):
    """A corner or a hole on the face: where it is in mm, what is written there, and its radius (a corner: nought)."""

    name: str
    x: float
    y: float
    words: str
    radius: float = 0.0


class FaceDrawn(NamedTuple):
    """A face to be drawn: its outline from its least to its largest x and y in mm, what is on it, its title lines."""

    low: tuple[float, float]
    high: tuple[float, float]
    marks: Sequence[Marked]
    title: Sequence[str]


def face_dxf(face: FaceDrawn) -> bytes:
    """Return a face as DXF (R2010, mm): outline, bores, texts, each on a layer of its own.

    Parameters
    ----------
    face : FaceDrawn
        In mm.
    """
    from ezdxf import document, units

    drawing = document.Drawing.new("R2010")
    drawing.units = units.MM
    for layer in ("FACE", "BORES", "CUTS", "TITLE"):
        drawing.layers.add(layer)
    space = drawing.modelspace()
    (x0, y0), (x1, y1) = face.low, face.high
    space.add_lwpolyline([(x0, y0), (x1, y0), (x1, y1), (x0, y1)], close=True, dxfattribs={"layer": "FACE"})
    for mark in face.marks:
        if mark.radius:
            space.add_circle((mark.x, mark.y), mark.radius, dxfattribs={"layer": "BORES"})
        else:
            space.add_point((mark.x, mark.y), dxfattribs={"layer": "CUTS"})
        for row, words in enumerate((mark.words, mark.name)):
            text = space.add_text(words, height=_TEXT, dxfattribs={"layer": "CUTS"})
            text.set_placement((mark.x, mark.y - row * 1.6 * _TEXT))
    for row, words in enumerate(face.title):
        text = space.add_text(words, height=_TEXT, dxfattribs={"layer": "TITLE"})
        text.set_placement((x0, y0 - _MARGIN - row * 1.6 * _TEXT))
    out = io.StringIO()
    drawing.write(out)
    return out.getvalue().encode()


def face_svg(face: FaceDrawn, *, letters: float = _TEXT) -> str:
    """Return a face as an SVG of its own, a unit a mm, black on white.

    Parameters
    ----------
    face : FaceDrawn
        In mm.
    letters : float
        How high its letters are, in mm.
    """
    (x0, y0), (x1, y1) = face.low, face.high
    margin, above = max(_MARGIN, 9 * letters), 3 * letters
    width, height = x1 - x0 + 2 * margin, y1 - y0 + 2 * above + 1.6 * letters * len(face.title)

    def at(x: float, y: float) -> tuple[float, float]:
        return x - x0 + margin, y1 - y + above

    left, top = at(x0, y1)
    out = [
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{width:g}mm" height="{height:g}mm"'
        f' viewBox="0 0 {width:g} {height:g}" font-family="sans-serif" font-size="{letters:g}">',
        f'<rect width="{width:g}" height="{height:g}" fill="#fff"/>',
        f'<rect x="{left:g}" y="{top:g}" width="{x1 - x0:g}" height="{y1 - y0:g}" fill="none" stroke="#000"/>',
    ]
    for mark in face.marks:
        x, y = at(mark.x, mark.y)
        if mark.radius:
            out.append(f'<circle cx="{x:g}" cy="{y:g}" r="{mark.radius:g}" fill="none" stroke="#000"/>')
        else:
            out.append(f'<path d="M{x - 3:g} {y:g}h6M{x:g} {y - 3:g}v6" stroke="#000"/>')
        anchor = "middle" if mark.radius else "start" if mark.x > (x0 + x1) / 2 else "end"
        aside = 0.0 if mark.radius else 5.0 if anchor == "start" else -5.0
        for row, words in enumerate((mark.words, mark.name)):
            line = y + row * 1.4 * letters - (0 if mark.radius else 5)
            out.append(f'<text x="{x + aside:g}" y="{line:g}" text-anchor="{anchor}">{escape(words)}</text>')
    for row, words in enumerate(face.title):
        line = y1 - y0 + 2 * above + (row + 0.5) * 1.6 * letters
        out.append(f'<text x="{margin:g}" y="{line:g}">{escape(words)}</text>')
    return "".join(out) + "</svg>"


def qr_svg(address: str) -> str:
    """Return an address as a QR code, an inline SVG of black modules. segno is imported only here.

    Parameters
    ----------
    address : str
        What whoever scans it opens.
    """
    import segno

    code: str = segno.make(address, error="m").svg_inline(scale=3, border=2, dark="#000", light="#fff")
    return code
