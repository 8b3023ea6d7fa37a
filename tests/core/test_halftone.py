"""The dots of a print: lattices that were printed are found and averaged, what is drawn is left."""

from __future__ import annotations

import math

import cv2
import numpy as np
import pytest
from bench.gallery import cartoon_of
from tests.conftest import png
from tests.core.test_light import BADGE, X, plain

from cutkey.core.imaging.halftone import PITCH, find_halftone, without_halftone
from cutkey.core.picture.read import read_picture
from cutkey.core.steps.halftone import RemoveHalftone
from cutkey.core.trace.first import first_settings
from cutkey.core.trace.run import trace
from cutkey.core.trace.ways import kind_of

#: Angles of the screens for cyan, magenta and yellow (common practice, no source).
ANGLES = (15.0, 75.0, 0.0)


def printed(rgb: np.ndarray, pitch: float, angles=(20.0,) * 3, part: float = 1.0) -> np.ndarray:
    """A picture in dots of three inks, each so large as its tone asks for; only `part` of them is dots."""
    h, w = rgb.shape[:2]
    y, x = np.mgrid[: 3 * h, : 3 * w] / 3  # three times as fine, as a scanner averages what it sees
    out = np.empty(rgb.shape, np.float64)
    for c, angle in enumerate(angles):
        a = math.radians(angle)
        u, v = (x * math.cos(a) + y * math.sin(a)) / pitch, (y * math.cos(a) - x * math.sin(a)) / pitch
        screen = (np.cos(2 * np.pi * u) + np.cos(2 * np.pi * v)) / 4 + 0.5
        ink = 1 - np.kron(rgb[..., c], np.ones((3, 3))) / 255
        dots = np.clip((ink - screen) * 2 + 0.5, 0, 1)
        fine = 255 * (1 - part * dots - (1 - part) * ink)
        out[..., c] = cv2.resize(fine, (w, h), interpolation=cv2.INTER_AREA)
    return cv2.GaussianBlur(out, (0, 0), 0.6).round().astype(np.uint8)


@pytest.mark.parametrize("pitch", [3.0, 4.0, 7.5])
def test_the_lattice_of_a_print_is_found(pitch):
    (one,) = find_halftone(printed(plain(BADGE), pitch))
    assert one.pitch == pytest.approx(pitch, rel=0.04)
    turn = math.degrees(math.atan2(one.u[1], one.u[0])) % 90
    assert min(abs(turn - t) for t in (20, 70)) < 3


def test_every_ink_has_its_own_lattice():
    found = find_halftone(printed(plain(BADGE), 4.0, ANGLES))
    turns = sorted(round(math.degrees(math.atan2(f.u[1], f.u[0]))) % 90 for f in found)
    assert len(found) == 3 and all(min(abs(t - a) for a in (0, 15, 75, 90)) < 4 for t in turns)


def test_dots_are_averaged_to_the_tones_they_stand_for():
    flat = np.full((200, 240, 3), (200, 90, 60), np.uint8)
    flat[:, 120:] = (90, 90, 180)
    photo = printed(flat, 4.0)
    clear = without_halftone(photo).astype(float)
    for side in (np.s_[20:180, 20:100], np.s_[20:180, 140:220]):
        tone = photo[side].reshape(-1, 3).mean(0)
        before, after = (np.abs(a[side] - tone).mean() for a in (photo, clear))
        assert before > 25 and after < 2


def test_what_is_drawn_is_no_halftone():
    disc = plain(BADGE)
    hatched = disc - 60 * (np.cos(2 * np.pi * X / 4) > 0)[..., None]
    grain = np.random.default_rng(4).normal(0, 25, disc.shape)
    for rgb in (
        disc,
        plain(cartoon_of(900)),
        hatched,
        disc + grain,
        printed(disc, PITCH * 1.15),
        printed(disc, 4.0, part=0.0),
    ):
        rgb = rgb.clip(0, 255).astype(np.uint8)
        assert find_halftone(rgb) == () and without_halftone(rgb) is rgb and kind_of(rgb)[1] != "halftone"
    dots = printed(disc, 4.0)
    # Too narrow to tell a wave from an edge.
    assert find_halftone(dots[:96, :400]) and not find_halftone(dots[:95, :400])


def test_a_print_is_traced_in_its_inks_and_a_tick_keeps_the_dots():
    picture = read_picture(png(printed(plain(BADGE), 4.0, part=0.3)), "x")
    first = first_settings(picture, 60, "x")
    assert first.light == "halftone" and first.settings.steps == (RemoveHalftone(),)
    made = trace(picture, first.settings, 60)
    assert len(made.regions) == 3 and not np.array_equal(made.picture, picture.rgb)
