"""The first trace of pictures as the web, a phone and a scanner deliver them, judged by their drawing."""

from __future__ import annotations

import io
import json

import cv2
import numpy as np
import pytest
import shapely
from bench.gallery import (
    KINDS,
    OVER,
    Drawn,
    cartoon_of,
    drawn,
    on_a_desk,
    pictures,
    reduced,
    saved,
    strokes_of,
    svg_of,
)
from bench.openset import painted
from msgspec.structs import replace
from PIL import Image, ImageFilter

from cutkey.cli.main import main
from cutkey.core.colour.difference import difference, rgb_of
from cutkey.core.digest import digest_bytes
from cutkey.core.engine.draw import draw_graphic, figure_key
from cutkey.core.imaging.chroma import is_hue_blurred
from cutkey.core.imaging.overshoot import OVERSHOOTS, measure_overshoot, undo_overshoot
from cutkey.core.imaging.sheet import find_sheet
from cutkey.core.imaging.transparency import separate_soft
from cutkey.core.memo import Memo
from cutkey.core.model.job import GraphicSpec, Source
from cutkey.core.model.tracing import TraceSettings
from cutkey.core.picture.pixels import is_pixel_art
from cutkey.core.picture.read import read_picture
from cutkey.core.trace.deviation import deviation
from cutkey.core.trace.first import first_settings
from cutkey.core.trace.run import trace
from cutkey.core.trace.squaring import SHEETS, find_squaring
from cutkey.worker.ways_view import first_view


@pytest.fixture(scope="module", params=[900, 906])
def cartoon(request) -> Drawn:
    """Overlapping shapes with outlines of 2 to 3 px."""
    made = drawn("cartoon", cartoon_of(request.param))
    assert made is not None
    return made


WORLD = {
    "mean": (lambda a: saved(reduced(a), "PNG"), 0.02),
    "Lanczos": (lambda a: saved(reduced(a, Image.Resampling.LANCZOS), "PNG"), 0.06),
    "bicubic": (lambda a: saved(reduced(a, Image.Resampling.BICUBIC), "PNG"), 0.06),
    "JPEG 80": (lambda a: saved(reduced(a, Image.Resampling.LANCZOS), "JPEG", quality=80), 0.1),
    "JPEG 60": (lambda a: saved(reduced(a, Image.Resampling.LANCZOS), "JPEG", quality=60), 0.12),
    "WebP": (lambda a: saved(reduced(a, Image.Resampling.LANCZOS), "WEBP", quality=80), 0.1),
}


@pytest.mark.parametrize("how", WORLD)
def test_outlines_keep_their_ink_and_no_colour_is_invented(cartoon, how):
    """Against the area that the drawing itself was painted with."""
    change, most = WORLD[how]
    ink = int(np.argmin(cartoon.palette.sum(1)))
    found = trace(read_picture(change(cartoon.palette[cartoon.labels]), "a"), TraceSettings(), 60.0)
    assert len(found.regions) == len(cartoon.palette) - 1
    area = sum(
        r.geometry.area
        for r in found.regions
        if difference(np.array(rgb_of(r.colour)), cartoon.palette).argmin() == ink
    )
    assert area == pytest.approx((cartoon.labels == ink).sum() / OVER**2, rel=most)


def test_overshoot_is_measured_and_undone(cartoon):
    large = cartoon.palette[cartoon.labels]
    mean = reduced(large)
    assert measure_overshoot(mean) < OVERSHOOTS and undo_overshoot(mean) is mean
    sharp = np.asarray(Image.fromarray(mean).filter(ImageFilter.UnsharpMask(1.5, 120, 0)))
    for spoilt in (reduced(large, Image.Resampling.LANCZOS), sharp):
        assert measure_overshoot(spoilt) > OVERSHOOTS and measure_overshoot(
            undo_overshoot(spoilt)
        ) < 0.35 * measure_overshoot(spoilt)
    # A dark outline round light areas is no overshoot, nor is a photograph's texture.
    grain = np.random.default_rng(1).normal(128, 40, (300, 300, 1)).clip(0, 255).astype(np.uint8)
    assert (
        undo_overshoot(np.repeat(grain, 3, 2)).shape == (300, 300, 3)
        and measure_overshoot(np.repeat(grain, 3, 2)) == 0
    )


def test_halved_chroma_is_told_from_full(cartoon):
    rgb = reduced(cartoon.palette[cartoon.labels])
    kept, halved = (
        np.asarray(Image.open(io.BytesIO(saved(rgb, "JPEG", quality=85, subsampling=s)))) for s in (0, 2)
    )
    assert [is_hue_blurred(a) for a in (rgb, kept, halved)] == [False, False, True]


def shadowed() -> tuple[np.ndarray, np.ndarray]:
    """A red disc of 40 px radius over a soft black shadow: colours and alpha, 0 to 1."""
    y, x = np.mgrid[:200, :200] + 0.5
    share = np.clip(40.5 - np.hypot(x - 90, y - 90), 0, 1)
    soft = 0.6 * cv2.GaussianBlur(np.clip(40.5 - np.hypot(x - 100, y - 100), 0, 1), (0, 0), 6)
    alpha = share + soft * (1 - share)
    rgb = np.array([200.0, 40, 40]) * (share / np.maximum(alpha, 1e-6))[..., None]
    return rgb.round().astype(np.uint8), (255 * alpha).round().astype(np.uint8)


def test_a_soft_shadow_is_left_out_named_and_kept_when_asked():
    rgb, alpha = shadowed()
    picture = read_picture(saved(np.dstack([rgb, alpha]), "PNG"), "a")
    found = trace(picture, TraceSettings(), 60.0)
    (disc,) = found.regions
    assert disc.geometry.area == pytest.approx(np.pi * 40**2, rel=0.002)
    # Its edge is as smooth over the shadow as without one.
    edge = shapely.get_coordinates(disc.geometry)
    assert np.abs(np.hypot(*(edge - 90).T) - 40).max() < 0.1
    assert difference(np.array(rgb_of(disc.colour)), np.array([200, 40, 40])) < 2
    assert any("soft shadow" in str(n) and "left out" in str(n) for n in found.notes)
    kept = trace(picture, TraceSettings(keep_soft=True), 60.0)
    assert len(kept.regions) == 2 and any("part of the figure" in str(n) for n in kept.notes)
    assert min(sum(rgb_of(r.colour)) for r in kept.regions) < 60
    # It goes out to a quarter of where it is strongest (0.6, a little less beside the disc).
    seen = (alpha > 0.25 * 0.58 * 255).sum()
    assert sum(r.geometry.area for r in kept.regions) == pytest.approx(seen, rel=0.03)


def test_glass_keeps_its_colour_beside_a_shadow_and_nothing_opaque_is_no_shadow():
    rgb, alpha = shadowed()
    rgb, alpha = np.pad(rgb, ((0, 0), (0, 120), (0, 0))), np.pad(alpha, ((0, 0), (0, 120)))
    rgb[60:140, 220:300], alpha[60:140, 220:300] = (30, 90, 200), 128
    found = trace(read_picture(saved(np.dstack([rgb, alpha]), "PNG"), "a"), TraceSettings(), 60.0)
    areas = dict.fromkeys(((200, 40, 40), (30, 90, 200)), 0.0)
    for region in found.regions:
        areas[min(areas, key=lambda k: difference(np.array(rgb_of(region.colour)), np.array(k)))] += (
            region.geometry.area
        )
    # A small picture with lines is traced enlarged.
    px = (found.picture.shape[1] / rgb.shape[1]) ** 2
    assert areas[30, 90, 200] == pytest.approx(px * 80 * 80, rel=0.01)
    assert areas[200, 40, 40] == pytest.approx(px * np.pi * 40**2, rel=0.04)
    # Opaque nowhere: the strong part is the figure, whatever its alpha.
    fading = np.full((60, 90), 20, np.uint8)
    fading[:, 30:60] = np.linspace(150, 180, 30).astype(np.uint8)
    _, opaque, soft = separate_soft(np.full((60, 90, 3), 40, np.uint8), fading)
    assert soft is None and opaque[30, 45] == 255 and opaque[30, 10] == 0


def test_a_shadow_painted_on_white_goes_with_the_ground_it_lies_on():
    """Inside a ring too, whose white the shadow reaches."""
    y, x = np.mgrid[:300, :300] + 0.5
    r = np.hypot(x - 150, y - 150)
    share = np.clip(100.5 - r, 0, 1) * np.clip(r - 69.5, 0, 1)
    soft = 0.35 * cv2.GaussianBlur(np.roll(share, (9, 9), (0, 1)), (0, 0), 9)
    ground = 255 * (1 - soft)[..., None]
    rgb = np.array([20.0, 60, 160]) * share[..., None] + ground * (1 - share[..., None])
    found = trace(read_picture(saved(rgb.round().astype(np.uint8), "PNG"), "a"), TraceSettings(), 60.0)
    blue = max(found.regions, key=lambda r: -sum(rgb_of(r.colour)))
    assert len(found.regions) <= 2 and blue.geometry.area == pytest.approx(np.pi * (100**2 - 70**2), rel=0.02)


@pytest.mark.parametrize("kind", ["JPEG 60", "pencil"])
def test_what_the_first_look_has_found_makes_the_same_trace(kind):
    """The window keeps it between the two, by picture, settings and width."""
    memo, used = Memo(), 0
    for shown in pictures(kind, 2, own_only=True):
        source = Source(digest_bytes(shown.data), shown.name, "picture")
        spec = GraphicSpec("g", "G", source.digest, 60.0)
        first = first_view(spec, source, shown.data, memo)
        spec = replace(spec, trace=first.trace)
        used += figure_key(spec, first.trace) in memo
        kept, anew = (draw_graphic(spec, source, shown.data, (), m).graphic.regions for m in (memo, Memo()))
        assert [r.colour for r in kept] == [r.colour for r in anew]
        assert all(a.geometry.equals(b.geometry) for a, b in zip(kept, anew, strict=True))
        assert figure_key(replace(spec, width_mm=61.0), first.trace) not in memo
    assert used >= 1


@pytest.mark.parametrize("kind", ["sprite", "sprite, enlarged"])
def test_sprites_are_traced_square_by_square(kind):
    for shown in pictures(kind, 2, own_only=True):
        picture = read_picture(shown.data, shown.name)
        found = first_settings(picture, 60.0, shown.name)
        assert (found.kind, found.settings.mode) == ("pixel art", "pixels")
        made = trace(picture, found.settings, 60.0, whole=True)
        assert made.picture.shape[:2] == shown.labels.shape
        for region in made.regions:
            k = int(difference(np.array(rgb_of(region.colour)), shown.palette).argmin())
            # The ground's colour stays inside the figure only.
            assert region.geometry.area == (shown.labels == k).sum() or k == 0


def test_a_transparent_sprite_is_a_sprite_and_is_looked_at_on_white():
    sprite = np.zeros((12, 12, 4), np.uint8)
    sprite[2:10, 3:9] = (200, 40, 40, 255)
    sprite[4, 4] = sprite[4, 7] = (20, 20, 40, 255)
    for n in (1, 7):
        data = saved(np.kron(sprite, np.ones((n, n, 1), np.uint8)), "PNG")
        found = first_settings(read_picture(data, "a"), 60.0, "a")
        made = trace(read_picture(data, "a"), found.settings, 60.0)
        assert found.settings.mode == "pixels" and {r.colour for r in made.regions} == {"#c82828", "#141428"}
        assert made.picture.shape == (12, 12, 3) and (made.picture[0, 0] == 255).all()


def test_a_small_icon_with_smooth_edges_and_a_flag_are_no_pixel_art():
    disc = svg_of('<circle cx="4" cy="4" r="3" fill="#a22"/>', "0 0 8 8")
    assert not any(is_pixel_art(painted(disc, side)) for side in (16, 32, 64))
    flag = np.full((240, 320, 3), 255, np.uint8)
    flag[:, 100:140] = flag[100:140] = (0, 40, 104)
    assert not is_pixel_art(flag)
    # A sprite is at most 64 px wide; what is larger and not in blocks is a picture.
    spots = np.full((64, 64, 3), 255, np.uint8)
    spots[10:50:3, 8:60:5] = (200, 40, 40)
    assert is_pixel_art(spots) and not is_pixel_art(np.pad(spots, ((0, 1), (0, 1), (0, 0)), "edge"))
    # Nor is a chequered ground with a disc on it, though nearly all steps lie on a grid.
    y, x = np.mgrid[:1024, :1280] / 2
    board = np.where(((x // 64 + y // 64) % 2)[..., None] > 0, 240, 160) * np.ones(3)
    board[np.hypot(x - 320, y - 256) < 100] = 20
    assert not is_pixel_art(cv2.resize(board, (640, 512), interpolation=cv2.INTER_AREA).astype(np.uint8))
    moon = (128 + 60 * np.sin(np.arange(256) / 9.0))[:, None, None] * np.ones((1, 256, 3))
    assert not is_pixel_art(np.kron(moon, np.ones((2, 2, 1))).astype(np.uint8))


@pytest.mark.parametrize(("kind", "way"), [("light on dark", "light"), ("pencil", "dark")])
def test_thin_strokes_in_grain_are_never_nothing(kind, way):
    strokes = drawn("strokes", strokes_of(5))
    assert strokes is not None
    change, deliver = KINDS[kind]
    rng = np.random.default_rng(2)
    made = change(strokes, rng)
    picture = read_picture(deliver(made, rng), "a")
    found = first_settings(picture, 80.0, "a")
    assert found.way == way
    area = sum(r.geometry.area for r in trace(picture, found.settings, 80.0).regions)
    assert area == pytest.approx((made.labels > 0).sum() / OVER**2, rel=0.12)


def covered(data: bytes, corners: np.ndarray) -> bytes:
    """A photograph with a finger over the first corner and a pencil across the second side."""
    rgb = np.asarray(Image.open(io.BytesIO(data))).copy()
    p = corners * rgb.shape[1::-1]
    cv2.ellipse(rgb, tuple(int(v) for v in p[0]), (70, 45), 30, 0, 360, (196, 140, 118), -1, cv2.LINE_AA)
    middle = (p[1] + p[2]) / 2
    cv2.line(rgb, *(tuple(int(v) for v in middle + k) for k in ((-90, -30), (90, 40))), (60, 60, 40), 14)
    return saved(rgb, "JPEG", quality=90)


def test_the_corners_of_a_sheet_are_found_also_where_a_finger_hides_one():
    """Corners within 1 % of the sheet's width, its proportion within 1 %."""
    badge = drawn("strokes", strokes_of(8))
    assert badge is not None
    rng = np.random.default_rng(4)
    for n in range(6):
        shown = on_a_desk(badge, rng)
        data = covered(shown.data, shown.corners) if n % 2 else shown.data
        rgb = read_picture(data, "a").rgb
        found = find_sheet(rgb)
        assert found is not None, shown.name
        size = rgb.shape[1::-1]
        wide = np.linalg.norm((shown.corners[1] - shown.corners[0]) * size)
        off = min(
            np.linalg.norm((np.roll(found.corners, k, 0) - shown.corners) * size, axis=1).max()
            for k in range(4)
        )
        assert off < 0.01 * wide
        squaring = find_squaring(rgb)
        assert squaring is not None and squaring.sheet in SHEETS
        true = shown.size[0] / shown.size[1]
        assert min(abs(squaring.step.proportion / t - 1) for t in (true, 1 / true)) < 0.01


def test_a_picture_without_a_sheet_has_none():
    flat = drawn("cartoon", cartoon_of(905))
    assert flat is not None and find_squaring(reduced(flat.palette[flat.labels])) is None
    import skimage.data

    for name in ("astronaut", "chelsea", "coffee"):
        assert find_squaring(np.ascontiguousarray(getattr(skimage.data, name)()[..., :3])) is None


def test_a_bank_card_on_a_desk_tells_its_size_on_the_command_line(tmp_path, capsys):
    photo = next(s for s in pictures("sheet on a desk", 12, own_only=True) if s.name.endswith("on card"))
    (tmp_path / "a.jpg").write_bytes(photo.data)
    out, report = tmp_path / "a.svg", tmp_path / "a.json"
    assert main(["trace", str(tmp_path / "a.jpg"), "-o", str(out), "--report", str(report)]) == 0
    assert "the sheet in it was squared up" in capsys.readouterr().out
    made = json.loads(report.read_text("utf-8"))
    # The drawing is a square of 0.8 of the card's height, with a margin of a twelfth on each side.
    assert 0.4 * 54 < max(made["size_mm"]) < 0.67 * 54 + 0.5
    plain = main(["trace", str(tmp_path / "a.jpg"), "-o", str(out), "--over", "--mode", "colours"])
    assert plain == 0 and "squared up" not in capsys.readouterr().out


def test_a_keeping_of_soft_edges_and_light_figures_can_be_asked_for(tmp_path, capsys):
    rgb, alpha = shadowed()
    (tmp_path / "a.png").write_bytes(saved(np.dstack([rgb, alpha]), "PNG"))
    command = ["trace", str(tmp_path / "a.png"), "-o", str(tmp_path / "a.svg"), "--over"]
    assert main(command) == 0 and "1 colours" in capsys.readouterr().out
    assert main([*command, "--keep-soft"]) == 0 and "2 colours" in capsys.readouterr().out
    # The disc's half that is lighter than the threshold, and no option without effect.
    assert main([*command, "--light"]) == 0 and "1 colours" in capsys.readouterr().out
    assert main([*command, "--light", "--mode", "colours"]) == 2
    assert "--light goes with --mode threshold" in capsys.readouterr().err


def test_a_frame_drawn_on_paper_is_no_sheet():
    """A dark frame with paper in it and round it: what is as light as its inside goes on outside."""
    svg = svg_of(
        '<rect x="60" y="90" width="360" height="300" rx="2" fill="#1b1a20"/>'
        '<rect x="100" y="130" width="280" height="220" fill="#ffffff"/>'
    )
    large = drawn("frame", svg)
    assert large is not None
    photo = reduced(large.palette[large.labels]) * 0.93 + np.random.default_rng(2).normal(
        0, 2.5, (480, 480, 3)
    )
    rgb = photo.clip(0, 255).astype(np.uint8)
    assert find_sheet(rgb) is None
    # On a dark desk the same rectangle is one.
    desk = np.where((np.mgrid[:480, :480] < 60).any(0)[..., None] | (rgb < 60), 40, rgb).astype(np.uint8)
    desk[420:, :] = desk[:, 420:] = 40
    assert find_sheet(desk) is not None


def test_compression_makes_no_two_colours_of_one():
    """A cross and bars in JPEG 40: as many colours as were drawn."""
    svg = svg_of(
        '<rect x="0" y="0" width="480" height="480" fill="#ef2b2d"/>'
        '<path d="M150 0h70v480h-70zM0 210h480v70h-480z" fill="#ffffff"/>'
        '<path d="M170 0h30v480h-30zM0 230h480v30h-480z" fill="#002868"/>'
    )
    large = drawn("cross", svg)
    assert large is not None
    data = saved(reduced(large.palette[large.labels], Image.Resampling.LANCZOS), "JPEG", quality=40)
    made = trace(read_picture(data, "x"), TraceSettings(), 60)
    assert len({r.colour for r in made.regions} - {made.background}) == 2


def test_undone_overshoot_keeps_thin_lines_dark():
    """What was sharpened by a known amount comes back no lighter than it was, and compression changes that
    little."""
    made = drawn("cartoon", cartoon_of(901))
    assert made is not None
    ink = int(np.argmin(made.palette.astype(int).sum(1)))
    core = (
        cv2.resize((made.labels == ink).astype(np.float32), (480, 480), interpolation=cv2.INTER_AREA) > 0.98
    )
    for how in ({"format": "PNG"}, {"format": "JPEG", "quality": 80}):
        buffer = io.BytesIO()
        Image.fromarray(reduced(made.palette[made.labels], Image.Resampling.LANCZOS)).save(buffer, **how)
        rgb = read_picture(buffer.getvalue(), "x").rgb
        before, after = (float(np.median(a[core].mean(1))) for a in (rgb, undo_overshoot(rgb)))
        assert undo_overshoot(rgb) is not rgb and after < before + 12


def test_a_shadow_painted_on_white_leaves_no_fringe_of_another_colour():
    """Letters with a strong soft shadow on white: beside them there is ground, not the next best colour."""
    d = drawn(
        "badge",
        svg_of(
            '<circle cx="240" cy="220" r="150" fill="#c8283c"/>'
            '<circle cx="240" cy="220" r="110" fill="#ffffff"/>'
            '<rect x="180" y="190" width="120" height="60" fill="#16808e"/>'
            '<rect x="120" y="400" width="240" height="30" fill="#8cb84a"/>'
        ),
    )
    assert d is not None
    share = cv2.resize((d.labels > 0).astype(np.float32), (480, 480), interpolation=cv2.INTER_AREA)
    colour = cv2.resize(d.palette[d.labels].astype(np.float32), (480, 480), interpolation=cv2.INTER_AREA)
    moved = cv2.GaussianBlur(np.roll(share, (6, 6), (0, 1)), (0, 0), 5)
    ground = 255 * (1 - 0.5 * moved)[..., None]
    own = (colour - 255 * (1 - share[..., None])) / np.maximum(share, 1e-3)[..., None]
    rgb = own * share[..., None] + ground * (1 - share[..., None])
    made = trace(
        read_picture(saved(rgb.round().clip(0, 255).astype(np.uint8), "PNG"), "x"), TraceSettings(), 60
    )
    for region in made.regions:
        if region.colour == made.background:
            continue
        truth = int(np.argmin(difference(rgb_of(region.colour), d.palette)))
        area = np.count_nonzero(d.labels == truth) / OVER**2
        assert region.geometry.area == pytest.approx(area, rel=0.04)
    assert len(made.regions) in (3, 4)


def test_a_staircase_is_never_silent():
    """The same diagonal as a line, as steps of a pixel and as steps of two; a comb of pixels in a row."""
    y, x = np.mgrid[:60, :60]
    rgb = np.where((x > y)[..., None], (200, 30, 30), 255).astype(np.uint8)
    two = np.array([[255.0, 255, 255], [200, 30, 30]])

    def share(points: list[tuple[float, float]]) -> float:
        line = np.array(points)
        return deviation(rgb, [line], two[:1], two[1:], np.array([True])).steps

    steps = [(k // 2 + k % 2, k // 2) for k in range(100)]
    assert share(steps) == pytest.approx(1.0) and share([(0, 0), (50, 50)]) == 0.0
    assert share([(2 * a, 2 * b) for a, b in steps[:50]]) == 0.0
    assert share([(0.5 * a, 0.5 * b) for a, b in steps]) == 0.0
    assert share([(a, 5) for a in range(50)]) == 0.0
    assert share([*steps[:51], (50, 50)]) == pytest.approx(50 / (50 + np.hypot(25, 25)), rel=0.02)
    # Pixel art is meant so; the smooth edge of a disc has none.
    soft = (255 - np.clip(20.5 - np.hypot(x - 30, y - 30), 0, 1)[..., None] * (55, 225, 225)).astype(np.uint8)
    for mode, picture in (("pixels", rgb), ("colours", soft)):
        off = trace(read_picture(saved(picture, "PNG"), "x"), TraceSettings(mode=mode), 60).off
        assert off is not None and off.steps < 0.01
