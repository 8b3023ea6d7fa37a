"""The colours of a picture: found in flat areas, told apart as the eye does."""

from __future__ import annotations

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from cutkey.core.colour.difference import ciede2000, lab_of
from cutkey.core.imaging.chroma import LINES, is_hue_blurred, restore_hue, weigh_hue
from cutkey.core.picture.asked import Seen, joined, settled
from cutkey.core.picture.counts import counted
from cutkey.core.picture.labels import FLAT, nearest_colour, spread
from cutkey.core.picture.line_hue import hue_of_lines
from cutkey.core.picture.plateaus import is_blend
from cutkey.core.picture.strokes import thin_colours
from cutkey.core.words import reading as say
from cutkey.core.words.kind import Words

MAX_AUTOMATIC = 16
#: A step of so many levels is an edge; ripples are looked for between these distances beside it, px, in what
#: differs by less than this.
STRONG, NEAR, FAR, FAINT = 40, 3, 7, 24
#: Share of the places off all edges that are not flat above which a picture is grainy.
GRAINY = 0.05
#: A picture is shaded when it is less clean than this, or more than this of it is further than so many levels
#: off its colours.
SHADED, OTHER = 0.3, 24
#: Side of a picture, px, in which lines of up to three pixels are usual.
_USUAL_SIDE = 480.0
#: Of a drawing that was photographed at least so much is nearly of one of its colours.
_DRAWN, _MOSTLY_DRAWN = 0.98, 0.75
#: Share of the pixels beside edges that are not flat above which a picture was compressed: less than 1 % in a
#: drawing, 7 % and more in nine of ten JPEGs of quality 95 (measured on three open sets at 128 and 512 px).
RIPPLES = 0.07
#: In a smaller picture, px, every place is beside an edge.
LEAST_SIDE = 64
#: Colours nearer than this (CIEDE2000) are one colour unless more are asked for.
SAME_COLOUR = 7.0
#: Colours further than this (CIEDE2000) from all others are of their own, however scattered, where the
#: smoothed picture changes by no more levels from pixel to pixel.
_OWN, _GENTLE = 14.0, 8
#: Share of either of two colours that may lie half way between them.
VALLEY = 0.2
#: In a compressed picture two near colours differ by so much in lightness (CIELAB L*).
_LIGHTER = 5.0
#: So often it is looked whether something lies between.
MOST_LOOKS = 60
#: Two colours that may be one lie no further apart than this in any of L*, a* and b*.
ABOUT = 30.0
#: The same in a picture without noise, where nothing but a colour of its own differs by so much.
SAME_WHEN_CLEAN = 2.8
#: Colours that are told apart to the last level; and the most that a shaded picture is summed up in.
MOST_KINDS, MOST_BINS = 3000, 20_000


class Palette(NamedTuple):
    """Colours of a picture."""

    colours: NDArray[np.uint8]  # (N, 3), most frequent first, those of lines last unless some were joined
    why: Words  # there are so many: one sentence for the maker
    lines: tuple[int, ...] = ()  # which of them occur in lines and tips only


def find_palette(rgb: NDArray[np.uint8], count: int = 0) -> NDArray[np.uint8]:
    """The colours a person would name in a picture; see `explained_palette`.

    Parameters
    ----------
    rgb : ndarray, (H, W, 3), uint8
    count : int
        0 to find out how many.

    Returns
    -------
    ndarray, (K, 3), uint8
    """
    return explained_palette(rgb, count).colours


def explained_palette(rgb: NDArray[np.uint8], count: int = 0, restored: bool = False) -> Palette:
    """The colours a person would name in a picture, most frequent first, and why there are so many.

    Flat places vote, so that the blends along anti-aliased edges never become colours; then lines and tips,
    which are flat nowhere, vote for what no blend of two colours around them explains. In a clean picture
    colours nearer to one another are told apart than in a noisy or a shaded one.

    Parameters
    ----------
    rgb : ndarray, (H, W, 3) uint8
    count : int
        How many colours; 0 finds the number from the picture.
    restored : bool
        The picture was sharpened, and that was undone: colours of lines are off.

    Returns
    -------
    Palette
        At least one colour, at most `count` (or `MAX_AUTOMATIC`).
    """
    found = _found(rgb, max(count, MAX_AUTOMATIC), restored)
    colours = np.concatenate([found.flat, found.lines])
    if not count:
        return Palette(_levels(colours), _why(found), tuple(range(len(found.flat), len(colours))))
    pixels, nearest = _nearest_of(rgb, colours)
    few = joined(colours, np.bincount(nearest, minlength=len(colours)) / len(pixels), count)
    # In a shaded picture the whole of it is to be stood for, not only what is flat.
    if _shaded(found, pixels, colours[nearest]):
        few = settled(_seen(pixels, MOST_BINS), few, count)
        return Palette(_levels(few), say.colours_for_all(len(few)))
    if len(few) < len(colours):
        why = say.some_of_the_colours(len(few), len(colours))
    else:
        why = _why(found, all_of=len(few) != count)
    thin = [k for k, colour in enumerate(few) if (colour == found.lines).all(1).any()]
    return Palette(_levels(few), why, tuple(thin))


class Looks(NamedTuple):
    """How a picture is made."""

    colours: int
    near: float  # share of it that is nearly of one of these
    shaded: bool  # a photograph, or softly shaded, rather than drawn in flat colours


def looks_of(rgb: NDArray[np.uint8]) -> Looks:
    """How a picture is made.

    Parameters
    ----------
    rgb : ndarray, (H, W, 3), uint8
    """
    found = _found(rgb, MAX_AUTOMATIC)
    colours = np.concatenate([found.flat, found.lines])
    pixels, nearest = _nearest_of(rgb, colours)
    off = np.abs(pixels - colours[nearest]).max(-1)
    return Looks(len(colours), float(np.mean(off <= OTHER / 2)), _shaded(found, pixels, colours[nearest]))


def _nearest_of(
    rgb: NDArray[np.uint8], colours: NDArray[np.float64]
) -> tuple[NDArray[np.uint8], NDArray[np.int32]]:
    pixels = _picked(rgb, np.ones(rgb.shape[:2], bool))
    return pixels, nearest_colour(pixels[None], _levels(colours))[0]


def _shaded(found: _Found, pixels: NDArray[np.uint8], nearest: NDArray[np.float64]) -> bool:
    others = np.abs(pixels - nearest).max(-1) > OTHER
    return not found.compressed and bool(found.clean < SHADED or np.mean(others) > SHADED)


class _Found(NamedTuple):
    flat: NDArray[np.float64]  # (N, 3) colours of flat places, most frequent first
    lines: NDArray[np.float64]  # (M, 3) colours of lines and tips
    share: NDArray[np.float64]  # of the flat places, of these and of those left out
    labs: NDArray[np.float64]  # (N, 3) of these
    clean: float
    compressed: bool


def _found(rgb: NDArray[np.uint8], most: int, restored: bool = False) -> _Found:
    rough = spread(rgb)
    far = _away_from_edges(rough)
    # What undoing overshoot has calmed may be compressed all the same.
    compressed = _ripples(rough, far) or (restored and is_hue_blurred(rgb))
    votes = _picked(rgb, _flat(rough, far))
    seen = _seen(votes)
    clean = 0.0 if compressed else cleanliness(*seen)
    apart = SAME_COLOUR - (SAME_COLOUR - SAME_WHEN_CLEAN) * clean
    least = max(4.0, 0.0003 * len(votes))
    seeds = _seeds(rgb, far & (rough <= 1), least) if compressed else np.zeros((0, 3))
    # Compression makes colours that are as light as one of one, with nothing between them.
    centres = _centres(seen, seeds, apart, least * 0.25, _LIGHTER if compressed else 0.0)
    # Every colour joins its nearest centre; light centres are dropped from the end.
    off = np.stack([ciede2000(seen.labs, c) for c in lab_of(centres)], 1)
    owner = np.argmin(off, 1)
    share = np.bincount(owner, seen.weights, len(centres))
    ranked = np.argsort(-share, kind="stable")
    chosen = [k for k in ranked if share[k] >= least][:most] or [int(ranked[0])]
    colours = []
    for k in chosen:
        mine = (owner == k) & (off[:, k] < (SAME_WHEN_CLEAN if k < len(seeds) else apart))
        colours.append(
            np.average(seen.means[mine], axis=0, weights=seen.weights[mine]) if mine.any() else centres[k]
        )
    flat = np.array(_apart(colours)) if compressed else np.array(colours)
    if clean < SHADED and len(flat) < min(most, MAX_AUTOMATIC):
        flat = np.concatenate([flat, _scattered(rgb, flat, 2 * least)[: most - len(flat)]])
    lines = _thin(rgb, rough, flat, clean, compressed, restored, apart, most - len(flat))
    return _Found(flat, lines, share[ranked] / len(votes), lab_of(flat), clean, compressed)


def _apart(colours: list[NDArray[np.float64]]) -> list[NDArray[np.float64]]:
    """Colours of a compressed picture without those that are a tint of one before them, as light as it."""
    kept: list[NDArray[np.float64]] = []
    for colour in colours:
        lab, others = lab_of(colour[None])[0], lab_of(np.array(kept).reshape(-1, 3))
        if not np.any((ciede2000(lab, others) < SAME_COLOUR) & (np.abs(lab[0] - others[:, 0]) < _LIGHTER)):
            kept.append(colour)
    return kept


def _levels(colours: NDArray[np.float64]) -> NDArray[np.uint8]:
    return np.clip(np.round(colours), 0, 255).astype(np.uint8)


def _centres(
    seen: Seen, seeds: NDArray[np.float64], sure: float, least: float, lighter: float = 0.0
) -> NDArray[np.float64]:
    """The seeds, and of the colours that occur those that lie far enough off.

    Off what was taken before, the most frequent first.

    Nearer than `sure` two are two where hardly anything lies between them. Near ones of which none is lighter
    by `lighter` are one.
    """
    centres, spots, looked = list(seeds), list(lab_of(seeds)) if len(seeds) else [], 0
    for mean, weight, lab in zip(*seen, strict=True):
        if weight < least and centres:
            break
        off = ciede2000(lab, np.array(spots)) if spots else np.array([np.inf])
        nearest = int(np.argmin(off))
        told = not spots or off[nearest] > SAME_COLOUR or abs(lab[0] - spots[nearest][0]) >= lighter
        apart = bool(told and off[nearest] > sure)
        if told and not apart and off[nearest] > SAME_WHEN_CLEAN and looked < MOST_LOOKS:
            # A colour of its own is frequent, so it comes early; in a photograph there are hundreds that are
            # none.
            looked += 1
            apart = _is_valley(seen, lab, spots[nearest], float(off[nearest]), least)
        if apart:
            centres.append(mean)
            spots.append(lab)
    return np.array(centres)


def _scattered(rgb: NDArray[np.uint8], known: NDArray[np.float64], least: float) -> NDArray[np.float64]:
    """Colours of narrow areas in a drawing, so grainy or compressed that they are nowhere flat, (N, 3).

    They are where the picture, smoothed a little, changes only gently. What is a blend of two others is an
    edge.
    """
    out = np.zeros((0, 3))
    if not _is_drawn(rgb, known, _MOSTLY_DRAWN):
        # In a photograph there are hundreds of them.
        return out
    smooth = np.asarray(cv2.blur(rgb, (3, 3)), np.uint8)
    seen = _seen(_picked(smooth, spread(smooth) <= _GENTLE))
    spots, left = lab_of(known), np.ones(len(seen.means), bool)
    while len(known) + len(out) < MAX_AUTOMATIC:
        left &= np.min([ciede2000(seen.labs, s) for s in spots], axis=0) > _OWN
        i = np.flatnonzero(left)
        if seen.weights[i].sum() < least:
            break
        i = i[np.argsort(-seen.weights[i], kind="stable")][:MOST_LOOKS]
        near = [left & (ciede2000(seen.labs, seen.labs[k]) < SAME_COLOUR) for k in i]
        most = near[int(np.argmax([seen.weights[n].sum() for n in near]))]
        if seen.weights[most].sum() < least:
            break
        mean = np.average(seen.means[most], axis=0, weights=seen.weights[most])
        if not is_blend(mean, np.concatenate([known, out]), OTHER):
            out = np.concatenate([out, mean[None]])
        spots = np.concatenate([spots, lab_of(mean[None])])
    return out


def _is_valley(
    seen: Seen, one: NDArray[np.float64], other: NDArray[np.float64], off: float, least: float
) -> bool:
    """Whether much less of a picture has the colour half way between two than has either."""
    # Only what lies about there need be looked at.
    about = np.flatnonzero(np.abs(seen.labs - (one + other) / 2).max(1) < ABOUT)
    labs, weights = seen.labs[about], seen.weights[about]
    one_weight = float(weights[ciede2000(labs, one) < 0.25 * off].sum())
    if one_weight < 4 * least:
        return False
    middle, other_weight = (
        float(weights[ciede2000(labs, spot) < 0.25 * off].sum()) for spot in ((one + other) / 2, other)
    )
    return middle < VALLEY * min(one_weight, other_weight)


def _seeds(rgb: NDArray[np.uint8], still: NDArray[np.bool_], least: float) -> NDArray[np.float64]:
    """Colours of a compressed picture where it is as flat as a drawing, off all edges.

    None where it is nowhere.
    """
    votes = _picked(rgb, still)
    if len(votes) < max(100.0, 2 * least):
        return np.zeros((0, 3))
    seen = _seen(votes)
    if cleanliness(*seen) < 0.5:
        return np.zeros((0, 3))
    return _centres(seen, np.zeros((0, 3)), SAME_WHEN_CLEAN, max(least, 0.002 * len(votes)), _LIGHTER)[
        :MAX_AUTOMATIC
    ]


def _thin(
    rgb: NDArray[np.uint8],
    rough: NDArray[np.uint8],
    palette: NDArray[np.float64],
    clean: float,
    compressed: bool,
    restored: bool,
    apart: float,
    most: int,
) -> NDArray[np.float64]:
    """Colours of lines and tips.

    In a picture that was compressed or sharpened only what stands out from the ringing beside its edges.
    """
    pixels = rough.size
    # Lines grow with the side of a picture, not with its area.
    least = max(30.0, 0.001 * np.sqrt(pixels) * min(np.sqrt(pixels), _USUAL_SIDE))
    grainy = clean < SHADED and not compressed
    if most <= 0 or (grainy and not _is_drawn(rgb, palette)):
        return np.zeros((0, 3))
    if (compressed or restored) and is_hue_blurred(rgb):
        # A line's own hue is lost in that of its surroundings; its brightness is not.
        bright = weigh_hue(rgb, LINES)
        known = weigh_hue(_levels(palette), LINES).astype(float)
        found = thin_colours(
            bright, spread(bright), known, 14.0, least, most, 40, 24.0, _lab_of_weighed, True
        )
        return hue_of_lines(rgb, palette, restore_hue(found, LINES))
    if compressed or restored or grainy:
        # Where overshoot was undone little of it is left.
        far, beyond, slack = (20.0, 48, 40.0) if compressed or grainy else (10.0, 28, 28.0)
        return thin_colours(
            rgb, rough, palette, far, least, most, beyond, slack, scattered=restored or grainy, soft=grainy
        )
    return thin_colours(rgb, rough, palette, max(apart, 5.0), max(6.0, 0.0001 * pixels), most)


def _is_drawn(rgb: NDArray[np.uint8], palette: NDArray[np.float64], share: float = _DRAWN) -> bool:
    """Whether nearly all of a grainy picture has one of few colours: a drawing, photographed."""
    pixels, nearest = _nearest_of(rgb, palette)
    return bool(np.mean(np.abs(pixels - palette[nearest]).max(-1) <= OTHER) >= share)


def _lab_of_weighed(colours: NDArray[np.float64]) -> NDArray[np.float64]:
    return lab_of(restore_hue(colours, LINES)) * [1.0, LINES, LINES]


def _away_from_edges(rough: NDArray[np.uint8]) -> NDArray[np.bool_]:
    strong = cv2.compare(rough, STRONG, cv2.CMP_GT)  # type: ignore[call-overload]  # plain numbers are taken
    return np.asarray(cv2.dilate(strong, np.ones((2 * FAR + 1, 2 * FAR + 1), np.uint8)) == 0)


def _ripples(rough: NDArray[np.uint8], far: NDArray[np.bool_]) -> bool:
    """Whether the picture ripples beside its edges, as compression leaves it."""
    strong = cv2.compare(rough, STRONG, cv2.CMP_GT)  # type: ignore[call-overload]  # plain numbers are taken
    near = cv2.dilate(strong, np.ones((2 * NEAR + 1, 2 * NEAR + 1), np.uint8)) > 0
    band = ~far & ~near & (rough <= FAINT)
    beside, elsewhere = np.count_nonzero(band), np.count_nonzero(far)
    if min(rough.shape) < LEAST_SIDE or beside < 20:
        return False
    # Where it is uneven everywhere that is noise.
    uneven = np.count_nonzero(rough[far] > 1) / elsewhere if elsewhere else 0.0
    return bool(np.count_nonzero(rough[band] > 1) > max(RIPPLES, 1.5 * uneven) * beside)


def cleanliness(means: NDArray[np.float64], weights: NDArray[np.float64], labs: NDArray[np.float64]) -> float:
    """How much of the flat areas has one colour to the last level within its surroundings.

    1 in a flat drawing, 0 in a photograph.

    Parameters
    ----------
    means : ndarray, (N, 3), float64
        Colours that occur, most frequent first.
    weights : ndarray, (N,), float64
        How often.
    labs : ndarray, (N, 3), float64
        In CIELAB.
    """
    peak, total = 0.0, 0.0
    free = np.ones(len(means), bool)
    for _ in range(MAX_AUTOMATIC):
        if not free.any():
            break
        i = int(np.argmax(np.where(free, weights, -1)))
        near = free & (ciede2000(labs, labs[i]) < 2.0)
        peak += weights[i]
        total += float(weights[near].sum())
        free &= ~near
    return float(np.clip((peak / max(total, 1.0) - 0.5) / 0.4, 0, 1))


def _seen(votes: NDArray[np.uint8], most: int = MOST_KINDS) -> Seen:
    means, weights = _bins(votes, most)
    return Seen(means, weights, lab_of(means))


def _bins(votes: NDArray[np.uint8], most: int) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Colours among votes, the most frequent first, and how often each occurs.

    Near-equal ones vote together where there are many.
    """
    kinds, counts = counted(votes)
    if len(kinds) <= most:
        return kinds.astype(float), counts.astype(float)
    key = (votes >> 2).astype(np.int32)
    key = (key[:, 0] << 12) | (key[:, 1] << 6) | key[:, 2]
    counts = np.bincount(key, minlength=1 << 18)
    used = np.flatnonzero(counts)
    order = used[np.argsort(-counts[used], kind="stable")[:most]]
    sums = np.stack([np.bincount(key, votes[:, c], minlength=1 << 18)[order] for c in range(3)], 1)
    return sums / counts[order, None], counts[order].astype(float)


def _why(found: _Found, all_of: bool = False) -> Words:
    """Why the palette ends where it does."""
    taken, share = len(found.flat), found.share
    more = float(share[taken]) if taken < len(share) else None
    apart = None
    if more is None and taken > 1:
        apart = min(float(ciede2000(found.labs[k], found.labs[:k]).min()) for k in range(1, taken))
    return say.colours_cover(taken, float(share[:taken].sum()), len(found.lines), more, apart, all_of)


def _flat(rough: NDArray[np.uint8], far: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Places in flat surroundings.

    In a grainy picture, and where hardly any are found, more is taken for flat.
    """
    grain = rough[far]
    grain = grain[(grain > FLAT) & (grain <= STRONG)]
    tolerance = int(np.quantile(grain, 0.9)) if len(grain) > GRAINY * np.count_nonzero(far) else FLAT
    for most in (tolerance, 8, 16, 32):
        if most >= tolerance:
            flat = np.asarray(rough <= most)
            if np.count_nonzero(flat) > 0.25 * flat.size:
                return flat
    return np.ones(rough.shape, bool)


def _picked(rgb: NDArray[np.uint8], where: NDArray[np.bool_]) -> NDArray[np.uint8]:
    found = np.flatnonzero(where)
    # A hundred thousand tell as much as millions.
    return rgb.reshape(-1, 3).take(found[:: max(1, len(found) // 100_000)], 0)
