"""Opening and preparing pictures."""

from __future__ import annotations

import io
import struct
import zlib

import cv2
import numpy as np
import pytest
from PIL import Image
from tests.conftest import checker, png

from cutkey.core.errors import BadInput
from cutkey.core.imaging.prepare import even_light, noise_level, smooth
from cutkey.core.model.tracing import TraceSettings
from cutkey.core.picture.ground import plain_ground
from cutkey.core.picture.palette import find_palette
from cutkey.core.picture.read import read_picture
from cutkey.core.steps.kind import WORKING_SIDE
from cutkey.core.trace.run import trace
from cutkey.demo import shipped


def encoded(rgb: np.ndarray, kind: str, **how) -> bytes:
    buffer = io.BytesIO()
    Image.fromarray(rgb).save(buffer, kind, **how)
    return buffer.getvalue()


@pytest.mark.parametrize("kind", ["PNG", "BMP", "TIFF", "WEBP", "JPEG"])
def test_formats_open_alike(kind):
    rgb = checker(90)
    how = {"lossless": True} if kind == "WEBP" else {"quality": 95} if kind == "JPEG" else {}
    picture = read_picture(encoded(rgb, kind, **how), f"a.{kind}")
    assert picture.original_size == (90, 90) and picture.alpha is None
    assert np.abs(picture.rgb.astype(int) - rgb).mean() < (2 if kind == "JPEG" else 0.01)


def test_a_photograph_is_turned_upright_by_its_orientation():
    """Orientation 6 of the EXIF standard: the stored picture is shown turned a quarter clockwise."""
    rgb = np.zeros((40, 60, 3), np.uint8)
    rgb[:, :10] = 255
    exif = Image.Exif()
    exif[0x0112] = 6
    upright = read_picture(encoded(rgb, "JPEG", exif=exif, quality=95), "photo.jpg").rgb
    assert upright.shape == (60, 40, 3) and upright[:8].mean() > 240 and upright[20:].mean() < 15


def test_large_pictures_are_worked_at_a_stated_size():
    large = np.zeros((2000, 6000), np.uint8)
    large[:, 3000:] = 255
    picture = read_picture(encoded(large, "PNG"), "large.png")
    assert picture.rgb.shape == (1000, WORKING_SIDE, 3) and picture.original_size == (6000, 2000)
    assert picture.rgb[:, :1490].max() == 0 and picture.rgb[:, 1510:].min() == 255


@pytest.mark.parametrize("data", [b"", b"GIF89a" + bytes(50), png(checker())[:150], b"\x89PNG\r\n\x1a\n"])
def test_what_is_no_picture_is_refused_in_one_sentence(data):
    with pytest.raises(BadInput, match=r"^odd\.png .*\.$"):
        read_picture(data, "odd.png")


def test_uneven_light_is_taken_out():
    """A grey card lit from one side comes out even; the figure on it keeps its contrast."""
    y, x = np.mgrid[:200, :300]
    light = 0.55 + 0.4 * x / 300 + 0.05 * (y / 200) ** 2
    card = np.full((200, 300, 3), 235.0)
    card[60:140, 100:200] = 60
    lit = (card * light[..., None]).astype(np.uint8)
    flat = even_light(lit)
    ground = flat[..., 0][(x < 90) | (x > 210)]
    assert np.ptp(lit[..., 0][(x < 90) | (x > 210)].astype(int)) > 60
    assert np.ptp(ground.astype(int)) <= 6
    ink = flat[70:130, 110:190, 0].astype(int)
    assert np.ptp(ink) <= 6 and ground.mean() / ink.mean() == pytest.approx(235 / 60, rel=0.1)


def test_noise_is_measured_and_smoothing_keeps_edges():
    """Noise of 9 levels in each channel is 9 sqrt(.299^2 + .587^2 + .114^2) in the grey picture (weights
    of ITU-R BT.601)."""
    rng = np.random.default_rng(4)
    base = checker(200).astype(float)
    noisy = np.clip(base * 0.8 + 25 + rng.normal(0, 9, base.shape), 0, 255).astype(np.uint8)
    assert noise_level(noisy) == pytest.approx(9 * np.linalg.norm((0.299, 0.587, 0.114)), rel=0.1)
    assert noise_level(checker(200)) == 0
    calm = smooth(noisy, noise_level(noisy)).astype(float)
    wanted = base * 0.8 + 25
    assert np.abs(calm - wanted).mean() < 0.35 * np.abs(noisy - wanted).mean()


def test_blends_along_edges_never_become_colours():
    small = np.asarray(Image.fromarray(checker(400)).resize((100, 100), Image.Resampling.BOX))
    assert len(np.unique(small.reshape(-1, 3), axis=0)) > 10
    found = find_palette(small)
    assert {tuple(c) for c in found.tolist()} == {(255, 255, 255), (224, 163, 42), (30, 30, 30)}
    assert [tuple(c) for c in find_palette(small, 2).tolist()] == [(255, 255, 255), (224, 163, 42)]


@pytest.mark.parametrize("name", ["bee.png", "sprig.png", "lettering.png", "hexagons.png", "gate-sign.png"])
def test_the_demo_pictures_that_ship_are_those_that_are_drawn(name, monkeypatch, tmp_path):
    kept = read_picture(shipped.picture(name), name).rgb
    monkeypatch.setattr(shipped, "_FOLDER", tmp_path)
    shipped.picture.cache_clear()
    assert np.abs(kept.astype(int) - read_picture(shipped.picture(name), name).rgb.astype(int)).max() <= 1
    shipped.picture.cache_clear()


Y, X = np.mgrid[:400, :400]
GROUNDS = {
    "soft": (lambda: np.repeat((250 - 60 * Y / 400)[..., None], 3, 2), 0),
    "soft, compressed": (lambda: np.repeat((250 - 60 * Y / 400)[..., None], 3, 2), 85),
    "coloured": (lambda: np.stack([230 - 120 * Y / 400, 240 - 60 * X / 400, np.full(Y.shape, 255.0)], -1), 0),
    "round": (lambda: np.repeat((255 - 90 * np.hypot(X - 200, Y - 200) / 280)[..., None], 3, 2), 90),
    "wood": (
        lambda: np.stack(
            [m + a * np.sin(X / 15 + 2 * np.sin(Y / 60)) for m, a in ((190, 22), (150, 18), (100, 15))], -1
        ),
        90,
    ),
    "with a shadow": (
        lambda: (
            255
            * (1 - 0.5 * cv2.GaussianBlur(np.roll(figure(), (9, 9), (0, 1)), (0, 0), 14))[..., None].repeat(
                3, 2
            )
        ),
        0,
    ),
}


def figure() -> np.ndarray:
    """Share of each pixel that a disc and a bar on it cover, by supersampling."""
    big = np.zeros((1600, 1600), np.uint8)
    cv2.circle(big, (800, 800), 400, 255, -1)
    cv2.rectangle(big, (720, 200), (880, 800), 255, -1)
    return cv2.resize(big, (400, 400), interpolation=cv2.INTER_AREA) / 255.0


@pytest.mark.parametrize("name", GROUNDS)
def test_a_ground_that_shades_is_taken_away_and_said(name):
    """The figure's area is known; within it the disc is red, the bar above blue."""
    ground, quality = GROUNDS[name]
    cover = figure()[..., None]
    ink = np.where(Y[..., None] < 140, (30.0, 70.0, 160.0), (200.0, 40.0, 40.0))
    rgb = np.clip(ground() * (1 - cover) + ink * cover, 0, 255).round().astype(np.uint8)
    data = encoded(rgb, "JPEG", quality=quality) if quality else encoded(rgb, "PNG")
    traced = trace(read_picture(data, "a"), TraceSettings(), 60)
    assert len(traced.regions) == 2 and any("was taken for one colour" in str(n) for n in traced.notes)
    assert sum(r.geometry.area for r in traced.regions) == pytest.approx(
        cover.sum(), rel=0.015 if "shadow" in name or name == "wood" else 0.004
    )
    # Kept, the ground is what it is.
    kept = trace(read_picture(data, "a"), TraceSettings(background="none"), 60)
    assert sum(r.geometry.area for r in kept.regions) == pytest.approx(160_000) and not any(
        "one colour" in str(n) for n in kept.notes
    )


def test_pale_fields_are_no_shading():
    """A field a little darker than the ground, with an edge or a soft one: flat, so it stays a colour of
    its own."""
    for blur in (0, 3):
        rgb = np.full((400, 400, 3), 255, np.uint8)
        rgb[100:300, 50:250] = 236
        rgb[150:250, 150:350] = (200, 40, 40)
        if blur:
            rgb = cv2.GaussianBlur(rgb, (0, 0), blur)
        assert plain_ground(rgb, 0.0) is None


@pytest.mark.parametrize(
    ("corners", "background"),
    [("all", "#ffffff"), ("three", "#ffffff"), ("two", "#ffffff"), ("none", "#c81e1e")],
)
def test_a_tightly_cropped_figure_is_not_its_own_background(corners, background):
    """A red badge that covers most of the border: its white corners tell the paper; without any the red
    is the ground."""
    big = np.full((800, 800, 3), (200, 30, 30), np.uint8)
    cut = {"all": range(4), "three": range(3), "two": (2, 3), "none": ()}[corners]
    for k in cut:
        x, y = 800 * (k % 2), 800 * (k // 2)
        cv2.circle(big, (x, y), 150, (255, 255, 255), -1)
    cv2.circle(big, (400, 400), 120, (230, 180, 40), -1)
    rgb = cv2.resize(big, (200, 200), interpolation=cv2.INTER_AREA)
    traced = trace(read_picture(png(rgb), "badge"), TraceSettings(), 60)
    assert traced.background == background and traced.notes == ()
    assert ("#c81e1e" in {r.colour for r in traced.regions}) == (background != "#c81e1e")


def deep(values: np.ndarray, suffix: str) -> bytes:
    """Numbers of 16 bits as a file."""
    order = [0] if values.ndim == 2 else [2, 1, 0, 3][: values.shape[2]]
    ok, data = cv2.imencode(suffix, values if values.ndim == 2 else np.ascontiguousarray(values[..., order]))
    assert ok
    return data.tobytes()


@pytest.mark.parametrize("suffix", [".png", ".tiff"])
@pytest.mark.parametrize("bands", [0, 3, 4])
def test_sixteen_bits_of_which_a_camera_used_ten_to_fourteen(suffix, bands):
    shape = (20, 30, bands) if bands else (20, 30)
    for bits in (10, 12, 14, 16):
        top = (1 << bits) - 1
        values = np.full(shape, top, np.uint16)
        values[5:15, 5:15] = top // 4
        if bands == 4:
            values[..., 3] = 65535
        found = read_picture(deep(values, suffix), "scan")
        assert found.rgb[0, 0].tolist() == [255] * 3 and abs(int(found.rgb[10, 10, 0]) - 64) <= 1
        assert any(f"uses {bits} of them" in str(n) for n in found.notes) == (bits < 16)
    # One level more than 12 bits hold is a picture of 14.
    values[0, 0] = np.where(np.arange(max(1, bands)) < 3, 4096, 65535) if bands else 4096
    values[1:] = np.minimum(values[1:], 4000)
    values[0, 1:] = 4000
    if bands == 4:
        values[..., 3] = 65535
    assert any("uses 14" in str(n) for n in read_picture(deep(values, suffix), "scan").notes)


def with_gamma(data: bytes, gamma: float, more: bytes = b"") -> bytes:
    """A PNG that states its gamma, as a share of 100,000 (PNG specification, 11.3.2.2)."""

    def chunk(kind: bytes, body: bytes) -> bytes:
        return struct.pack(">I", len(body)) + kind + body + struct.pack(">I", zlib.crc32(kind + body))

    stated = chunk(b"gAMA", struct.pack(">I", round(gamma * 1e5))) + more
    return data[:33] + stated + data[33:]


def test_a_png_that_states_its_gamma_is_shown_as_a_screen_does():
    rgba = np.zeros((4, 4, 4), np.uint8)
    rgba[...] = (128, 55, 255, 100)
    for mode, data in (("RGBA", encoded(rgba, "PNG")), ("RGB", encoded(rgba[..., :3], "PNG"))):
        linear = read_picture(with_gamma(data, 1.0), "x")
        assert linear.rgb[0, 0].tolist() == [round(255 * (v / 255) ** (1 / 2.2)) for v in (128, 55, 255)]
        assert (linear.alpha is not None and linear.alpha[0, 0] == 100) == (mode == "RGBA")
        assert any("gamma of 1" in str(n) for n in linear.notes)
        usual = read_picture(with_gamma(data, 0.45455), "x")
        assert usual.rgb[0, 0].tolist() == [128, 55, 255] and not usual.notes
        # Three hundredths off the usual one nothing is done, a little more is.
        assert not read_picture(with_gamma(data, 1.025 / 2.2), "x").notes
        assert read_picture(with_gamma(data, 1.035 / 2.2), "x").notes
