"""A photograph made small: a JPEG of at most 300 kB, with nothing in it but the picture."""

from __future__ import annotations

import io

from zygometra.core.errors import QuantityError

MOST_BYTES = 12_000_000
KEPT_BYTES = 300_000
# Sides and qualities that are tried, the largest first.
_SIDES = (1600, 1280, 1024, 800, 640, 480)
_QUALITIES = (82, 70, 55)
# A picture of more points, or of a longer side, is refused before it is unpacked. A JPEG is unpacked at a part of
# its size at once; others are not.
_MOST_POINTS, _MOST_SIDE = {"JPEG": 60_000_000, "PNG": 16_000_000}, 16_000
_WANTED = "a JPEG or a PNG of up to 12 MB"


def made_small_behind(_telling: object, content: bytes) -> bytes:
    """Return a photograph as it is kept, in a process of its own; see :func:`made_small`."""
    return made_small(content)


def made_small(content: bytes) -> bytes:
    """Return a photograph as it is kept.

    Parameters
    ----------
    content : bytes
        A JPEG or a PNG.

    Returns
    -------
    bytes
        A JPEG of at most 300 kB, turned upright; what a camera wrote beside the picture (place,
        time, device) is not in it.

    Raises
    ------
    QuantityError
        If it is no such picture, or too large.
    """
    from PIL import Image, ImageOps, UnidentifiedImageError

    if not content:
        raise QuantityError("no picture", _WANTED)
    if len(content) > MOST_BYTES:
        raise QuantityError("a picture of more than 12 MB", _WANTED)
    try:
        with Image.open(io.BytesIO(content), formats=("JPEG", "PNG")) as opened:
            most = _MOST_POINTS[str(opened.format)]
            if opened.width * opened.height > most or max(opened.size) > _MOST_SIDE:
                raise QuantityError(
                    f"{opened.width} × {opened.height} points",
                    f"up to {most // 1_000_000} million points, no side above {_MOST_SIDE}",
                )
            opened.draft("RGB", (_SIDES[0], _SIDES[0]))
            opened.thumbnail((_SIDES[0], _SIDES[0]))
            # Only the points are taken over: the new picture has no other content.
            upright = ImageOps.exif_transpose(opened).convert("RGB")
            clean = Image.new("RGB", upright.size)
            clean.paste(upright)
    except UnidentifiedImageError:
        raise QuantityError("no picture that can be read", _WANTED) from None
    except (OSError, ValueError, SyntaxError, Image.DecompressionBombError):
        raise QuantityError("a picture that breaks off or is damaged", _WANTED) from None
    for side in _SIDES:
        smaller = clean.copy()
        smaller.thumbnail((side, side))
        for quality in _QUALITIES:
            out = io.BytesIO()
            smaller.save(out, "JPEG", quality=quality, optimize=True)
            if out.tell() <= KEPT_BYTES:
                return out.getvalue()
    raise QuantityError("a picture that stays too large", _WANTED)
