"""Soft gradients: seen as such, one colour by a click or at once, and no drawn edge taken for one."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from bench.gallery import pictures, reduced, saved
from PIL import Image

from cutkey.cli.main import main
from cutkey.core.colour.difference import difference, rgb_of
from cutkey.core.model.tracing import TraceSettings
from cutkey.core.picture.gradients import join_gradients
from cutkey.core.picture.read import read_picture
from cutkey.core.trace.first import first_settings
from cutkey.core.trace.run import Trace, trace

Rgb = tuple[int, int, int]
PALE, DEEP, DARK = (120, 200, 250), (10, 50, 140), (20, 20, 40)


def button(low: Rgb = PALE, high: Rgb = DEEP, radial: bool = True) -> np.ndarray:
    """A disc of 0.42 of 640 px that goes from one colour to another, a white cross and a dark dot on it."""
    y, x = np.mgrid[0:1920, 0:1920] / 1920
    r = np.hypot(x - 0.5, y - 0.5)
    t = (r / 0.42 if radial else (y - 0.08) / 0.84).clip(0, 1)[..., None]
    image = np.where((r < 0.42)[..., None], np.array(low) * (1 - t) + np.array(high) * t, 255.0)
    dx, dy = abs(x - 0.5), abs(y - 0.5)
    image[(dx < 0.05) & (dy < 0.2) | (dy < 0.05) & (dx < 0.2)] = 255
    image[np.hypot(x - 0.27, y - 0.27) < 0.06] = DARK
    return reduced(image.round().astype(np.uint8), over=3)


def codes(made: Trace) -> list[str]:
    return [n.code for n in made.notes]


@pytest.mark.parametrize("how", [("PNG", {}), ("JPEG", {"quality": 85}), ("WEBP", {"quality": 80})])
@pytest.mark.parametrize(
    "tones",
    [(PALE, DEEP, True), ((255, 200, 40), (240, 60, 30), False), ((30, 80, 220), (160, 40, 190), False)],
)
def test_a_gradient_becomes_one_colour_at_its_own_place(tones, how):
    picture = read_picture(saved(button(*tones), how[0], **how[1]), "a")
    plain = trace(picture, TraceSettings(), 64.0, whole=True)
    if len(plain.regions) > 3:
        assert "gradient in steps" in codes(plain)
    made = trace(picture, TraceSettings(join_gradients=True), 64.0, whole=True)
    # WebP leaves slivers of a pixel beside the cross.
    assert len([r for r in made.regions if r.geometry.area > 100]) == 3
    disc = max(made.regions, key=lambda r: r.geometry.area)
    # The disc without the cross and the dot.
    cover = np.pi * 0.42**2 - (2 * 0.1 * 0.4 - 0.1**2) - np.pi * 0.06**2
    assert disc.geometry.area == pytest.approx(640**2 * cover, rel=0.003)
    first = first_settings(picture, 64.0, "a", whole=True)
    assert first.kind == "photograph" or first.settings.join_gradients == (len(plain.regions) > 3)


@pytest.mark.parametrize("soft", [0, 3, 7])
def test_drawn_edges_are_no_gradient_however_near_the_colours(soft):
    """Bands of a flag, 60 px wide and 6 apart (CIEDE2000) or more, and the same
    through a filter of 3 px or out of focus by 2.5."""
    large = np.full((1440, 1920, 3), 255, np.uint8)
    for k, colour in enumerate(
        [(60, 120, 200), (70, 135, 222), (100, 150, 220), (150, 180, 230), (200, 60, 40)]
    ):
        large[240 + 180 * k : 420 + 180 * k, 300:1600] = colour
    image = reduced(large, over=3)
    if soft == 3:
        image = reduced(np.kron(image, np.ones((3, 3, 1), np.uint8)), over=3)
    elif soft:
        image = cv2.GaussianBlur(image, (0, 0), 2.5)
    made = trace(read_picture(saved(image, "PNG"), "a"), TraceSettings(join_gradients=True), 64.0)
    assert len(made.regions) == 5 and "gradient in steps" not in codes(made)


def test_clean_drawings_have_none():
    # A picture that was moved has no gradient either, however soft its outlines are.
    for shown in (*pictures("Lanczos", 5, own_only=True), *pictures("motion blur", 3, own_only=True)):
        made = trace(read_picture(shown.data, "a"), TraceSettings(join_gradients=True), 64.0, whole=True)
        assert "gradient in steps" not in codes(made)


def test_a_merged_gradient_goes_whole_and_the_ground_is_no_part_of_one():
    picture = read_picture(saved(button(), "PNG"), "a")
    made = trace(picture, TraceSettings(join_gradients=True), 64.0)
    disc = max(made.regions, key=lambda r: r.geometry.area).colour
    dark = min(made.regions, key=lambda r: difference(np.array(rgb_of(r.colour)), np.array(DARK))).colour
    merged = trace(picture, TraceSettings(join_gradients=True, merges=((disc, dark),)), 64.0)
    assert {r.colour for r in merged.regions} == {r.colour for r in made.regions} - {disc}
    # A disc that fades into the paper: the paper stays paper.
    faded = read_picture(saved(button(DEEP, (255, 255, 255)), "PNG"), "a")
    ground = trace(faded, TraceSettings(join_gradients=True), 64.0).background
    assert ground is not None and difference(np.array(rgb_of(ground)), np.full(3, 255)) < 1


def test_a_gradient_through_grey_is_whole_in_a_transparent_sticker():
    """From green through grey to purple: its steps are narrow, and a level apart from row to row."""
    y, x = np.mgrid[0:2000, 0:2000]
    r, t = np.hypot(x - 1000, y - 1000), y / 2000
    image = np.zeros((2000, 2000, 4))
    image[r < 900] = (25, 25, 35, 255)
    image[r < 860] = 255
    tones = np.stack([60 + 150 * t, 200 - 120 * t, 90 + 100 * t, 0 * t + 255], -1)
    image[r < 780] = tones[r < 780]
    small = Image.fromarray(image.astype(np.uint8)).resize((500, 500), Image.Resampling.LANCZOS)
    made = trace(read_picture(saved(np.asarray(small), "PNG"), "a"), TraceSettings(join_gradients=True), 64.0)
    assert len(made.regions) == 3
    disc = max(made.regions, key=lambda r: r.geometry.area)
    assert disc.geometry.area == pytest.approx(np.pi * (780 / 4) ** 2, rel=0.003)


def test_bars_that_fade_into_the_paper_are_no_shaded_ground():
    large = np.full((1200, 2800, 3), 255.0)
    for k in range(3):
        t = np.linspace(0, 1, 2800)[None, :, None]
        large[200 + k * 330 : 400 + k * 330] = (1 - t) * np.array([10, 110, 60]) + t * 255
    made = trace(read_picture(saved(reduced(large.astype(np.uint8)), "PNG"), "a"), TraceSettings(), 90.0)
    assert "shaded ground" not in codes(made)
    # The last step is paper.
    assert sum(r.geometry.area for r in made.regions) > 0.75 * 3 * 50 * 700


def test_what_is_joined_keeps_every_pixel_and_other_labels():
    labels = np.repeat(np.arange(4, dtype=np.int32), 30)[None].repeat(60, 0)
    # A ramp in three steps beside a flat area of another colour.
    ramp = np.r_[np.linspace(80, 140, 90), np.full(30, 250)]
    rgb = np.repeat(ramp.round().astype(np.uint8)[None, :, None], 3, 2).repeat(60, 0)
    palette = np.array([[90] * 3, [110] * 3, [130] * 3, [250] * 3], np.uint8)
    found = join_gradients(rgb, labels, palette, never=(3,))
    assert found is not None and (found.steps, found.gradients) == (3, 1)
    assert (found.labels[:, 90:] == 3).all() and len(np.unique(found.labels[:, :90])) == 1
    assert found.palette[found.labels[0, 0]].tolist() == [110] * 3
    # An edge of 30 levels is drawn, wherever the areas lie.
    steps = palette[labels]
    assert join_gradients(steps, labels, palette, never=()) is None


def test_a_part_cut_off_by_a_line_joins_its_gradient_and_a_flat_one_does_not():
    """Steps 0 and 1 meet on the left of a line; on its right there is step 1 alone, still on the slope."""
    ramp = np.r_[np.linspace(80, 110, 80), np.linspace(110, 118, 40), np.full(40, 115)]
    rgb = np.repeat(ramp.round().astype(np.uint8)[None, :, None], 3, 2).repeat(60, 0)
    labels = np.repeat(np.r_[np.zeros(40), np.ones(120)].astype(np.int32)[None], 60, 0)
    for x in (78, 118):
        rgb[:, x : x + 4], labels[:, x : x + 4] = 20, 2
    palette = np.array([[80] * 3, [110] * 3, [20] * 3], np.uint8)
    found = join_gradients(rgb, labels, palette, lines=(2,))
    assert found is not None and (found.steps, found.gradients) == (2, 1)
    one, line, cut_off, flat = (int(found.labels[30, x]) for x in (20, 80, 100, 140))
    assert one == cut_off and (line, flat) == (2, 1)
    # Its mean, of the larger part: half way from 80 to 110.
    assert np.abs(found.palette[one].astype(int) - 95).max() <= 1


def test_the_command_joins_them_and_says_so(tmp_path, capsys):
    (tmp_path / "button.png").write_bytes(saved(button(), "PNG"))
    for options, colours in (
        ([], 3),
        (["--mode", "colours"], 8),
        (["--mode", "colours", "--join-gradients"], 3),
    ):
        code = main(["trace", str(tmp_path / "button.png"), "-o", str(tmp_path / "b.svg"), *options])
        said = capsys.readouterr().out
        assert code == 0 and f"{colours} colours" in said
        assert ("became one colour" in said) == (colours == 3)
