"""Which colours are in a picture: thin lines, pale fields, compressed and grainy pictures, and as many as
are asked for."""

from __future__ import annotations

import io
import json
import math
import struct
from typing import get_args

import cv2
import numpy as np
import pytest
import skimage.data
from bench.openset import painted
from bench.quality_pictures import jpeg, noisy
from msgspec.structs import replace
from PIL import Image, ImageCms

from cutkey.cli.main import main
from cutkey.core.colour.difference import difference, lab_of
from cutkey.core.errors import BadInput
from cutkey.core.imaging.prepare import calm, noise_level
from cutkey.core.memo import Memo
from cutkey.core.model.job import GraphicSpec, Source
from cutkey.core.model.tracing import TraceSettings
from cutkey.core.model.ways import Kind, Offer, offers
from cutkey.core.picture.apply import prepare
from cutkey.core.picture.asked import joined
from cutkey.core.picture.palette import explained_palette, find_palette
from cutkey.core.picture.read import Picture, read_picture
from cutkey.core.steps.light import EvenLight
from cutkey.core.trace.run import trace
from cutkey.core.trace.trying import ranked, try_way
from cutkey.core.trace.ways import agreeing_looks, kind_of
from cutkey.demo.pictures import gate_sign, photographed
from cutkey.worker import ways_view

RED, BLACK, WHITE, PALE = "#d02020", "#000000", "#ffffff", "#eeeeee"
FIELDS = (
    f'<rect width="128" height="50" fill="{PALE}"/><circle cx="64" cy="70" r="34" fill="{RED}"/>'
    '<circle cx="64" cy="70" r="12" fill="#204080"/>'
)


def drawn(body: str, size: int = 128, scale: int = 1) -> np.ndarray:
    """A drawing as a renderer anti-aliases it."""
    return painted(
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {size} {size}">{body}</svg>', size * scale
    )


def traced(rgb: np.ndarray, **how) -> dict[str, float]:
    """Area of each colour in square pixels of the picture as it was."""
    made = trace(Picture(rgb, None, rgb.shape[1::-1]), TraceSettings(**how), 40.0)
    return {r.colour: r.geometry.area * (rgb.shape[1] / made.picture.shape[1]) ** 2 for r in made.regions}


def linear_profile() -> bytes:
    """A profile with the primaries of sRGB and linear light (ICC.1:2001-04, sections 6.1 to 6.5)."""

    def xyz(*values: float) -> bytes:
        return b"XYZ " + bytes(4) + struct.pack(">3i", *(round(v * 65536) for v in values))

    curve = b"curv" + bytes(4) + struct.pack(">IH2x", 1, 256)
    name = b"desc" + bytes(4) + struct.pack(">I", 7) + b"linear\0" + bytes(78) + b"\0"
    tags = {
        b"desc": name,
        b"wtpt": xyz(0.9642, 1.0, 0.8249),
        b"rXYZ": xyz(0.4361, 0.2225, 0.0139),
        b"gXYZ": xyz(0.3851, 0.7169, 0.0971),
        b"bXYZ": xyz(0.1431, 0.0606, 0.7141),
        **dict.fromkeys((b"rTRC", b"gTRC", b"bTRC"), curve),
    }
    table, body, at = struct.pack(">I", len(tags)), b"", 128 + 4 + 12 * len(tags)
    for tag, data in tags.items():
        data += bytes(-len(data) % 4)
        table += tag + struct.pack(">II", at + len(body), len(data))
        body += data
    head = struct.pack(
        ">I4sI4s4s4s12x4s",
        128 + len(table) + len(body),
        b"test",
        0x02100000,
        b"mntr",
        b"RGB ",
        b"XYZ ",
        b"acsp",
    )
    head += bytes(68 - len(head)) + struct.pack(">3i", 63190, 65536, 54061)
    return head + bytes(128 - len(head)) + table + body


@pytest.mark.parametrize("width", [3.0, 1.5])
def test_an_outline_that_is_nowhere_flat_is_a_colour_of_its_own(width):
    found = traced(
        drawn(f'<circle cx="64" cy="64" r="40" fill="{RED}" stroke="{BLACK}" stroke-width="{width}"/>')
    )
    assert list(found) == [RED, BLACK]
    # Areas of a disc and of a ring.
    assert found[RED] == pytest.approx(math.pi * (40 - width / 2) ** 2, rel=0.01)
    assert found[BLACK] == pytest.approx(2 * math.pi * 40 * width, rel=0.03)


def test_slanted_lines_and_line_art_come_out():
    found = traced(drawn('<line x1="10" y1="100" x2="118" y2="31" stroke="#204080" stroke-width="3"/>'))
    assert found == {"#204080": pytest.approx(3 * math.hypot(108, 69), rel=0.01)}
    thin = traced(
        drawn('<path d="M20 20L100 30L60 110Z" fill="none" stroke="black" stroke-width="1"/>'),
        everywhere=True,
    )
    assert len(thin) == 1 and sum(thin.values()) == pytest.approx(80.6 + 89.4 + 98.5, rel=0.12)
    sign = drawn('<path d="M4 16H28M16 4V28M8 8L24 24" fill="none" stroke="#205020" stroke-width="2.6"/>', 32)
    assert difference((32.0, 80.0, 32.0), find_palette(sign)[1].astype(float)) < 2


def test_pale_fields_stay_and_so_they_do_in_compressed_and_grainy_pictures():
    clean = drawn(FIELDS, scale=4)
    grainy = noisy(clean, 13)
    for rgb in (
        clean,
        jpeg(clean, 40),
        jpeg(clean, 90),
        calm(grainy, noise_level(grainy)),
        cv2.GaussianBlur(clean, (0, 0), 2),
    ):
        found = find_palette(rgb).astype(float)
        wanted = np.array([[255, 255, 255], [238, 238, 238], [208, 32, 32], [32, 64, 128]], float)
        assert len(found) == 4 and difference(wanted[:, None], found[None]).min(1).max() < 2.5


def test_pixel_art_keeps_its_squares_however_large_they_are_shown():
    art = np.full((16, 16, 3), 255, np.uint8)
    art[3:13, 4:12] = 0
    art[4:12, 5:11] = (200, 40, 40)
    art[9, 6:10] = (250, 200, 30)
    art[5, 5:7] = (120, 20, 20)
    wanted = {"#000000": 32.0, "#c82828": 42.0, "#fac81e": 4.0, "#781414": 2.0}
    for times in (1, 20):
        shown = np.kron(art, np.ones((times, times, 1), np.uint8))
        assert traced(shown, mode="pixels") == {c: pytest.approx(a * times**2) for c, a in wanted.items()}
    assert list(traced(art, mode="pixels", colours=2)) == ["#c82828", "#000000"]
    assert (
        len(traced(np.ascontiguousarray(skimage.data.astronaut()[::8, ::8]), mode="pixels", colours=3)) == 3
    )


def test_what_goes_with_the_background_is_said():
    rgb = np.full((200, 200, 3), 255, np.uint8)
    rgb[:60] = (252, 252, 252)
    rgb[100:150, 50:150] = (200, 30, 30)
    made = trace(Picture(rgb, None, (200, 200)), TraceSettings(), 40.0)
    assert [r.colour for r in made.regions] == ["#c81e1e"]
    assert tuple(map(str, made.notes)) == (
        (
            "#fcfcfc, 30 % of the picture, is so like the background #ffffff that it went with it; pick the"
            " colours by hand to keep it"
        ),
    )
    by_hand = trace(
        Picture(rgb, None, (200, 200)), TraceSettings(palette=("#ffffff", "#fcfcfc", "#c81e1e")), 40.0
    )
    assert {r.colour for r in by_hand.regions} == {"#fcfcfc", "#c81e1e"}


@pytest.mark.parametrize("count", [1, 2, 3])
def test_as_many_colours_come_back_as_are_asked_for(count):
    # Red is the largest of what is left when the white around it is taken away; the pale field is most like
    # that.
    found = traced(drawn(FIELDS, scale=4), colours=count)
    assert list(found) == [RED, "#204080", PALE][:count] or set(found) == {RED, "#204080", PALE}
    assert len(found) == count
    grainy = noisy(drawn(FIELDS, scale=4), 13)
    truth = np.array([[255, 255, 255], [238, 238, 238], [208, 32, 32], [32, 64, 128]], float)
    four = find_palette(calm(grainy, noise_level(grainy)), 4).astype(float)
    assert len(four) == 4 and difference(truth[:, None], four[None]).min(1).max() < 2.5


def test_joined_colours_are_those_that_are_most_alike_and_a_strong_small_one_stays():
    palette = np.array([[250, 250, 250], [240, 240, 238], [40, 60, 200], [30, 50, 180], [220, 20, 20]], float)
    share = np.array([0.5, 0.2, 0.2, 0.095, 0.005])
    # The larger of two keeps its place and its colour; nothing is mixed.
    assert (
        joined(palette, share, 4).tolist() == palette[[0, 2, 3, 4]].tolist()
        or joined(palette, share, 4).tolist() == palette[[0, 1, 2, 4]].tolist()
    )
    assert joined(palette, share, 3).tolist() == palette[[0, 2, 4]].tolist()
    assert (
        joined(palette, share, 9).tolist() == palette.tolist()
        and joined(palette, share, 1).tolist() == palette[[0]].tolist()
    )


def test_a_photograph_in_few_colours_is_as_near_as_k_means_makes_it():
    # Photograph bundled with scikit-image (public domain); k-means of OpenCV, the best of three.
    rgb = np.ascontiguousarray(skimage.data.astronaut()[::2, ::2])
    lab = lab_of(rgb.reshape(-1, 3).astype(float))
    for count in (4, 8):
        cv2.setRNGSeed(1)
        means = cv2.kmeans(lab.astype(np.float32), count, None, (3, 40, 0.1), 3, cv2.KMEANS_PP_CENTERS)[2]
        own, other = (
            np.sqrt(((lab[:, None] - c[None]) ** 2).sum(-1).min(1)).mean()
            for c in (lab_of(find_palette(rgb, count).astype(float)), means)
        )
        assert len(find_palette(rgb, count)) == count and own < 1.05 * other
    assert "stand best" in str(explained_palette(rgb, 4).why)


def test_every_kind_of_picture_is_read():
    ramp = np.linspace(0, 1, 64)[None].repeat(16, 0)

    def read(image: Image.Image, kind: str, **how) -> Picture:
        buffer = io.BytesIO()
        image.save(buffer, kind, **how)
        return read_picture(buffer.getvalue(), f"ramp.{kind.lower()}")

    wanted = np.round(255 * ramp)
    for image, kind in (
        (Image.fromarray((ramp * 65535).astype(np.uint16)), "PNG"),
        (Image.fromarray((ramp * 65535).astype(np.uint16)), "TIFF"),
        (Image.fromarray(ramp.astype(np.float32)), "TIFF"),
        (Image.fromarray((ramp * 255).astype(np.float32)), "TIFF"),
        (Image.fromarray((ramp * 8 - 3).astype(np.float32)), "TIFF"),
    ):
        assert np.abs(read(image, kind).rgb[..., 1] - wanted).max() <= 1, (image.mode, kind)
    with pytest.raises(BadInput, match="no brightness that is a number"):
        read(Image.fromarray(np.full((8, 8), np.nan, np.float32)), "TIFF")
    assert (
        np.abs(
            read(Image.fromarray(wanted.astype(np.uint8)).convert("RGB"), "AVIF", quality=95).rgb[..., 1]
            - wanted
        ).max()
        < 8
    )
    frames = [Image.new("RGB", (20, 20), c) for c in ("red", "blue", "green")]
    moving = read(frames[0], "GIF", save_all=True, append_images=frames[1:])
    assert (
        moving.rgb[0, 0].tolist() == [255, 0, 0]
        and str(moving.notes[0]) == "ramp.gif has 3 pictures in it; the first is used"
    )
    with pytest.raises(BadInput, match=r"HEIC picture.*save it as JPEG"):
        read_picture(b"\0\0\0\x18ftypheic" + bytes(40), "phone.heic")
    own = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()
    grey = Image.fromarray(wanted.astype(np.uint8)).convert("RGB")
    assert np.abs(read(grey, "PNG", icc_profile=own).rgb[..., 1] - wanted).max() == 0
    # The transfer curve of sRGB (IEC 61966-2-1) is what light that was stored as it is has to go through.
    curve = np.where(ramp <= 0.0031308, 12.92 * ramp, 1.055 * ramp ** (1 / 2.4) - 0.055)
    assert (
        np.abs(read(grey, "PNG", icc_profile=linear_profile()).rgb[8:, 2:, 1] - 255 * curve[8:, 2:]).max() < 4
    )
    damaged = read(Image.new("RGB", (8, 8), "red"), "PNG", icc_profile=b"nonsense")
    assert tuple(map(str, damaged.notes)) == (
        "its colour profile is damaged, so its colours may be a little off",
    )


def test_pixel_art_and_what_was_read_are_told_on_the_command_line(tmp_path, capsys):
    art = np.full((16, 16, 3), 255, np.uint8)
    art[2:14, 4:12] = 0
    art[5, 6] = (200, 40, 40)
    frames = [Image.fromarray(np.kron(a, np.ones((5, 5, 1), np.uint8))) for a in (art, 255 - art)]
    frames[0].save(tmp_path / "art.gif", save_all=True, append_images=frames[1:])
    out = ["-o", str(tmp_path / "art.svg"), "--width", "16", "--report", str(tmp_path / "r.json")]
    assert main(["trace", str(tmp_path / "art.gif"), "--mode", "pixels", *out]) == 0
    report = json.loads((tmp_path / "r.json").read_text())
    assert (
        report["notes"] == ["art.gif has 2 pictures in it; the first is used"]
        and report["notes"][0] in capsys.readouterr().out
    )
    # Eight pixels of sixteen are the figure, so it is 16 mm wide and a pixel 2 mm.
    assert {c["colour"]: c["area_mm2"] for c in report["colours"]} == {
        "#000000": pytest.approx(95 * 4),
        "#c82828": pytest.approx(4),
    }
    assert report["size_mm"] == pytest.approx([16, 24]) and report["off_px"]["most"] == 0


def test_what_is_too_fine_to_print_is_told_on_the_command_line(tmp_path, capsys):
    Image.fromarray(
        drawn(f'<circle cx="64" cy="64" r="40" fill="{RED}" stroke="{BLACK}" stroke-width="1.5"/>')
    ).save(tmp_path / "a.png")
    assert main(["trace", str(tmp_path / "a.png"), "-o", str(tmp_path / "a.svg"), "--width", "12"]) == 0
    assert "note: #000000 has pieces no wider than 0.2" in capsys.readouterr().out


@pytest.mark.filterwarnings("error")
@pytest.mark.parametrize("mode", ["colours", "pixels", "levels", "threshold"])
def test_pictures_of_nothing_in_particular_end_well(mode):
    chance = np.random.default_rng(0)
    ramp = np.linspace(0, 255, 90).astype(np.uint8)[None, :, None].repeat(60, 0).repeat(3, 2)
    odd = [chance.integers(0, 256, size, np.uint8) for size in ((24, 30, 3), (2, 2, 3), (5, 9, 3))]
    for rgb in (*odd, ramp, np.full((50, 50, 3), 7, np.uint8)):
        for count in (0, 3, 30):
            assert 1 <= len(find_palette(rgb, count)) <= max(count, 16)
            try:
                assert traced(rgb, mode=mode, colours=count)
            except BadInput as error:
                assert str(error).startswith("The picture ")
        assert kind_of(rgb)


def test_what_kind_of_picture_one_is_and_what_suits_it():
    # Pictures bundled with scikit-image: a page photographed in uneven light, a silhouette, photographs, the
    # surface of the moon.
    def rgb(name: str) -> np.ndarray:
        a = getattr(skimage.data, name)()
        a = np.where(a, 255, 0).astype(np.uint8) if a.dtype == bool else a
        return np.ascontiguousarray(np.repeat(a[..., None], 3, 2) if a.ndim == 2 else a[..., :3])

    assert kind_of(rgb("page")) == ("drawing on paper", "uneven") and kind_of(rgb("horse"))[0] == "line art"
    assert {kind_of(rgb(n))[0] for n in ("astronaut", "coffee", "rocket")} == {"photograph"} and kind_of(
        rgb("moon")
    )[0] == "soft shading"
    # Colours on black are no chalk.
    assert kind_of(rgb("colorwheel"))[0] != "light on dark"
    # A drawing photographed in light that falls off, with grain.
    assert kind_of(photographed(gate_sign())) == ("flat art", "uneven")
    flat = drawn(FIELDS, scale=4)
    assert kind_of(flat)[0] == kind_of(jpeg(flat, 60))[0] == "flat art"
    art = np.full((16, 16, 3), 255, np.uint8)
    art[3:13, 4:12] = (200, 40, 40)
    art[5, 6] = art[8, 9] = 0
    assert kind_of(np.kron(art, np.ones((9, 9, 1), np.uint8)))[0] == "pixel art"
    # The page with its light evened keeps to its ink; the first way of a photograph has four colours.
    dark = offers("drawing on paper", "uneven", TraceSettings())[0].trace
    assert dark.mode == "threshold" and [type(s) for s in dark.steps] == [EvenLight]
    assert offers("drawing on paper", "uneven", dark)[0].trace.steps == dark.steps
    assert offers("photograph", "even", TraceSettings(despeckle_mm2=2.0))[0].trace == TraceSettings(
        colours=4, despeckle_mm2=2.0
    )


@pytest.mark.parametrize("kind", get_args(Kind))
def test_every_way_that_is_offered_gives_what_its_small_picture_shows(kind, monkeypatch):
    rgb = drawn(FIELDS, scale=2)
    buffer = io.BytesIO()
    Image.fromarray(rgb).save(buffer, "PNG")
    monkeypatch.setattr(ways_view, "kind_of", lambda _: (kind, "even"))
    source = Source("0" * 64, "fields.png", "picture")
    told: list[float] = []
    found = ways_view.ways_view(
        GraphicSpec("g", "Fields", source.digest, 40.0), source, buffer.getvalue(), Memo(), 0.42, told.append
    )
    assert found.kind == kind and told == sorted(told) and 0 < told[0] <= told[-1] < 1
    offered = {o.id: o.trace for o in offers(kind, "even", TraceSettings())}
    assert found.ways[0].id == next(iter(offered)) and {w.id for w in found.ways} <= set(offered)
    for way in found.ways:
        made = trace(Picture(rgb, None, rgb.shape[1::-1]), offered[way.id], 40.0)
        assert (way.colours, way.thin) == (len(made.regions), 0) and 0 <= way.explained <= 1
        assert way.pieces == sum(len(r.geometry.geoms) for r in made.regions)
        covered = sum(r.geometry.area for r in made.regions) / rgb[..., 0].size
        # At 112 px, from a picture that was reduced: the same share of it is left, in the same colours.
        assert way.preview.shape == (112, 112, 4) and (way.preview[..., 3] > 127).mean() == pytest.approx(
            covered, abs=0.02
        )
        solid = way.preview[way.preview[..., 3] == 255][:, :3]
        colours = np.array([[int(r.colour[k : k + 2], 16) for k in (1, 3, 5)] for r in made.regions])
        assert np.median(np.abs(solid[:, None].astype(int) - colours[None]).max(-1).min(1)) < 4


def test_ways_are_told_once_and_ranked_by_what_they_explain(tmp_path):
    """Against numpy's own variance of a picture of two greys; 20 of 100 rows are dark."""
    rgb = np.full((100, 100, 3), 200, np.uint8)
    rgb[40:60] = 50
    picture = Picture(rgb, None, (100, 100))
    plain = TraceSettings(background="none", despeckle_mm2=0.0)
    ways = {
        "colours": plain,
        "few": replace(plain, colours=4),
        "dark": replace(plain, mode="threshold", background="auto"),
        "silhouette": replace(plain, shape="silhouette"),
    }
    tried = [try_way(picture, Offer(id, t), prepare(picture, ()), 10.0, True, 0.42) for id, t in ways.items()]
    found = {t.offer.id: t for t in ranked([t for t in tried if t is not None])}
    # Four colours are the same two.
    assert list(found) == ["colours", "dark", "silhouette"]
    assert [(t.colours, t.pieces, t.thin) for t in found.values()] == [(2, 3, 0), (1, 1, 0), (1, 1, 0)]
    assert found["colours"].explained == found["dark"].explained == 1
    assert found["silhouette"].explained == 0
    # A line of 2.5 mm would be wider than the dark band.
    thick = try_way(picture, Offer("dark", ways["dark"]), prepare(picture, ()), 10.0, True, 2.5)
    assert thick is not None and thick.thin == 1


def test_a_kind_near_its_thresholds_is_told_with_less_confidence():
    clear = drawn(FIELDS, scale=2)
    assert agreeing_looks(clear, kind_of(clear)[0]) == (6, 6)
    rng = np.random.default_rng(4)
    # Between a photograph and a drawing: fields under strong grain.
    grainy = np.clip(clear + rng.normal(0, 38, clear.shape), 0, 255).astype(np.uint8)
    agree, looks = agreeing_looks(grainy, kind_of(grainy)[0])
    assert looks == 6 and 1 <= agree < 6


@pytest.mark.parametrize(("high", "soft"), [(8, 1.3), (10, 2.0), (12, 2.6)])
def test_a_narrow_bar_in_a_grainy_photograph_is_a_colour(high, soft):
    """Too wide for a line, too narrow for a flat area under soft edges and grain."""
    rng = np.random.default_rng(3)
    rgb = np.full((420, 620, 3), 196.0)
    cv2.circle(rgb, (310, 200), 120, (82, 61, 127), 22)
    cv2.circle(rgb, (310, 190), 45, (177, 80, 21), -1)
    cv2.rectangle(rgb, (230, 268), (390, 268 + high), (190, 155, 30), -1)
    seen = cv2.GaussianBlur(rgb, (0, 0), soft) + rng.normal(0, 1.2, rgb.shape)
    found = find_palette(seen.clip(0, 255).astype(np.uint8))
    assert len(found) == 4
    assert difference(found.astype(float), np.array([190.0, 155, 30])).min() < 6
