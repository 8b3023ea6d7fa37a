"""Hard shadows and glare over flat colours, judged by the drawing without them."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from bench.gallery import SIDE, cartoon_of, drawn, saved, strokes_of, svg_of

from cutkey.cli.main import main
from cutkey.core.imaging.glare import find_glare, without_glare
from cutkey.core.imaging.shadow import find_shadow, without_shadow
from cutkey.core.picture.read import read_picture
from cutkey.core.steps.glare import RemoveGlare
from cutkey.core.steps.shadow import RemoveShadow
from cutkey.core.trace.first import first_settings
from cutkey.core.trace.run import trace
from cutkey.core.trace.ways import kind_of

Y, X = np.mgrid[:SIDE, :SIDE].astype(np.float64)
BADGE = svg_of(
    '<circle cx="240" cy="240" r="190" fill="#6a4fa3"/><circle cx="240" cy="240" r="150" fill="#ffffff"/>'
    '<rect x="130" y="200" width="220" height="90" fill="#c8283c"/>'
)


def plain(svg: str) -> np.ndarray:
    """A drawing as it is in even light, not quite white."""
    made = drawn("x", svg)
    assert made is not None
    return cv2.resize(made.palette[made.labels], (SIDE, SIDE), interpolation=cv2.INTER_AREA) * 0.95


def shadowed(rgb: np.ndarray, turn: float, half: float, dark=(0.65, 0.65, 0.65)) -> np.ndarray:
    """A straight shadow over a little more than half, `half` px of half light at its edge."""
    side = (X - SIDE / 2) * np.cos(turn) + (Y - SIDE / 2) * np.sin(turn) + 20
    part = np.clip(side / half + 0.5, 0, 1)[..., None]
    return rgb * (1 - part * (1 - np.array(dark)))


def jpeg(rgb: np.ndarray) -> np.ndarray:
    data = saved(rgb.round().clip(0, 255).astype(np.uint8), "JPEG", quality=92)
    return read_picture(data, "x").rgb


@pytest.mark.parametrize(
    ("svg", "turn", "half", "dark", "noise"),
    [
        (BADGE, 0.3, 4.0, (0.65, 0.65, 0.65), 0.0),
        (BADGE, 1.8, 10.0, (0.5, 0.52, 0.55), 0.0),
        (BADGE, 2.6, 4.0, (0.7, 0.7, 0.7), 4.0),
        (cartoon_of(900), 0.9, 5.0, (0.6, 0.6, 0.6), 0.0),
        (strokes_of(4), 1.2, 4.0, (0.65, 0.65, 0.65), 0.0),
    ],
)
def test_a_hard_shadow_is_divided_out(svg, turn, half, dark, noise):
    lit = plain(svg)
    rng = np.random.default_rng(1)
    photo = jpeg(shadowed(lit, turn, half, dark) + rng.normal(0, max(noise, 1e-9), lit.shape))
    found = find_shadow(photo)
    assert found is not None and found.share == pytest.approx(0.5, abs=0.12)
    off = np.abs(without_shadow(photo) - lit).max(2)
    before = np.abs(photo - lit).max(2)
    # Off the edges of the drawing, where compression rings, and 98 % of the half light beside the shadow's.
    flat = np.ptp([lit, np.roll(lit, 3, 0), np.roll(lit, 3, 1), np.roll(lit, -3, 0)], axis=0).max(2) < 1
    assert np.quantile(before[flat], 0.6) > 40 and np.quantile(off[flat], 0.98) < 12 + 5 * noise


def two_tones(ink: tuple[int, int, int] = (190, 30, 50)) -> np.ndarray:
    """A flag, white over grey, with an emblem that has one colour on both: its grey is no shadow."""
    rgb = np.full((SIDE, SIDE, 3), 242.0)
    rgb[SIDE // 2 :] = 157
    rgb[np.hypot(X - 240, Y - 240) < 110] = ink
    return cv2.GaussianBlur(rgb, (0, 0), 1.5)


def shaded_half() -> np.ndarray:
    """A badge whose right half is drawn darker, on white: the ground is not in it."""
    rgb = plain(BADGE)
    return np.where((X > 240)[..., None] & (rgb < 240).any(2, keepdims=True), rgb * 0.7, rgb)


def sharp() -> np.ndarray:
    """Darker to the right of a line without any half light, as only drawing makes it."""
    rgb = plain(BADGE)
    return np.where((X > 250)[..., None], rgb * 0.65, rgb)


def falls_off() -> np.ndarray:
    """Light that falls off from one side to the other."""
    return plain(BADGE) * (1 - 0.45 * X / SIDE)[..., None]


@pytest.mark.parametrize(
    "make",
    [
        two_tones,
        lambda: two_tones((18, 18, 20)),
        lambda: two_tones((0, 0, 0)),
        shaded_half,
        sharp,
        falls_off,
        lambda: plain(cartoon_of(906)),
    ],
)
def test_what_is_drawn_or_slow_is_no_hard_shadow(make):
    photo = jpeg(make())
    assert find_shadow(photo) is None and without_shadow(photo) is photo


def glaring(rgb: np.ndarray, at: tuple[float, float], wide: float, strong: float) -> np.ndarray:
    share = strong * np.exp(-((X - at[0]) ** 2 + (Y - at[1]) ** 2) / (2 * wide**2))[..., None]
    return rgb + (238 - rgb) * share


@pytest.mark.parametrize(("at", "wide", "strong"), [((170, 230), 60, 0.45), ((300, 260), 45, 0.3)])
def test_glare_is_taken_out(at, wide, strong):
    lit = plain(BADGE)
    photo = jpeg(glaring(lit, at, wide, strong))
    found = find_glare(photo)
    assert found is not None
    flat = np.ptp([lit, np.roll(lit, 3, 0), np.roll(lit, 3, 1), np.roll(lit, -3, 0)], axis=0).max(2) < 1
    figure = flat & (lit.min(2) < 200)
    off, before = (np.abs(a - lit).max(2)[figure] for a in (without_glare(photo), photo))
    assert np.quantile(before, 0.95) > 30 and np.quantile(off, 0.98) < 15


def test_even_pictures_and_photographs_have_no_glare():
    for rgb in (jpeg(plain(BADGE)), jpeg(plain(cartoon_of(900))), jpeg(falls_off())):
        assert kind_of(rgb)[1] != "glare"
    rng = np.random.default_rng(3)
    texture = cv2.GaussianBlur(rng.normal(0, 1, (300, 300, 3)), (0, 0), 4)
    assert find_glare(np.clip(128 + 900 * texture, 0, 255).astype(np.uint8)) is None


@pytest.mark.parametrize(
    ("photo", "step", "option"),
    [
        (lambda: shadowed(plain(BADGE), 0.3, 4.0), RemoveShadow, "--remove-shadow"),
        (lambda: glaring(plain(BADGE), (170, 230), 60, 0.45), RemoveGlare, "--remove-glare"),
    ],
)
def test_both_are_taken_out_at_once_and_told(photo, step, option, tmp_path, capsys):
    data = saved(photo().round().clip(0, 255).astype(np.uint8), "JPEG", quality=92)
    picture = read_picture(data, "x")
    first = first_settings(picture, 60, "x")
    assert [type(s) for s in first.settings.steps] == [step]
    made = trace(picture, first.settings, 60)
    # Ring and bar, and the white that the ring encloses.
    assert len(made.regions) == 3
    (tmp_path / "photo.jpg").write_bytes(data)
    assert main(["trace", str(tmp_path / "photo.jpg"), "-o", str(tmp_path / "a.svg")]) == 0
    said = capsys.readouterr().out
    assert ("shadow" if step is RemoveShadow else "glare") in said and "--mode colours" in said
    # The option does the same where a mode is named.
    plainly = ["trace", str(tmp_path / "photo.jpg"), "-o", str(tmp_path / "b.svg"), "--mode", "colours"]
    assert main(plainly) == 0
    assert " 3 colours" not in capsys.readouterr().out
    assert main([*plainly, option, "--over"]) == 0
    assert " 3 colours" in capsys.readouterr().out
