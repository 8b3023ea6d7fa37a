"""Opening pictures: decoding, orientation, a stated working resolution."""

from __future__ import annotations

import io
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageOps, UnidentifiedImageError

from cutkey.core.errors import BadInput
from cutkey.core.limits import reading
from cutkey.core.steps.kind import WORKING_SIDE

MAX_MEGAPIXELS = 100


class Picture(NamedTuple):
    """A decoded picture."""

    rgb: NDArray[np.uint8]  # (H, W, 3)
    alpha: NDArray[np.uint8] | None  # (H, W), None when opaque
    original_size: tuple[int, int]  # width, height in px as stored


def read_picture(data: bytes, name: str) -> Picture:
    """Decode a picture, turn it upright and reduce it to the working resolution.

    Parameters
    ----------
    data : bytes
        The file as it is: PNG, JPEG, WebP, BMP or TIFF.
    name : str
        What to call the file in messages.

    Raises
    ------
    BadInput
        When it is no picture, damaged, or larger than `MAX_MEGAPIXELS`.
    """
    if not data:
        raise BadInput(f"{name} is empty (0 bytes); choose another picture.")
    previous, Image.MAX_IMAGE_PIXELS = Image.MAX_IMAGE_PIXELS, None
    with reading(name):
        return _decoded(data, name, previous)


def _decoded(data: bytes, name: str, previous: int | None) -> Picture:
    try:
        with Image.open(io.BytesIO(data), formats=("PNG", "JPEG", "WEBP", "BMP", "TIFF")) as image:
            size = image.size
            if size[0] * size[1] > MAX_MEGAPIXELS * 1e6:
                raise BadInput(
                    f"{name} is {size[0]} × {size[1]} px, more than the {MAX_MEGAPIXELS} megapixels Cut Key opens; "
                    f"reduce it to {WORKING_SIDE} px on its longer side, which is all a trace needs."
                )
            image.draft("RGB", (WORKING_SIDE, WORKING_SIDE))
            upright = ImageOps.exif_transpose(image)
            has_alpha = "A" in upright.getbands() or "transparency" in upright.info
            upright = upright.convert("RGBA" if has_alpha else "RGB")
            longest = max(upright.size)
            if longest > WORKING_SIDE:
                scale = WORKING_SIDE / longest
                new = (max(1, round(upright.width * scale)), max(1, round(upright.height * scale)))
                upright = upright.resize(new, Image.Resampling.BOX, reducing_gap=2.0)
            pixels = np.asarray(upright)
    except UnidentifiedImageError:
        raise BadInput(f"{name} is not a picture Cut Key can read; use PNG, JPEG, WebP, BMP or TIFF.") from None
    except (OSError, SyntaxError, ValueError, EOFError, MemoryError, Image.DecompressionBombError):
        raise BadInput(f"{name} is damaged or cut short; open it in a picture editor and save it again.") from None
    finally:
        Image.MAX_IMAGE_PIXELS = previous
    alpha = np.ascontiguousarray(pixels[..., 3]) if has_alpha else None
    if alpha is not None and alpha.min() == 255:
        alpha = None
    if min(pixels.shape[:2]) < 2:
        raise BadInput(f"{name} is only {size[0]} × {size[1]} px; choose a larger picture.")
    return Picture(np.ascontiguousarray(pixels[..., :3]), alpha, size)
