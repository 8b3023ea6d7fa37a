"""From a picture and the maker's settings to regions in pixels.

With what the light table shows beside them.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import cv2
import numpy as np
import shapely
from numpy.typing import NDArray

from cutkey.core.colour.difference import difference, hex_of, lab_of
from cutkey.core.errors import BadInput
from cutkey.core.geometry.areas import coverage_union, union
from cutkey.core.geometry.arrays import U8
from cutkey.core.geometry.pieces import Flattened
from cutkey.core.geometry.region import Region
from cutkey.core.imaging.overshoot import undo_overshoot
from cutkey.core.imaging.prepare import calm, noise_level, over_matte, put_on_paper
from cutkey.core.imaging.transparency import separate_soft
from cutkey.core.model.tracing import TraceSettings
from cutkey.core.picture.apply import Prepared, prepare
from cutkey.core.picture.background import background_mask, border_label
from cutkey.core.picture.counts import counted
from cutkey.core.picture.ground import plain_ground
from cutkey.core.picture.labels import spread, surroundings
from cutkey.core.picture.pixels import by_square
from cutkey.core.picture.read import Picture
from cutkey.core.picture.small_letters import small_letters
from cutkey.core.picture.specks import Labels, despeckle
from cutkey.core.trace.deviation import Deviation, deviation
from cutkey.core.trace.labelling import Labelled, grey_of, label_picture, with_labels
from cutkey.core.trace.linework import centre_lines, drawn
from cutkey.core.trace.partition import Partition, partition
from cutkey.core.words import reading as say
from cutkey.core.words.kind import Words

#: Curves are flattened to this many mm at final size, but never finer than `_FINEST` px.
FLATNESS_MM = 0.01
_FINEST = 0.01
#: Longest side, px, of a picture that is enlarged where it has lines that are nowhere flat.
SMALL = 400
#: A colour of its own that goes with the background is told from this difference (CIEDE2000) and share of the
#: picture on.
FAINT, FAINT_SHARE = 0.4, 0.005
#: So much of what goes away must be flat to the last level for that.
CLEAN = 0.8

#: So much of the boundaries may be drawn otherwise than by curves without a word, px.
_STEPPED = 3.0


class Trace(NamedTuple):
    """A traced picture, in pixel coordinates, y down."""

    picture: U8  # (H, W, 3) as prepared
    regions: list[Region]
    background: str | None  # colour of what was taken away
    specks: NDArray[np.float32]  # (S, 3) middle and radius, px, of what took the colour around it
    noise: float
    threshold: float | None  # in use, 0 to 1
    thresholds: tuple[float, ...]  # in use, 0 to 1
    why: Words | None  # why there are so many colours
    histogram: NDArray[np.int64]  # (64,) brightness
    original_size: tuple[int, int]  # of the file, px; the picture is worked at a stated size
    off: Deviation | None
    pieces: int  # lines, arcs and curves in all boundaries
    to_pixels: NDArray[np.float64]  # (3, 3) from fractions of the opened picture to pixels of `picture`
    mm_per_px: float
    notes: tuple[Words, ...] = ()
    curves: Flattened | None = None  # that the boundaries were fitted with, px
    told: tuple[Words, ...] = ()  # how its boundaries were drawn where that is not by curves


def trace(
    picture: Picture,
    settings: TraceSettings,
    width_mm: float,
    name: str = "The picture",
    whole: bool = False,
    prepared: Prepared | None = None,
    proof: bool = True,
    figure: Figure | None = None,
) -> Trace:
    """Prepare, label and trace a picture.

    Parameters
    ----------
    picture : Picture
    settings : TraceSettings
    width_mm : float
        Width of the graphic when made; specks are judged at that size.
    name : str
        What to call the picture in messages.
    whole : bool
        The width is that of the whole prepared picture, not of the figure in it.
    prepared : Prepared, optional
        The picture after its steps, when it is known already.
    proof : bool
        Polish the trace and measure how far it lies from the picture; a coarse preview does without.
    figure : Figure, optional
        What `figure_of` has told of the same picture and settings.

    Raises
    ------
    BadInput
        When nothing is left to trace.
    """
    made = figure or figure_of(picture, settings, width_mm, name, whole, prepared, larger=proof)
    found, labels, table, away = made.found, made.labels, made.table, len(made.found.palette)
    # Where a tone goes on to change, a boundary is placed by the colours beside it.
    toned = settings.mode not in ("colours", "pixels") or found.joined
    image, colours = found.sharp(found.image), found.sharp(table)
    local = surroundings(image, labels, colours) if toned else None
    cut = partition(
        image,
        labels,
        colours,
        max(_FINEST, FLATNESS_MM / made.mm_per_px / 2),
        local,
        polished=proof,
        square=settings.mode == "pixels",
    )
    regions = [Region(hex_of(table[k]), g) for k, g in sorted(cut.regions.items()) if k < away]
    ground = hex_of(table[away]) if len(table) > away else None
    seen = found.sharp(made.work if found.blurred else found.image)
    if local is not None:
        # As if each region had its one colour all over.
        seen = np.clip(seen - local + colours[labels], 0, 255).astype(np.uint8)
    return Trace(
        made.shown,
        _shaped(regions, settings, made.mm_per_px, ground),
        ground,
        made.specks,
        made.noise,
        found.threshold,
        found.thresholds,
        found.why,
        np.histogram(grey_of(made.work), 64, (0, 256))[0],
        picture.original_size,
        _off(seen, cut, found.sharp(table), settings.mode) if proof else None,
        cut.pieces,
        made.ready.to_pixels,
        made.mm_per_px,
        made.notes,
        cut.curves,
        (say.drawn_by_points(cut.stepped * made.mm_per_px),) if cut.stepped > _STEPPED else (),
    )


class Figure(NamedTuple):
    """What of a picture is figure, and in which colours."""

    ready: Prepared
    work: U8  # whose colours were looked at
    shown: U8
    noise: float
    found: Labelled
    labels: Labels  # into `table`; what was taken away is the one after the palette's
    table: U8
    specks: NDArray[np.float32]
    mm_per_px: float
    notes: tuple[Words, ...]

    @property
    def share(self) -> float:
        """How much of the picture it covers."""
        return float(np.mean(self.labels < len(self.found.palette)))


def figure_of(
    picture: Picture,
    settings: TraceSettings,
    width_mm: float,
    name: str,
    whole: bool,
    prepared: Prepared | None,
    larger: bool = False,
) -> Figure:
    """Return everything of a trace but its boundaries.

    Parameters
    ----------
    picture, settings, width_mm, name, whole, prepared
        As for `trace`.
    larger : bool
        Enlarge a small picture whose lines are nowhere flat.

    Raises
    ------
    BadInput
        When nothing is left to trace.
    """
    ready = prepared or prepare(picture, settings.steps)
    notes = list(picture.notes)
    rgb, matte, seen = ready.rgb, None, None
    if ready.alpha is not None:
        rgb, alpha, soft = separate_soft(ready.rgb, ready.alpha, settings.keep_soft)
        if soft is not None:
            notes.append(say.soft_edge(hex_of(soft.colour), 100 * soft.share, settings.keep_soft))
        seen = put_on_paper(ready.rgb, ready.alpha)
        ready = ready._replace(rgb=rgb, alpha=alpha)
        rgb, matte = over_matte(rgb, alpha)
    noise = noise_level(rgb)
    work = calm(rgb, noise) if settings.smooth and settings.mode != "pixels" else rgb
    if settings.mode == "pixels":
        ready, rgb = by_square(ready, rgb)
        work = rgb
    restored = False
    if work is rgb and settings.smooth and settings.mode != "pixels":
        work = undo_overshoot(rgb)
        # Sharpening changes the colour of lines more than that of areas, also when it was undone.
        restored = work is not rgb
    plain = None
    if (
        settings.mode == "colours"
        and settings.background == "auto"
        and matte is None
        and ready.away is None
        and not settings.palette
    ):
        plain = plain_ground(work, noise)
    if plain is not None:
        work = plain.rgb
        notes.append(say.shaded_ground(*plain.ends))
    found = label_picture(work, settings, matte, restored)
    if found.lines and larger and max(work.shape[:2]) <= SMALL:
        ready, rgb, work = _enlarged(ready, rgb, found.image)
        found = with_labels(found._replace(image=work), settings, restored)
    keep = ~_background(found, settings, matte, ready.away, picture.alpha is not None)
    if (
        0 < settings.colours < _in_figure(found, keep)
        and settings.mode in ("colours", "pixels")
        and not settings.palette
    ):
        # The background's colour is one of the figure's too.
        found = label_picture(work, settings, matte, restored, beside=False)
        keep = ~_background(found, settings, matte, ready.away, picture.alpha is not None)
    notes += [] if found.gradient is None else [found.gradient]
    palette = found.palette
    if not keep.any():
        raise BadInput(
            f"{name} has nothing on its background to trace; set the background to “keep” or choose other"
            " colours."
        )
    # What was taken away is a label of its own, so that a like-coloured area inside the figure stays.
    away = len(palette)
    columns = np.nonzero(keep.any(0))[0]
    mm_per_px = width_mm / float(keep.shape[1] if whole else columns[-1] - columns[0] + 1)
    table, labels = palette, found.labels
    if not keep.all():
        taken = int(np.bincount(labels[~keep]).argmax())
        table = np.concatenate([palette, palette[taken : taken + 1]])
        labels = np.where(keep, labels, away).astype(np.int32)
    labelled = labels
    labels, specks = despeckle(
        labelled, settings.despeckle_mm2 / mm_per_px**2, settings.despeckle_mm / mm_per_px
    )
    if not (labels < away).any():
        raise BadInput(
            f"{name} has only specks smaller than {settings.despeckle_mm2:g} mm² at this size; lower the"
            " speck limit."
        )
    notes += _letters_lost(labelled, labels, settings, mm_per_px)
    notes += _went_along(rgb if plain is None else work, keep, found, settings.mode)
    return Figure(
        ready,
        work,
        rgb if seen is None else _as_large(seen, rgb, settings.mode),
        noise,
        found,
        labels,
        table,
        specks,
        mm_per_px,
        tuple(notes),
    )


def _letters_lost(before: Labels, after: Labels, settings: TraceSettings, mm_per_px: float) -> list[Words]:
    """What is to be said of letters among the specks."""
    text = small_letters(before, after) if settings.mode != "pixels" else None
    if text is None:
        return []
    keep_mm2 = math.floor(100 * text.least * mm_per_px**2) / 100
    return [say.letters_left_out(text.letters, text.lines, settings.despeckle_mm2, keep_mm2)]


def _in_figure(found: Labelled, keep: NDArray[np.bool_]) -> int:
    """How many colours the figure has, single pixels left out."""
    return int(np.count_nonzero(np.bincount(found.labels[keep]) > 1e-4 * keep.size))


def _enlarged(ready: Prepared, rgb: U8, work: U8) -> tuple[Prepared, U8, U8]:
    """A small picture several times as large.

    A line of one px is no strip of whole pixels, of two and more it is.
    """
    h, w = work.shape[:2]
    n = min(4, max(2, -(-SMALL // max(h, w))))

    def larger(a: U8, how: int = cv2.INTER_CUBIC) -> U8:
        return np.asarray(cv2.resize(a, (n * w, n * h), interpolation=how), np.uint8)

    away = None if ready.away is None else larger(ready.away.astype(np.uint8), cv2.INTER_NEAREST) > 0
    alpha = None if ready.alpha is None else larger(ready.alpha)
    rgb, work = larger(rgb), larger(work)
    return Prepared(rgb, alpha, away, np.diag([n, n, 1.0]) @ ready.to_pixels), rgb, work


def _as_large(seen: U8, rgb: U8, mode: str) -> U8:
    """Return what is looked at in the size of what is traced: squares as squares."""
    if seen.shape == rgb.shape:
        return seen
    how = cv2.INTER_NEAREST if mode == "pixels" else cv2.INTER_CUBIC
    return np.asarray(cv2.resize(seen, rgb.shape[1::-1], interpolation=how), np.uint8)


def _off(image: U8, cut: Partition, table: U8, mode: str) -> Deviation:
    colours = np.concatenate([table, [[0, 0, 0]]]).astype(float)
    found = deviation(
        image, cut.arcs, colours[cut.left], colours[cut.right], (cut.left >= 0) & (cut.right >= 0)
    )
    # Squares are meant there.
    return found._replace(steps=0.0) if mode == "pixels" else found


def _background(
    found: Labelled,
    settings: TraceSettings,
    matte: U8 | None,
    away: NDArray[np.bool_] | None,
    transparent: bool,
) -> NDArray[np.bool_]:
    """Pixels that are no part of the figure; a picture that came with transparency states them itself."""
    labels = found.labels
    out = np.zeros(labels.shape, bool)
    if away is not None:
        out |= away | _fringe(labels, away)
    if matte is not None:
        out |= labels == int(np.argmin(difference(matte, found.palette)))
    if settings.background == "none" or transparent:
        return out
    if settings.mode == "threshold":
        return np.asarray(out | (labels == (0 if settings.light else 1)))
    value = border_label(labels, ~out, lab_of(found.palette.astype(float))[:, 0])
    if value < 0:
        return out
    # What is gone already counts as background that the rest may touch.
    return out | background_mask(np.where(out, value, labels), value, touching_only=not settings.everywhere)


def _went_along(rgb: U8, keep: NDArray[np.bool_], found: Labelled, mode: str) -> list[Words]:
    """Colours of their own that went with the background, because they are so like it.

    Nothing joins it without a word.
    """
    if keep.all() or mode != "colours":
        return []
    rough = spread(rgb)[~keep]
    # With grain, or as compression leaves it, no two like colours can be told from one.
    if np.mean(rough == 0) < CLEAN:
        return []
    away = np.flatnonzero(~keep)[rough <= 1]
    # A hundred thousand tell as much as millions.
    step = max(1, len(away) // 100_000)
    colours, count = counted(rgb.reshape(-1, 3).take(away[::step], 0))
    share = count * step / keep.size
    colours = colours[(share >= FAINT_SHARE) & (count * step >= 30)]
    if len(colours) < 2:
        return []
    off = difference(colours[0].astype(float), colours.astype(float))
    return [
        say.went_with_the_background(hex_of(c), 100 * s, hex_of(colours[0]))
        for c, s, d in zip(colours, share[: len(colours)].tolist(), off.tolist(), strict=True)
        if d > FAINT
    ][:3]


def _fringe(labels: Labels, away: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Edge pixels beside a removed area that are labelled as its colour."""
    kernel = np.array([[0, 1, 0], [1, 1, 1], [0, 1, 0]], np.uint8)
    colour = int(np.bincount(labels[away]).argmax())
    grown = away.astype(np.uint8)
    for _ in range(3):
        grown = cv2.dilate(grown, kernel) & ((labels == colour) | away).astype(np.uint8)
    return np.asarray(grown > 0)


def _shaped(
    regions: list[Region], settings: TraceSettings, mm_per_px: float, paper: str | None
) -> list[Region]:
    if settings.shape == "filled":
        return regions
    if settings.shape == "linework":
        # Paper inside a closed line is paper too.
        regions = [r for r in regions if r.colour != paper] or regions
    largest = max(regions, key=lambda r: r.geometry.area)
    whole = coverage_union([p for r in regions for p in r.geometry.geoms])
    if settings.shape == "linework":
        area = drawn(centre_lines(whole))
    else:
        area = union(shapely.polygons(shapely.get_exterior_ring(shapely.get_parts(whole))))
        if settings.shape == "outline":
            # Rounded outwards, so that a cut along it has no inner corner sharper than the distance.
            grown = area.buffer(settings.outline_mm / mm_per_px, quad_segs=24)
            area = union(shapely.polygons(shapely.get_exterior_ring(shapely.get_parts(grown))))
    return [
        Region(largest.colour, shapely.multipolygons([g for g in shapely.get_parts(area) if not g.is_empty]))
    ]
