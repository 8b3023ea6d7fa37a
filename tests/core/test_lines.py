"""Colours of lines that are nowhere flat: their hue in compressed pictures, greys beside black."""

from __future__ import annotations

import io

import cv2
import numpy as np
import pytest
from bench.gallery import Shown, _figure_alpha, cartoon_of, drawn, reduced, saved
from bench.quality_gallery import judge
from PIL import Image

from cutkey.core.colour.difference import difference, rgb_of
from cutkey.core.model.tracing import TraceSettings
from cutkey.core.picture.line_hue import hue_of_lines, restore_lines
from cutkey.core.picture.palette import explained_palette
from cutkey.core.picture.read import read_picture
from cutkey.core.trace.run import trace

INK, PAPER = (16, 16, 18), (255, 255, 255)


def ruled(strokes: list[tuple[tuple[int, int, int], float, int]], seed: int = 0) -> np.ndarray:
    """A disc and straight strokes at any slope, 480 px: colour, width and how many."""
    rng = np.random.default_rng(seed)
    large = np.full((1920, 1920, 3), 255, np.uint8)
    cv2.circle(large, (600, 600), 300, (230, 100, 30), -1)
    for n, (colour, wide, count) in enumerate(strokes):
        for _ in range(count):
            a, b = rng.integers(1000, 1850, 2), rng.integers(1000, 1850, 2)
            if n:
                a[1], b[1] = a[1] - 950, b[1] - 950
            cv2.line(large, a.tolist(), b.tolist(), colour, round(4 * wide))
    return large


def nearest(colours: np.ndarray, wanted: tuple[int, int, int]) -> float:
    return float(difference(colours.astype(float), np.array(wanted, float)).min())


def compressed(rgb: np.ndarray, quality: int) -> np.ndarray:
    return np.asarray(Image.open(io.BytesIO(saved(rgb, "JPEG", quality=quality, subsampling=2))))


@pytest.mark.parametrize(
    ("grey", "wide", "black"), [(128, 2.0, 2.0), (128, 3.0, 2.0), (150, 2.0, 3.0), (100, 2.0, 1.5)]
)
@pytest.mark.parametrize("how", [Image.Resampling.BOX, Image.Resampling.LANCZOS])
def test_grey_strokes_beside_black_ones_are_a_colour_of_their_own(grey, wide, black, how):
    """Every pixel of them is also a blend of black and white; a stroke keeps its grey along its middle."""
    if how == Image.Resampling.LANCZOS and wide < 2.5:
        wide += 0.75
    found = trace(
        read_picture(saved(reduced(ruled([((grey,) * 3, wide, 6), (INK, black, 6)]), how), "PNG"), "a"),
        TraceSettings(),
        100.0,
    )
    greys = [
        r
        for r in found.regions
        if nearest(np.array([[int(r.colour[k : k + 2], 16) for k in (1, 3, 5)]]), (grey,) * 3) < 8
    ]
    assert len(greys) == 1 and len(found.regions) == 3


@pytest.mark.parametrize("wide", [1.0, 1.25, 1.5, 2.0])
@pytest.mark.parametrize("seed", range(3))
def test_black_strokes_narrower_than_their_pixels_make_no_grey(wide, seed):
    palette = explained_palette(reduced(ruled([(INK, wide, 6), (INK, 2.0, 6)], seed)))
    assert len(palette.colours) == 3 and nearest(palette.colours, INK) < 3


def test_four_pixel_strokes_in_a_compressed_picture_are_found_in_both_colours():
    palette = explained_palette(compressed(reduced(ruled([((128,) * 3, 4, 6), (INK, 4, 6)])), 80))
    assert len(palette.colours) == 4 and nearest(palette.colours, INK) < 8
    assert nearest(palette.colours, (128,) * 3) < 8


@pytest.mark.parametrize(("seed", "quality"), [(901, 40), (901, 80), (902, 60), (903, 60)])
def test_a_coloured_outline_keeps_its_hue_when_the_hue_is_halved(seed, quality):
    """Blue, maroon and green ink of 2 to 3 px in JPEG of 4:2:0, against what the drawing was painted with."""
    made = drawn("cartoon", cartoon_of(seed))
    assert made is not None
    ink = int(np.argmin(made.palette.astype(float) @ [0.299, 0.587, 0.114]))
    sharp = reduced(made.palette[made.labels], Image.Resampling.LANCZOS)
    palette = explained_palette(compressed(sharp, quality))
    assert palette.lines == (len(palette.colours) - 1,)
    assert difference(palette.colours[-1].astype(float), made.palette[ink].astype(float)) < 6


def test_the_hue_of_lines_is_put_back_and_brightness_left():
    large = ruled([((122, 31, 43), 3.0, 12)])
    rgb = compressed(reduced(large), 75)
    flat, ink = np.array([PAPER, (230, 100, 30)], float), np.array([[122, 31, 43]], float)
    told = hue_of_lines(rgb, flat, ink)
    assert difference(told[0], ink[0]) < 5
    back = restore_lines(rgb, np.concatenate([flat, ink]).astype(np.uint8), (2,))
    of_line = cv2.erode((reduced(large) == ink).all(-1).astype(np.uint8), np.ones((1, 1))) > 0
    before, after = (difference(a[of_line].astype(float), ink[0]) for a in (rgb, back))
    assert np.median(after) < 0.5 * np.median(before)
    grey = [cv2.cvtColor(a, cv2.COLOR_RGB2GRAY).astype(int) for a in (rgb, back)]
    clipped = (back == 0).any(-1) | (back == 255).any(-1)
    assert np.abs(grey[0] - grey[1])[~clipped].max() <= 2
    assert hue_of_lines(rgb, flat, np.zeros((0, 3))).shape == (0, 3)


def ways(side: int, kind: str) -> Shown:
    """A cartoon with green outlines of 2 to 3 px (1.3 to 2 where it is smaller), as it may arrive."""
    made = drawn("cartoon", cartoon_of(902))
    assert made is not None
    if kind.startswith("alpha"):
        colour, share = _figure_alpha(made)
        rgba = np.dstack([colour, 255 * share]).round().clip(0, 255).astype(np.uint8)
        small = np.asarray(Image.fromarray(rgba).resize((side, side), Image.Resampling.BOX))
        data = saved(small, "PNG") if kind == "alpha png" else saved(small, "WEBP", quality=75)
    else:
        how = Image.Resampling.BOX if kind == "png" else Image.Resampling.LANCZOS
        small = reduced(made.palette[made.labels], how, made.labels.shape[0] / side)
        options = {} if kind == "png" else {"quality": int(kind[4:])}
        data = saved(small, "PNG" if kind == "png" else "JPEG", **options)
    return Shown(kind, made.name, data, made.labels, made.palette)


@pytest.mark.parametrize("how", ["as it is", "by hand", "so many"])
@pytest.mark.parametrize(
    ("side", "kind"),
    [(480, "jpeg60"), (320, "jpeg80"), (320, "png"), (480, "alpha png"), (320, "alpha webp")],
)
def test_lines_hold_however_the_colours_are_told_and_the_picture_arrives(side, kind, how):
    shown = ways(side, kind)
    plain = [f"#{r:02x}{g:02x}{b:02x}" for r, g, b in shown.palette.tolist()]
    settings = {
        "as it is": TraceSettings(),
        "by hand": TraceSettings(palette=tuple(plain)),
        "so many": TraceSettings(colours=len(plain) - 1),
    }[how]
    made = trace(read_picture(shown.data, "a"), settings, 100.0, whole=True)
    assert not judge(shown, made).faults


@pytest.mark.parametrize(("amount", "wide"), [(0.3, 1.0), (0.6, 1.0), (1.5, 0.8)])
def test_sharpened_strokes_stay_one_ink_of_their_width_where_paper_and_ink_are_cut_off(amount, wide):
    clean = reduced(ruled([(INK, 2.0, 8), (INK, 3.5, 8)]))
    sharp = cv2.addWeighted(clean, 1 + amount, cv2.GaussianBlur(clean, (0, 0), wide), -amount, 0)
    made, like = (
        trace(read_picture(saved(a, "PNG"), "a"), TraceSettings(), 100.0).regions for a in (sharp, clean)
    )
    assert len(made) == len(like) == 3
    assert made[2].geometry.area == pytest.approx(like[2].geometry.area, rel=0.04)


def test_a_grey_ring_alone_beside_black_lines_is_a_colour():
    large = ruled([(INK, 2.0, 0), (INK, 2.0, 8)])
    cv2.circle(large, (1400, 1400), 300, (128, 128, 128), 10)
    found = explained_palette(reduced(large))
    assert len(found.colours) == 4 and nearest(found.colours, (128,) * 3) < 4


def test_a_red_ring_among_blue_pen_strokes_stays_red():
    """Both inks are as dark; in grainy JPEG the ring, of 15 px, is nowhere flat."""
    rng = np.random.default_rng(7)
    large = np.full((2400, 2400, 3), (248, 246, 240), np.uint8)
    for _ in range(9):
        places = rng.integers(300, 2100, (6, 2)).astype(np.int32)
        cv2.polylines(large, [places], False, (30, 50, 150), 11, cv2.LINE_AA)
    cv2.circle(large, (1150, 1150), 420, (200, 30, 40), 60, cv2.LINE_AA)
    grainy = reduced(large) + rng.normal(0, 2.5, (600, 600, 1))
    found = trace(
        read_picture(saved(grainy.clip(0, 255).astype(np.uint8), "JPEG", quality=75), "a"),
        TraceSettings(),
        90.0,
    )
    inks = np.array([rgb_of(r.colour) for r in found.regions], float)
    assert nearest(inks, (200, 30, 40)) < 6 and nearest(inks, (30, 50, 150)) < 8
