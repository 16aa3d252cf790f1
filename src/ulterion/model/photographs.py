"""Photographs of a review as they are published: no larger than a page needs, and without what a camera writes into them."""

from __future__ import annotations

import io
from pathlib import Path

from ulterion.core.errors import UsageError

FOLDER = "photos"
ENDINGS = (".jpg", ".jpeg", ".png", ".webp")
MAX_PHOTO = 40_000_000  # bytes of a file
MAX_SIDE = 1600  # pixels
MAX_PUBLISHED = 400_000  # bytes, up to which a photograph of ours is taken as it is
QUALITY = 82
MOST = 40  # photographs of a review


def photographs(folder: Path) -> list[Path]:
    """Return the photographs of a review folder by their names; raise UsageError for two of one name, or for too many."""
    found = sorted(p for p in (folder / FOLDER).glob("*") if p.suffix.lower() in ENDINGS)
    stems = [p.stem for p in found]
    twice = next((p.stem for p in found if stems.count(p.stem) > 1), None)
    if twice is not None:
        raise UsageError(f"{FOLDER}/ has two photographs called {twice}; give one of them another name")
    if len(found) > MOST:
        raise UsageError(f"{FOLDER}/ holds {len(found)} photographs, and a page takes {MOST}; move some elsewhere")
    return found


def prepared(data: bytes, name: str) -> bytes:
    """Return a photograph as a JPEG of at most `MAX_SIDE` pixels, upright, without place, time and camera; raise UsageError.

    One that is so already comes back unchanged, so that a published page can be made again.
    """
    from PIL import Image, ImageOps

    try:
        with Image.open(io.BytesIO(data)) as picture:
            plain = not set(picture.info) - {"jfif", "jfif_version", "jfif_unit", "jfif_density"}
            small = max(picture.size) <= MAX_SIDE and len(data) <= MAX_PUBLISHED
            if picture.format == "JPEG" and plain and small:
                picture.verify()
                return data
            upright = ImageOps.exif_transpose(picture).convert("RGB")
            upright.thumbnail((MAX_SIDE, MAX_SIDE))
            out = io.BytesIO()
            upright.save(out, "JPEG", quality=QUALITY, optimize=True)
    except (OSError, ValueError, SyntaxError, Image.DecompressionBombError) as error:
        raise UsageError(f"{name} cannot be read as a photograph: {error}; save it as JPEG or PNG") from error
    return out.getvalue()
