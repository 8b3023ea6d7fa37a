"""Pictures of pixels, all read by one package (`picture.read`)."""

from __future__ import annotations

from cutkey.core.formats.kind import Format


class Pictures(Format):
    """PNG, JPEG, WebP, AVIF, GIF, BMP and TIFF."""

    id, rank, holds = "pictures", 80, "picture"
    suffixes = (".png", ".jpg", ".jpeg", ".webp", ".avif", ".gif", ".bmp", ".tif", ".tiff")
