"""Opening pictures: decoding, orientation, a stated working resolution."""

from __future__ import annotations

import io
from collections.abc import Mapping
from typing import Any, NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageCms, ImageOps, UnidentifiedImageError

from cutkey.core.errors import BadInput
from cutkey.core.limits import reading
from cutkey.core.steps.kind import WORKING_SIDE
from cutkey.core.words import reading as say
from cutkey.core.words.kind import Words

MAX_MEGAPIXELS = 100
FORMATS = ("PNG", "JPEG", "WEBP", "AVIF", "GIF", "BMP", "TIFF")
#: Space of a profile that fits a kind of picture, by Pillow's name of it (ICC.1:2001-04, section 6.1.5).
SPACES = {"RGB": "RGB", "RGBA": "RGB", "CMYK": "CMYK", "L": "GRAY"}
#: What may be white in pictures that hold numbers, by Pillow's name of their kind.
WHITES = {"I;16": (65535.0,), "I": (255.0, 65535.0), "F": (1.0, 255.0, 65535.0)}


#: Of Exif: which way up the picture is.
_ORIENTATION = 274
#: A stated gamma this near to 1 / 2.2 changes nothing (share).
_USUAL_GAMMA = 0.03


class Picture(NamedTuple):
    """A decoded picture."""

    rgb: NDArray[np.uint8]  # (H, W, 3)
    alpha: NDArray[np.uint8] | None  # (H, W), None when opaque
    original_size: tuple[int, int]  # width, height in px as stored
    notes: tuple[Words, ...] = ()  # what was done to read it


def read_picture(data: bytes, name: str) -> Picture:
    """Decode a picture, turn it upright and reduce it to the working resolution.

    Parameters
    ----------
    data : bytes
        The file as it is: PNG, JPEG, WebP, AVIF, GIF, BMP or TIFF.
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


def reduced(picture: Picture, side: int) -> Picture:
    """Return the picture with its longest side at most `side` px.

    Parameters
    ----------
    picture : Picture
    side : int
    """
    h, w = picture.rgb.shape[:2]
    scale = side / max(h, w)
    if scale >= 1:
        return picture
    size = (max(4, round(w * scale)), max(4, round(h * scale)))
    rgb, alpha = (
        None if a is None else np.asarray(cv2.resize(a, size, interpolation=cv2.INTER_AREA), np.uint8)
        for a in picture[:2]
    )
    assert rgb is not None
    return picture._replace(rgb=rgb, alpha=alpha)


def _decoded(data: bytes, name: str, previous: int | None) -> Picture:
    try:
        with Image.open(io.BytesIO(data), formats=FORMATS) as image:
            size = image.size
            if size[0] * size[1] > MAX_MEGAPIXELS * 1e6:
                raise BadInput(
                    f"{name} is {size[0]} × {size[1]} px, more than the {MAX_MEGAPIXELS} megapixels Cut Key"
                    f" opens; reduce it to {WORKING_SIDE} px on its longer side, which is all a trace needs."
                )
            image.draft("RGB", (WORKING_SIDE, WORKING_SIDE))
            frames = getattr(image, "n_frames", 1)
            plain, notes = _in_bytes(_all_bits(image, data), name)
            if plain is not image:
                # Which way up it is was told by the file.
                plain.getexif()[_ORIENTATION] = image.getexif().get(_ORIENTATION, 1)
            upright, more = _in_srgb(ImageOps.exif_transpose(plain), image.info)
            notes += more
            if frames > 1:
                notes = (say.first_picture(name, frames), *notes)
            has_alpha = "A" in upright.getbands() or "transparency" in upright.info
            upright = upright.convert("RGBA" if has_alpha else "RGB")
            longest = max(upright.size)
            if longest > WORKING_SIDE:
                scale = WORKING_SIDE / longest
                new = (max(1, round(upright.width * scale)), max(1, round(upright.height * scale)))
                upright = upright.resize(new, Image.Resampling.BOX, reducing_gap=2.0)
            pixels = np.asarray(upright)
    except UnidentifiedImageError:
        if data[4:12] in (b"ftypheic", b"ftypheix", b"ftypmif1", b"ftypmsf1", b"ftyphevc"):
            raise BadInput(
                f"{name} is a HEIC picture, which Cut Key cannot read; save it as JPEG or PNG on the phone or"
                " computer."
            ) from None
        raise BadInput(
            f"{name} is not a picture Cut Key can read; use PNG, JPEG, WebP, AVIF, GIF, BMP or TIFF."
        ) from None
    except (OSError, SyntaxError, ValueError, EOFError, MemoryError, Image.DecompressionBombError):
        raise BadInput(
            f"{name} is damaged or cut short; open it in a picture editor and save it again."
        ) from None
    finally:
        Image.MAX_IMAGE_PIXELS = previous
    alpha = np.ascontiguousarray(pixels[..., 3]) if has_alpha else None
    if alpha is not None and alpha.min() == 255:
        alpha = None
    if min(pixels.shape[:2]) < 2:
        raise BadInput(f"{name} is only {size[0]} × {size[1]} px; choose a larger picture.")
    return Picture(np.ascontiguousarray(pixels[..., :3]), alpha, size, notes)


def _all_bits(image: Image.Image, data: bytes) -> Image.Image | NDArray[np.uint16]:
    """A picture, or (H, W, 3 or 4) of a coloured one of 16 bits: Pillow keeps only the upper eight."""
    if image.mode not in ("RGB", "RGBA") or not any(";16" in str(t) for t in getattr(image, "tile", ())):
        return image
    read = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
    if read is None or read.dtype != np.uint16 or read.ndim != 3:
        return image
    order = [2, 1, 0, 3][: read.shape[2]]
    return np.ascontiguousarray(read[..., order], np.uint16)


def _in_bytes(image: Image.Image | NDArray[np.uint16], name: str) -> tuple[Image.Image, tuple[Words, ...]]:
    """A picture of 16 bits, or of numbers, in 8 bits, and what is to be said of it.

    By its own range where that is none of the usual ones.
    """
    if not isinstance(image, Image.Image):
        colours = image[..., :3]
        white, said = _white_of(int(colours.max()), 65535)
        levels = np.minimum(np.round(colours * (255 / white)), 255)
        if image.shape[2] == 4:
            levels = np.dstack([levels, np.round(image[..., 3] / 257)])
        return Image.fromarray(levels.astype(np.uint8)), said
    if image.mode not in ("I", "F") and not image.mode.startswith("I;"):
        return image, ()
    values = np.asarray(image, np.float64)
    seen = values[np.isfinite(values)]
    if not len(seen):
        raise BadInput(f"{name} holds no brightness that is a number; export the picture again.")
    low, high = float(seen.min()), float(seen.max())
    tops = WHITES["I;16" if image.mode.startswith("I;") else image.mode]
    usual = next((top for top in tops if low >= 0 and high <= top), None)
    low, high = (0.0, usual) if usual is not None else (low, high)
    told: tuple[Words, ...] = ()
    if usual == 65535 and image.mode != "F":
        high, told = _white_of(int(seen.max()), 65535)
    grey = (np.nan_to_num(values, nan=low, posinf=high, neginf=low) - low) / max(high - low, 1e-12)
    return Image.fromarray(np.clip(np.round(grey * 255), 0, 255).astype(np.uint8)), told


def _white_of(most: int, white: int) -> tuple[int, tuple[Words, ...]]:
    """The white of numbers of 16 bits: that of 10, 12 or 14 bits where a camera or scanner used no more.

    A picture that is so dark in truth would be made lighter, so it is said.
    """
    bits = next((b for b in (10, 12, 14) if 255 < most < 1 << b), 0)
    return ((1 << bits) - 1, (say.fewer_bits(bits),)) if bits else (white, ())


def _in_srgb(image: Image.Image, info: Mapping[Any, Any]) -> tuple[Image.Image, tuple[Words, ...]]:
    """The colours as a screen shows them, when the picture says in which space they are.

    And what is to be said of it.
    """
    profile = info.get("icc_profile")
    if not profile and "srgb" not in info and info.get("gamma"):
        return _with_gamma(image, float(info["gamma"]))
    if not profile or image.mode not in SPACES:
        return image, ()
    try:
        own = ImageCms.ImageCmsProfile(io.BytesIO(profile))
        title = " ".join(ImageCms.getProfileDescription(own).split())
        if "srgb" in title.lower():
            return image, ()
        if own.profile.xcolor_space.strip() != SPACES[image.mode]:
            return image, (say.strange_profile(),)
        alpha = image.getchannel("A") if image.mode == "RGBA" else None
        bare = image.convert("RGB") if alpha is not None else image
        shown = ImageCms.profileToProfile(bare, own, ImageCms.createProfile("sRGB"), outputMode="RGB")
    except (ImageCms.PyCMSError, OSError, ValueError, TypeError):
        return image, (say.damaged_profile(),)
    if shown is None:
        return image, ()
    if alpha is not None:
        shown.putalpha(alpha)
    return shown, ()


def _with_gamma(image: Image.Image, gamma: float) -> tuple[Image.Image, tuple[Words, ...]]:
    """The levels as a screen shows them of a PNG that states its gamma.

    PNG specification, third edition (W3C 2023), 13.13: a sample is raised to the power of one over the file's
    gamma times the screen's exponent, 2.2.
    """
    if not 0.05 < gamma < 5 or abs(gamma * 2.2 - 1) < _USUAL_GAMMA:
        return image, ()
    if image.mode == "P":
        image = image.convert("RGBA" if "transparency" in image.info else "RGB")
    if image.mode not in ("L", "LA", "RGB", "RGBA"):
        return image, ()
    curve = [round(255 * (v / 255) ** (1 / (gamma * 2.2))) for v in range(256)]
    bands = len(image.getbands())
    same = list(range(256))
    with_alpha = image.mode in ("LA", "RGBA")
    table = curve * (bands - with_alpha) + same * with_alpha
    return image.point(table), (say.stated_gamma(gamma),)
