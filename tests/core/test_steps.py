"""Preparation steps, against OpenCV, Pillow and what was drawn."""

from __future__ import annotations

import io
import json
import zipfile

import cv2
import numpy as np
import pytest
from PIL import Image
from tests.conftest import checker, png

from cutkey.core.imaging.sharpen import CRISP, sharpened, softness
from cutkey.core.imaging.work import area_like
from cutkey.core.model.edits import add_graphic, another_of_source, set_scale
from cutkey.core.model.file import job_bytes, open_job
from cutkey.core.model.job import Job
from cutkey.core.model.tracing import TraceSettings
from cutkey.core.picture.apply import prepare
from cutkey.core.picture.read import read_picture
from cutkey.core.picture.specks import despeckle
from cutkey.core.steps.crop import Crop
from cutkey.core.steps.denoise import Denoise
from cutkey.core.steps.invert import Invert
from cutkey.core.steps.paint import Paint
from cutkey.core.steps.square import Square
from cutkey.core.steps.take_away import TakeAway
from cutkey.core.steps.tone import Tone
from cutkey.core.steps.turn import Turn
from cutkey.core.trace.run import trace
from cutkey.demo import pictures
from cutkey.demo.jobs import demo_job


def opened(rgb: np.ndarray):
    return read_picture(png(rgb), "p")


def test_a_quarter_turn_is_pillows_and_places_are_carried_along():
    rgb = checker(80)[:60]
    ready = prepare(opened(rgb), [Turn(90.0)])
    wanted = np.asarray(Image.fromarray(rgb).transpose(Image.Transpose.ROTATE_270))
    assert ready.rgb.shape == wanted.shape and np.abs(ready.rgb.astype(int) - wanted).max() <= 1
    # A crop made before stays where it was when a turn is put in front of it.
    cropped = prepare(opened(rgb), [Turn(90.0), Crop((0.5, 0.0), (1.0, 1.0))]).rgb
    alone = np.asarray(Image.fromarray(rgb[:, 40:]).transpose(Image.Transpose.ROTATE_270))
    assert cropped.shape == alone.shape and np.abs(cropped.astype(int) - alone).max() <= 1
    assert (prepare(opened(rgb), [Turn(90.0, on=False)]).rgb == rgb).all()


def test_four_corners_are_squared_up():
    """A sign seen at a slant (OpenCV's perspective) comes back as it was drawn."""
    flat = np.full((200, 300, 3), 240, np.uint8)
    cv2.circle(flat, (150, 100), 60, (30, 30, 30), -1, cv2.LINE_AA)
    corners = np.array([[60, 40], [380, 70], [350, 300], [30, 260]], np.float32)
    target = np.array([[0, 0], [300, 0], [300, 200], [0, 200]], np.float32)
    seen = cv2.warpPerspective(
        flat, cv2.getPerspectiveTransform(target, corners), (420, 330), borderValue=(90, 120, 90)
    )
    fractions = tuple((float(x) / 420, float(y) / 330) for x, y in corners)
    ready = prepare(opened(seen), [Square(fractions, 1.5)])
    h, w = ready.rgb.shape[:2]
    assert w / h == pytest.approx(1.5, abs=0.02)
    back = cv2.resize(ready.rgb, (300, 200), interpolation=cv2.INTER_AREA)
    assert (np.abs(back.astype(int) - flat).max(-1) > 60)[4:-4, 4:-4].mean() < 0.004
    disc = trace(opened(seen), TraceSettings(steps=(Square(fractions, 1.5),)), 60).regions[0].geometry
    x0, y0, x1, y1 = disc.bounds
    assert (x1 - x0) / (y1 - y0) == pytest.approx(1, abs=0.02)


def test_a_colour_is_taken_away_touching_or_everywhere():
    rgb = np.full((60, 90, 3), (250, 250, 250), np.uint8)
    rgb[10:50, 10:80] = (200, 40, 40)
    rgb[20:40, 30:50] = (247, 250, 252)
    like = area_like(rgb, 2, 2, 5.0, touching=True)
    assert (
        like.sum() == 60 * 90 - 40 * 70
        and area_like(rgb, 2, 2, 5.0, touching=False).sum() == like.sum() + 400
    )
    for touching, colours in ((True, 2), (False, 1)):
        found = trace(
            opened(rgb), TraceSettings(background="none", steps=(TakeAway((0.02, 0.02), 5.0, touching),)), 90
        )
        assert len(found.regions) == colours
        red = next(r for r in found.regions if r.colour == "#c82828")
        assert red.geometry.area == pytest.approx(40 * 70 - 400, abs=1)


def test_erasing_painting_and_restoring():
    rgb = checker(100)
    box = ((0.5, 0.0), (1.0, 0.0), (1.0, 1.0), (0.5, 1.0))
    erased = trace(opened(rgb), TraceSettings(steps=(Paint("lasso", box, "erase"),)), 40)
    assert [r.colour for r in erased.regions] == ["#1e1e1e"]
    back = trace(
        opened(rgb), TraceSettings(steps=(Paint("lasso", box, "erase"), Paint("lasso", box, "restore"))), 40
    )
    assert {r.colour for r in back.regions} == {"#1e1e1e", "#e0a32a"}
    filled = trace(opened(rgb), TraceSettings(steps=(Paint("area", ((0.75, 0.5),), "#006699"),)), 40)
    assert {r.colour for r in filled.regions} == {"#1e1e1e", "#006699"}
    line = prepare(opened(rgb), [Paint("brush", ((0.1, 0.05), (0.9, 0.05)), "#006699", 0.04)]).rgb
    painted = (line == (0, 102, 153)).all(-1)
    assert (
        painted[:, 50].sum() == pytest.approx(4, abs=1) and painted[5, 12:88].all() and not painted[12:].any()
    )


def test_tones_denoising_and_inversion():
    rgb = checker(90)
    assert (prepare(opened(rgb), [Invert()]).rgb == 255 - rgb).all()
    brighter = prepare(opened(rgb), [Tone(0.2, 0.0)]).rgb.astype(int)
    assert np.abs(brighter - np.clip(rgb.astype(int) + 51, 0, 255)).max() <= 1
    steep = prepare(opened(rgb), [Tone(0.0, 0.5)]).rgb.astype(int)
    assert np.abs(steep - np.clip((rgb - 127.5) * 2 + 127.5, 0, 255)).max() <= 1
    noisy = np.clip(rgb * 0.8 + 25 + np.random.default_rng(1).normal(0, 8, rgb.shape), 0, 255).astype(
        np.uint8
    )
    assert prepare(opened(noisy), [Denoise(8.0)]).rgb[40:50, 2:8].std() < 0.4 * noisy[40:50, 2:8].std()


@pytest.mark.parametrize("sigma", [2.0, 3.0])
def test_blur_is_measured_and_undone(sigma):
    """OpenCV's Gaussian blur of a known sigma."""
    rgb = np.asarray(Image.fromarray(checker(800)).resize((200, 200), Image.Resampling.BOX))
    soft = cv2.GaussianBlur(rgb, (0, 0), sigma)
    assert softness(rgb) == pytest.approx(CRISP, abs=0.15)
    assert np.sqrt(softness(soft) ** 2 - CRISP**2) == pytest.approx(sigma, rel=0.2)
    clear = sharpened(soft, 0.0)
    assert np.abs(clear.astype(int) - rgb).mean() < 0.7 * np.abs(soft.astype(int) - rgb).mean()
    assert sharpened(rgb, 0.0) is rgb and sharpened(soft, 9.0) is soft


def test_thin_specks_go_and_say_where_they_were():
    labels = np.zeros((40, 60), np.int32)
    labels[5:35, 5:25] = 1
    labels[10:12, 30:58] = 1
    out, specks = despeckle(labels, 1.0, 4.0)
    assert out.sum() == 600 and len(specks) == 1
    assert specks[0, :2] == pytest.approx([44, 11]) and specks[0, 2] == pytest.approx(
        np.sqrt(56 / np.pi), rel=1e-5
    )


def test_levels_snapping_and_kept_colours():
    ramp = np.repeat(np.repeat(np.arange(4) * 80, 30)[None, :, None], 60, 0).astype(np.uint8).repeat(3, 2)
    found = trace(opened(ramp), TraceSettings(mode="levels", thresholds=(0.2, 0.7), background="none"), 60)
    assert [r.geometry.area for r in found.regions] == pytest.approx(
        [1800, 3600, 1800], rel=0.01
    ) and found.thresholds == (0.2, 0.7)
    kept = trace(opened(checker(90)), TraceSettings(palette=("#ffffff", "#1e1e1e")), 60)
    assert {r.colour for r in kept.regions} == {"#ffffff", "#1e1e1e"} or [r.colour for r in kept.regions] == [
        "#1e1e1e"
    ]


def test_graphics_of_one_picture_keep_one_scale():
    job, _ = demo_job("sign")
    spec = job.graphics[0]
    job, _ = another_of_source(job, spec, 500.0)
    job = set_scale(job, job.graphic(spec.id), 250.0)
    assert {g.width_mm for g in job.graphics} == {250.0} and all(g.whole for g in job.graphics)
    alone, other = add_graphic(job, job.source(spec.source), 77.0)
    assert set_scale(alone, other, 60.0).graphic(spec.id).width_mm == 250.0


def test_an_older_job_is_lifted(tmp_path):
    job, sources = demo_job("lid")
    data = job_bytes(job, sources)
    old = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(data)) as archive, zipfile.ZipFile(old, "w") as out:
        for name in archive.namelist():
            content = archive.read(name)
            if name == "job.json":
                document = json.loads(content)
                document["schema"] = 1
                settings = {
                    "crop": [0.1, 0.1, 0.9, 0.9],
                    "even_light": True,
                    "invert": True,
                    "background": "point",
                    "background_at": [0.2, 0.3],
                }
                document["job"]["graphics"][0]["trace"] = settings
                content = json.dumps(document).encode()
            out.writestr(name, content)
    path = tmp_path / "old.cutkey"
    path.write_bytes(old.getvalue())
    lifted: Job = open_job(path)[0]
    steps = lifted.graphics[0].trace.steps
    assert [type(s).__name__ for s in steps] == ["Crop", "EvenLight", "Invert", "TakeAway"] and steps[
        3
    ].at == (0.2, 0.3)


def test_photographs_of_the_demo_come_right_with_few_settings():
    """The gate sign photographed at a slant under uneven light: corners squared up and light evened, two
    settings."""
    clean = trace(opened(pictures.gate_sign()), TraceSettings(everywhere=True), 480)
    photo = read_picture(pictures.jpeg_bytes(pictures.photographed(pictures.gate_sign())), "photo")
    from cutkey.core.steps.light import EvenLight

    found = trace(photo, TraceSettings(steps=(EvenLight(),), everywhere=True), 480)
    assert len(found.regions) == len(clean.regions)
    share = [np.array(sorted(r.geometry.area for r in t.regions)) for t in (clean, found)]
    assert share[1] / share[1].sum() == pytest.approx(share[0] / share[0].sum(), abs=0.015)
