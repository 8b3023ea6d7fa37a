"""The colours of a picture by the maker's settings, and which of them each pixel has."""

from __future__ import annotations

from typing import NamedTuple

import cv2
import numpy as np

from cutkey.core.colour.difference import difference, lab_of, rgb_of
from cutkey.core.geometry.arrays import U8
from cutkey.core.imaging.chroma import LABELS, is_hue_blurred, weigh_hue
from cutkey.core.model.tracing import TraceSettings
from cutkey.core.picture.background import border_label
from cutkey.core.picture.gradients import join_gradients
from cutkey.core.picture.labels import PURE, label_pixels, nearest_colour, thin_colours_of
from cutkey.core.picture.line_hue import restore_lines
from cutkey.core.picture.palette import MAX_AUTOMATIC, explained_palette
from cutkey.core.picture.pixels import exact_palette
from cutkey.core.picture.specks import Labels
from cutkey.core.words import reading as say
from cutkey.core.words.kind import Words

#: Where lines are nowhere flat the middle of one may be so far off its colour (RGB distance).
_ON_LINES = 48.0


class Labelled(NamedTuple):
    """Colours of a picture, and the number of the colour of each pixel."""

    image: U8  # whose blends place the boundaries
    palette: U8
    labels: Labels
    threshold: float | None = None
    thresholds: tuple[float, ...] = ()
    why: Words | None = None
    lines: tuple[int, ...] = ()  # which colours occur in lines and tips only
    gradient: Words | None = None  # what is to be said of soft gradients
    joined: bool = False  # each of them is one colour
    blurred: bool = False  # hue has half the resolution: boundaries are placed mostly by brightness

    def sharp(self, rgb: U8) -> U8:
        """Return colours as boundaries are placed by them.

        Parameters
        ----------
        rgb : ndarray, (..., 3), uint8
        """
        return weigh_hue(rgb, LABELS) if self.blurred else rgb


def grey_of(rgb: U8) -> U8:
    """Return the brightness of a picture.

    Parameters
    ----------
    rgb : ndarray, (H, W, 3), uint8

    Returns
    -------
    ndarray, (H, W), uint8
    """
    return np.asarray(cv2.cvtColor(rgb, cv2.COLOR_RGB2GRAY), np.uint8)


def label_picture(
    work: U8, settings: TraceSettings, matte: U8 | None, restored: bool = False, beside: bool = True
) -> Labelled:
    """Return the colours of a picture, and which of them each pixel has.

    Parameters
    ----------
    work : ndarray, (H, W, 3), uint8
        The prepared picture.
    settings : TraceSettings
    matte : ndarray, (3,), uint8, or None
        The colour that stands for nothing.
    restored : bool
        Overshoot beside edges was undone.
    beside : bool
        Find one colour more than is asked for, which will be the background's.
    """
    grey = grey_of(work)
    if settings.mode == "threshold":
        threshold = settings.threshold
        if threshold is None:
            # N. Otsu: A threshold selection method from gray-level histograms. IEEE Trans. SMC 9 (1979)
            # 62-66.
            threshold = float(cv2.threshold(grey, 0, 255, cv2.THRESH_BINARY + cv2.THRESH_OTSU)[0] + 0.5) / 255
        return _levelled(grey, (threshold,))._replace(threshold=threshold)
    if settings.mode == "levels":
        return _levelled(
            grey, tuple(sorted(settings.thresholds)) or _thresholds(grey, max(2, settings.colours or 4))
        )
    blurred = settings.mode != "pixels" and is_hue_blurred(work)
    if settings.palette:
        palette, why = np.array([rgb_of(c) for c in settings.palette], np.uint8), say.picked_by_hand()
        lines = thin_colours_of(*(weigh_hue(a, LABELS) if blurred else a for a in (work, palette)))
    else:
        count = settings.colours + (beside and settings.colours > 0 and settings.background != "none")
        palette, why, lines = (
            exact_palette(work, count)
            if settings.mode == "pixels"
            else explained_palette(work, count, restored)
        )
    if matte is not None and difference(matte, palette).min() > 2:
        palette = np.concatenate([palette, matte[None]])
    if settings.mode == "pixels":
        lines = ()
    image = restore_lines(work, palette, lines) if blurred and 0 < len(lines) < len(palette) else work
    made = Labelled(image, palette, np.empty((0, 0), np.int32), why=why, lines=lines, blurred=blurred)
    return with_labels(made, settings, restored)


def with_labels(made: Labelled, settings: TraceSettings, restored: bool) -> Labelled:
    """Return the same with the number of the colour of each pixel of its image."""
    image, palette, lines = made.image, made.palette, made.lines
    if settings.mode == "pixels":
        labels = nearest_colour(image, palette)
    elif made.blurred and lines:
        # Its lines have their own hue again.
        labels = label_pixels(image, palette, _ON_LINES, lines)
    else:
        pure = _ON_LINES if made.blurred or restored or lines else PURE
        labels = label_pixels(made.sharp(image), made.sharp(palette), pure, lines)
    made = made._replace(labels=labels)
    if settings.mode == "colours":
        made = _with_gradients(made, settings.join_gradients)
    return made._replace(labels=_merged(made.labels, made.palette, settings.merges))


def _with_gradients(made: Labelled, join: bool) -> Labelled:
    """The same with what is to be said of soft gradients, each one colour where that is asked for."""
    if not join and len(made.palette) >= MAX_AUTOMATIC:
        # In a photograph nearly everything is a step of something.
        return made
    lightness = lab_of(made.palette.astype(float))[:, 0]
    ground = border_label(made.labels, None, lightness)
    found = join_gradients(made.image, made.labels, made.palette, (ground,), made.lines)
    if found is None:
        return made
    made = made._replace(gradient=say.gradient_in_steps(found.steps, found.gradients, join), joined=join)
    return made._replace(labels=found.labels, palette=found.palette) if join else made


def _levelled(grey: U8, thresholds: tuple[float, ...]) -> Labelled:
    """Steps of brightness between thresholds, each shown in the middle grey of what falls into it."""
    table = np.searchsorted(np.array(thresholds) * 255, np.arange(256), side="left").astype(np.int32)
    labels = table[grey]
    edges = np.r_[0, np.array(thresholds) * 255, 255]
    middle = [
        np.median(grey[labels == k]) if (labels == k).any() else (edges[k] + edges[k + 1]) / 2
        for k in range(len(thresholds) + 1)
    ]
    palette = np.repeat(np.array(middle, np.uint8)[:, None], 3, 1)
    return Labelled(
        np.repeat(grey[..., None], 3, 2), palette, labels, None, thresholds if len(thresholds) > 1 else ()
    )


def _thresholds(grey: U8, count: int) -> tuple[float, ...]:
    """Cut-offs half way between the `count` greys that stand best for the picture (k-means)."""
    samples = grey.reshape(-1, 1)[:: max(1, grey.size // 60000)].astype(np.float32)
    cv2.setRNGSeed(1)
    count = min(count, len(np.unique(samples)))
    _, _, centres = cv2.kmeans(samples, count, None, (3, 40, 0.1), 3, cv2.KMEANS_PP_CENTERS)  # type: ignore[call-overload]  # no labels yet
    values = np.unique(np.round(centres))
    return tuple(((values[1:] + values[:-1]) / 510).tolist()) or (0.5,)


def _merged(labels: Labels, palette: U8, merges: tuple[tuple[str, str], ...]) -> Labels:
    """Labels with merged colours; a colour is recognised by the nearest of the palette."""
    table = np.arange(len(palette), dtype=np.int32)
    for source, target in merges:
        a = int(np.argmin(difference(np.array(rgb_of(source)), palette)))
        b = int(np.argmin(difference(np.array(rgb_of(target)), palette)))
        table[table == a] = table[b]
    return table[labels]
