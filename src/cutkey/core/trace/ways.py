"""What kind of picture one is."""

from __future__ import annotations

from collections.abc import Callable

import cv2
import numpy as np

from cutkey.core.colour.difference import lab_of
from cutkey.core.geometry.arrays import U8
from cutkey.core.imaging.glare import without_glare
from cutkey.core.imaging.halftone import without_halftone
from cutkey.core.imaging.prepare import calm, even_light, noise_level
from cutkey.core.imaging.shadow import without_shadow
from cutkey.core.imaging.size import at_most
from cutkey.core.model.ways import Kind, Light
from cutkey.core.picture.palette import Looks, looks_of
from cutkey.core.picture.pixels import is_pixel_art

#: It is judged at this size, px along the longer side.
SIDE = 400
#: Chroma (CIELAB) from which a pixel is coloured, and the share of such pixels that makes a picture coloured.
COLOURED, SHARE = 14.0, 0.03
#: Share of the variance that two tones explain from which a picture is dark on light (Otsu's criterion).
TWO_TONES = 0.65
#: How uneven paper is, as a share of the step to its ink.
GROUND = 0.18
#: A drawing has no more colours than this, and so much of it is nearly of one of them.
FEW, MOSTLY = 10, 0.93
#: By how much evening the light must raise it to be worth it.
EVENED = 0.02
#: So little of the border may be light where light strokes lie on a dark ground.
BORDER = 0.02
#: Dark takes no more of a drawing than this.
INK = 0.45


def kind_of(rgb: U8) -> tuple[Kind, Light]:
    """What kind of picture one is, and what the light did to it.

    Parameters
    ----------
    rgb : ndarray, (H, W, 3), uint8
    """
    if is_pixel_art(rgb):
        return "pixel art", "even"
    smooth = without_halftone(rgb)
    if smooth is not rgb:
        return _kind_of_even(at_most(smooth, SIDE))[0], "halftone"
    lit = without_shadow(rgb)
    if lit is not rgb:
        return _kind_of_even(at_most(lit, SIDE))[0], "shadow"
    small = at_most(rgb, SIDE)
    kind, uneven = _kind_of_even(small)
    if kind in ("flat art", "line art", "photograph"):
        lit = without_glare(small)
        if lit is not small:
            clear, _ = _kind_of_even(lit)
            if clear != "photograph":
                return clear, "glare"
    return kind, "uneven" if uneven else "even"


def agreeing_looks(rgb: U8, kind: Kind) -> tuple[int, int]:
    """Return how many of several looks at a picture tell the kind it was told to be, and how many there are.

    A kind is told by thresholds; what is near one is told otherwise when the picture is smaller, lighter,
    darker or cropped.

    Parameters
    ----------
    rgb : ndarray, (H, W, 3), uint8
    kind : str
        As `kind_of` tells it.
    """
    if kind == "pixel art":
        return (len(_LOOKS) + 1,) * 2
    small = at_most(rgb, SIDE)
    kinds = [kind, *(_kind_of_even(look(small))[0] for look in _LOOKS)]
    return kinds.count(kind), len(kinds)


def _toned(gamma: float) -> Callable[[U8], U8]:
    table = (255 * (np.arange(256) / 255) ** gamma).round().astype(np.uint8)
    return lambda rgb: table[rgb]


def _cropped(rgb: U8) -> U8:
    h, w = (n // 10 for n in rgb.shape[:2])
    return rgb[h : rgb.shape[0] - h, w : rgb.shape[1] - w]


#: How a picture is looked at once more.
_LOOKS: tuple[Callable[[U8], U8], ...] = (
    lambda rgb: at_most(rgb, int(0.7 * SIDE)),
    lambda rgb: at_most(rgb, SIDE // 2),
    _toned(0.8),
    _toned(1.25),
    _cropped,
)


def _kind_of_even(small: U8) -> tuple[Kind, bool]:
    """What kind of picture one is, and whether its light changes slowly over it."""
    looks = looks_of(calm(small, noise_level(small)))
    lab = lab_of(small.reshape(-1, 3).astype(float))
    coloured = bool(np.mean(np.hypot(lab[:, 1], lab[:, 2]) > COLOURED) > SHARE)
    tones, ink, ground = _two_tones(small)
    if not looks.shaded:
        return (
            ("line art", False) if not coloured and tones > TWO_TONES and ink < INK else ("flat art", False)
        )
    if _is_light_on_dark(small):
        return "light on dark", False
    evened = even_light(small)
    if coloured:
        # A photographed drawing has few colours, and next to nothing else, once its light is even.
        lit = looks_of(calm(evened, noise_level(evened)))
        return (
            ("flat art", not _is_drawn(looks) or lit.colours < looks.colours)
            if _is_drawn(lit)
            else ("photograph", False)
        )
    even, even_ink, even_ground = _two_tones(evened)
    on_paper = [
        t > TWO_TONES and i < INK and g < GROUND
        for t, i, g in ((tones, ink, ground), (even, even_ink, even_ground))
    ]
    if any(on_paper):
        return "drawing on paper", on_paper[1] and even > tones + EVENED
    return "soft shading", False


def _is_drawn(looks: Looks) -> bool:
    return looks.colours <= FEW and looks.near >= MOSTLY


def _is_light_on_dark(rgb: U8) -> bool:
    """Return whether light strokes lie on a ground that is dark all round, as chalk or a blueprint."""
    grey = np.asarray(cv2.cvtColor(rgb, cv2.COLOR_RGB2GRAY))
    threshold, _ = cv2.threshold(grey, 0, 255, cv2.THRESH_BINARY + cv2.THRESH_OTSU)
    light = grey > threshold
    border = np.concatenate([light[0], light[-1], light[:, 0], light[:, -1]])
    # The step between the two is far larger than what either varies by.
    tones, dark, _ = _two_tones(rgb)
    if border.mean() >= BORDER or tones <= TWO_TONES or 1 - dark >= INK or not light.any():
        return False
    # The strokes are white or grey; colours on black are a drawing in colours.
    lab = lab_of(rgb[light].astype(float))
    return bool(np.median(np.hypot(lab[:, 1], lab[:, 2])) < COLOURED)


def _two_tones(rgb: U8) -> tuple[float, float, float]:
    """Share of the variance of brightness between the two sides of Otsu's threshold.

    Share of dark pixels, unevenness of the light ones.
    """
    grey = np.asarray(cv2.cvtColor(rgb, cv2.COLOR_RGB2GRAY))
    threshold, _ = cv2.threshold(grey, 0, 255, cv2.THRESH_BINARY + cv2.THRESH_OTSU)
    dark = grey <= threshold
    share = float(dark.mean())
    if share in (0.0, 1.0):
        return 0.0, share, 1.0
    step = float(grey[~dark].mean()) - float(grey[dark].mean())
    return (
        share * (1 - share) * step**2 / max(float(grey.astype(float).var()), 1e-9),
        share,
        float(grey[~dark].std()) / max(step, 1e-9),
    )
