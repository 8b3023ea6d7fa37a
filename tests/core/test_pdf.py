"""Drawings out of PDF pages, against pdfium's own painting of the page and closed forms."""

from __future__ import annotations

import io
import math

import numpy as np
import pypdfium2
import pytest
import resvg_py
import shapely
from PIL import Image
from reportlab.lib.pdfencrypt import StandardEncryption
from reportlab.pdfgen.canvas import Canvas

from cutkey.cli.main import main
from cutkey.core.errors import BadInput
from cutkey.core.formats import read_drawing

W, H, ZOOM = 200, 150, 3


def made(draw, **how) -> bytes:
    """A page that something is drawn on."""
    buffer = io.BytesIO()
    sheet = Canvas(buffer, pagesize=(W, H), **how)
    draw(sheet)
    sheet.showPage()
    sheet.save()
    return buffer.getvalue()


def shapes(c: Canvas) -> None:
    c.setFillColorRGB(0.88, 0.64, 0.16)
    c.circle(60, 80, 40, stroke=0, fill=1)
    c.saveState()
    c.translate(120, 40)
    c.rotate(20)
    c.setFillColorCMYK(0.9, 0.7, 0, 0.1)
    c.rect(0, 0, 50, 30, stroke=0, fill=1)
    c.restoreState()
    c.saveState()
    clip = c.beginPath()
    clip.rect(100, 90, 40, 40)
    c.clipPath(clip, stroke=0)
    c.setFillColorRGB(0.7, 0.1, 0.2)
    c.circle(120, 110, 25, stroke=0, fill=1)
    c.restoreState()
    ring = c.beginPath()
    ring.circle(60, 80, 20)
    ring.circle(60, 80, 10)
    c.setFillColorRGB(0, 0.4, 0)
    c.drawPath(ring, stroke=0, fill=1, fillMode=0)
    c.setLineWidth(4)
    c.setLineCap(1)
    c.setDash(12, 8)
    c.line(10, 10, 190, 20)


def in_a_form(c: Canvas) -> None:
    c.beginForm("badge")
    shapes(c)
    c.endForm()
    c.translate(30, 20)
    c.scale(0.6, 0.6)
    c.doForm("badge")


@pytest.mark.parametrize("turn", [0, 90, 180, 270])
@pytest.mark.parametrize("draw", [shapes, in_a_form])
def test_a_page_is_painted_as_its_own_library_paints_it(draw, turn):
    data = made(draw, rotation=turn)
    found = read_drawing(data, "logo.pdf")
    assert found.notes == () and shapely.coverage_is_valid([r.geometry for r in found.regions])
    theirs = np.asarray(pypdfium2.PdfDocument(data)[0].render(scale=ZOOM).to_pil().convert("RGB")).astype(int)
    high, wide = theirs.shape[:2]
    paths = ""
    for r in found.regions:
        rings = [shapely.get_coordinates(x)[:-1] for x in shapely.get_rings(shapely.get_parts(r.geometry))]
        d = "".join("M" + "L".join(f"{x:.4f} {y:.4f}" for x, y in ring.tolist()) + "Z" for ring in rings)
        paths += f'<path fill="{r.colour}" fill-rule="evenodd" d="{d}"/>'
    # A point is 4/3 px of CSS.
    box = f"0 0 {wide / ZOOM * 4 / 3} {high / ZOOM * 4 / 3}"
    svg = f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="{box}">{paths}</svg>'
    data = bytes(resvg_py.svg_to_bytes(svg_string=svg, width=wide, height=high, background="white"))
    ours = np.asarray(Image.open(io.BytesIO(data)).convert("RGB")).astype(int)
    assert (np.abs(ours - theirs).max(-1) > 90).mean() < 0.002 and (
        np.abs(ours - theirs).max(-1) > 8
    ).mean() < 0.02


def test_size_and_areas_are_those_of_the_page():
    """A disc of 40 pt: 72 pt are 25.4 mm."""
    found = read_drawing(made(lambda c: c.circle(60, 80, 40, stroke=0, fill=1)), "disc.ai")
    assert found.width_mm == pytest.approx(80 * 25.4 / 72, rel=1e-4)
    assert found.regions[0].geometry.area == pytest.approx(math.pi * 1600 * 16 / 9, rel=1e-3)


def lettered(c: Canvas) -> None:
    c.setFont("Helvetica-Bold", 20)
    c.drawString(20, 100, "Honey")
    c.drawInlineImage(Image.new("RGB", (4, 4), "red"), 100, 20, 20, 20)


def test_text_is_set_and_what_is_left_out_is_counted():
    found = read_drawing(made(lettered), "a.pdf")
    notes = "; ".join(map(str, found.notes))
    assert (
        "1 embedded picture left out" in notes and "Helvetica" in notes and found.lettering[0].text == "Honey"
    )
    x0, y0, x1, y1 = np.array(found.regions[0].geometry.bounds) * 0.75
    assert (x0, y1) == pytest.approx((20, 56), abs=6) and 40 < x1 - x0 < 70 and 12 < y1 - y0 < 24


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"%!PS-Adobe-3.0 EPSF-3.0\n0 0 moveto", "is PostScript, which is not read; save it as PDF or SVG"),
        (b"%PDF-1.4 and then nothing", "not a PDF that can be read"),
        (
            made(lambda c: c.drawInlineImage(Image.new("RGB", (4, 4), "red"), 0, 0, 50, 50)),
            "no vector drawing (1 embedded picture",
        ),
        (made(lambda c: None), "no vector drawing; open its picture"),
        (made(shapes, encrypt=StandardEncryption("secret")), "locked with a password"),
    ],
    ids=["postscript", "damaged", "a picture", "nothing", "locked"],
)
def test_what_cannot_be_read_ends_in_a_sentence(data, words):
    with pytest.raises(BadInput) as error:
        read_drawing(data, "logo.pdf")
    assert words in str(error.value)


def test_the_command_traces_the_first_page(tmp_path, monkeypatch, capsys):
    monkeypatch.chdir(tmp_path)

    def two(c: Canvas) -> None:
        shapes(c)
        c.showPage()
        c.circle(9, 9, 5)

    (tmp_path / "logo.pdf").write_bytes(made(two))
    assert main(["trace", "logo.pdf", "-o", "logo.svg", "--width", "50"]) == 0
    said = capsys.readouterr().out
    assert "the first of its 2 pages was read" in said and "50 " in said
