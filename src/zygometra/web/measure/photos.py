"""A photograph made small: a JPEG of at most 300 kB, with nothing in it but the picture."""

from __future__ import annotations

import io

from zygometra.core.errors import QuantityError

MOST_BYTES = 12_000_000
KEPT_BYTES = 300_000
# Sides and qualities that are tried, the largest first.
_SIDES = (1600, 1280, 1024, 800, 640, 480)
_QUALITIES = (82, 70, 55)
# A picture of more points is refused before it is unpacked.
_MOST_POINTS = 60_000_000
_WANTED = "a JPEG or a PNG of up to 12 MB"


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
            if opened.width * opened.height > _MOST_POINTS:
                raise QuantityError(
                    f"{opened.width} × {opened.height} points", "a picture of up to 60 million points"
                )
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
