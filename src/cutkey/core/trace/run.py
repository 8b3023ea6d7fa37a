"""From a picture and the maker's settings to regions in pixels, with what the light table shows beside them."""

from __future__ import annotations

from typing import NamedTuple

import cv2
import numpy as np
import shapely
from numpy.typing import NDArray

from cutkey.core.colour.difference import difference, hex_of, rgb_of
from cutkey.core.errors import BadInput
from cutkey.core.picture.background import background_mask
from cutkey.core.picture.labels import Labels, despeckle, label_pixels
from cutkey.core.picture.palette import find_palette
from cutkey.core.picture.prepare import calm, even_light, noise_level, over_matte
from cutkey.core.picture.read import Picture
from cutkey.core.trace.partition import Region, partition
from cutkey.core.trace.settings import TraceSettings


class Trace(NamedTuple):
    """A traced picture, in pixel coordinates, y down."""

    picture: NDArray[np.uint8]  # (H, W, 3) as prepared
    regions: list[Region]
    background: str | None  # colour of what was taken away
    specks: int
    noise: float
    threshold: float | None  # in use, 0 to 1
    histogram: NDArray[np.int64]  # (64,) brightness
    original_size: tuple[int, int]  # of the file, px; the picture is worked at a stated size

    @property
    def bounds(self) -> tuple[float, float, float, float]:
        """Left, top, right, bottom of the regions."""
        b = shapely.bounds(np.array([r.geometry for r in self.regions], object))
        return float(b[:, 0].min()), float(b[:, 1].min()), float(b[:, 2].max()), float(b[:, 3].max())


def trace(picture: Picture, settings: TraceSettings, width_mm: float, name: str = "The picture") -> Trace:
    """Prepare, label and trace a picture.

    Parameters
    ----------
    picture : Picture
    settings : TraceSettings
    width_mm : float
        Width of the graphic when made; specks are judged at that size.
    name : str
        What to call the picture in messages.

    Raises
    ------
    BadInput
        When nothing is left to trace.
    """
    rgb, matte = _prepared(picture, settings)
    noise = noise_level(rgb)
    work = calm(rgb, noise) if settings.smooth else rgb
    grey = cv2.cvtColor(work, cv2.COLOR_RGB2GRAY)
    threshold = _threshold(grey, settings) if settings.mode == "threshold" else None
    work, palette, labels = _labelled(work, grey, settings, threshold, matte)
    keep = ~_background(labels, palette, settings, matte)
    if not keep.any():
        raise BadInput(f"{name} has nothing on its background to trace; set the background to “keep” or choose other colours.")
    # What was taken away is a label of its own, so that a like-coloured area inside the figure stays.
    away = len(palette)
    columns = np.nonzero(keep.any(0))[0]
    mm_per_px = width_mm / float(columns[-1] - columns[0] + 1)
    table = palette
    if not keep.all():
        taken = int(np.bincount(labels[~keep]).argmax())
        table = np.concatenate([palette, palette[taken : taken + 1]])
        labels = np.where(keep, labels, away).astype(np.int32)
    labels, specks = despeckle(labels, settings.despeckle_mm2 / mm_per_px**2)
    found = partition(work, labels, table)
    regions = [Region(hex_of(palette[k]), g) for k, g in sorted(found.items()) if k < away]
    if not regions:
        raise BadInput(f"{name} has only specks smaller than {settings.despeckle_mm2:g} mm² at this size; lower the speck limit.")
    if settings.shape == "silhouette":
        regions = [_silhouette(regions)]
    background = hex_of(table[away]) if len(table) > away else None
    histogram = np.histogram(grey, 64, (0, 256))[0]
    return Trace(rgb, regions, background, specks, noise, threshold, histogram, picture.original_size)


def _prepared(picture: Picture, settings: TraceSettings) -> tuple[NDArray[np.uint8], NDArray[np.uint8] | None]:
    rgb, alpha = picture.rgb, picture.alpha
    if settings.crop:
        h, w = rgb.shape[:2]
        x0, y0, x1, y1 = settings.crop
        rows = slice(min(h - 2, int(y0 * h)), max(int(y0 * h) + 2, round(y1 * h)))
        columns = slice(min(w - 2, int(x0 * w)), max(int(x0 * w) + 2, round(x1 * w)))
        rgb = np.ascontiguousarray(rgb[rows, columns])
        alpha = np.ascontiguousarray(alpha[rows, columns]) if alpha is not None else None
    matte = None
    if alpha is not None:
        rgb, matte = over_matte(rgb, alpha)
    elif settings.even_light:
        rgb = even_light(rgb)
    return (255 - rgb, None if matte is None else 255 - matte) if settings.invert else (rgb, matte)


def _threshold(grey: NDArray[np.uint8], settings: TraceSettings) -> float:
    if settings.threshold is not None:
        return settings.threshold
    # N. Otsu: A threshold selection method from gray-level histograms. IEEE Trans. SMC 9 (1979) 62-66.
    return float(cv2.threshold(grey, 0, 255, cv2.THRESH_BINARY + cv2.THRESH_OTSU)[0] + 0.5) / 255


def _labelled(
    work: NDArray[np.uint8], grey: NDArray[np.uint8], settings: TraceSettings, threshold: float | None, matte: NDArray[np.uint8] | None
) -> tuple[NDArray[np.uint8], NDArray[np.uint8], Labels]:
    """The image whose blends place the boundaries, its palette, and the label map."""
    if threshold is not None:
        labels = (grey > threshold * 255).astype(np.int32)
        dark = np.median(grey[labels == 0]) if (labels == 0).any() else 0
        light = np.median(grey[labels == 1]) if (labels == 1).any() else 255
        palette = np.repeat(np.array([[dark], [light]], np.uint8), 3, 1)
        return np.repeat(grey[..., None], 3, 2), palette, labels
    if settings.mode == "levels":
        work = np.repeat(grey[..., None], 3, 2)
        samples = grey.reshape(-1, 1)[:: max(1, grey.size // 60000)].astype(np.float32)
        cv2.setRNGSeed(1)
        _, _, centres = cv2.kmeans(samples, max(2, settings.colours or 4), None, (3, 40, 0.1), 3, cv2.KMEANS_PP_CENTERS)
        palette = np.repeat(np.unique(np.round(centres)).astype(np.uint8)[:, None], 3, 1)
        return work, palette, label_pixels(work, palette)
    palette = find_palette(work, settings.colours + 1 if settings.colours and settings.background != "none" else settings.colours)
    if matte is not None and difference(matte, palette).min() > 2:
        palette = np.concatenate([palette, matte[None]])
    labels = label_pixels(work, palette)
    return work, palette, _merged(labels, palette, settings.merges)


def _merged(labels: Labels, palette: NDArray[np.uint8], merges: tuple[tuple[str, str], ...]) -> Labels:
    """Labels with merged colours; a colour is recognised by the nearest of the palette."""
    table = np.arange(len(palette), dtype=np.int32)
    for source, target in merges:
        a = int(np.argmin(difference(np.array(rgb_of(source)), palette)))
        b = int(np.argmin(difference(np.array(rgb_of(target)), palette)))
        table[table == a] = table[b]
    return table[labels]


def _background(labels: Labels, palette: NDArray[np.uint8], settings: TraceSettings, matte: NDArray[np.uint8] | None) -> NDArray[np.bool_]:
    if matte is not None:
        return np.asarray(labels == int(np.argmin(difference(matte, palette))))
    if settings.background == "none":
        return np.zeros(labels.shape, bool)
    if settings.mode == "threshold" and settings.background == "auto":
        return np.asarray(labels == 1)
    point = settings.background_at if settings.background == "point" else None
    return background_mask(labels, point, touching_only=not settings.everywhere)


def _silhouette(regions: list[Region]) -> Region:
    """Everything in one colour, holes filled; the colour of the largest region."""
    whole = shapely.coverage_union_all([p for r in regions for p in r.geometry.geoms])
    filled = shapely.union_all(shapely.polygons(shapely.get_exterior_ring(shapely.get_parts(whole))))
    largest = max(regions, key=lambda r: r.geometry.area)
    return Region(largest.colour, shapely.multipolygons(shapely.get_parts(filled)))
