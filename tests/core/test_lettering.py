"""Every letter of every shipped font, against fontTools' own area pen; what a font lacks; which way it
reads."""

from __future__ import annotations

import io

import pytest
import shapely
from fontTools.pens.areaPen import AreaPen
from fontTools.pens.boundsPen import BoundsPen
from fontTools.ttLib import TTFont
from msgspec.structs import replace

from cutkey.core.artwork.svg_read import read_svg
from cutkey.core.checks.lie import check_reading
from cutkey.core.digest import digest_bytes
from cutkey.core.engine.evaluate import Evaluator
from cutkey.core.lettering import fonts
from cutkey.core.lettering.fonts import SHIPPED, font_bytes
from cutkey.core.lettering.text import Lettering, TextLook, _stand_in, stand_ins, text_area
from cutkey.core.model.job import GraphicSpec, Job, Source
from cutkey.core.model.placement import Copies, Placement
from cutkey.core.model.table_edits import AddText

LATIN = [chr(c) for c in (*range(0x21, 0x7F), *range(0xA1, 0xAD), *range(0xAE, 0x180))]


@pytest.mark.parametrize("name", SHIPPED)
def test_every_latin_letter_has_the_area_that_fonttools_measures(name):
    """Latin-1 and Latin Extended-A (Unicode blocks 0080 and 0100), composite glyphs among them."""
    data = font_bytes(name)
    font = TTFont(io.BytesIO(data))
    glyphs, cmap = font.getGlyphSet(), font.getBestCmap()
    cap = font["OS/2"].sCapHeight
    lacking = []
    for c in LATIN:
        area = text_area(data, c, TextLook(cap), 0.5)
        if ord(c) not in cmap:
            lacking.append(c)
            assert area.area > 0 or stand_ins(data, name, c)
            continue
        pen, box = AreaPen(glyphs), BoundsPen(glyphs)
        glyphs[cmap[ord(c)]].draw(pen)
        glyphs[cmap[ord(c)]].draw(box)
        # Where strokes of a glyph overlap the pen counts them twice; the drawn area never does.
        assert 0.9 * abs(pen.value) - 60 < area.area < abs(pen.value) * 1.002 + 60, c
        x0, y0, x1, y1 = box.bounds
        assert shapely.box(*area.bounds).area == pytest.approx((x1 - x0) * (y1 - y0), rel=0.02), c
    assert len(lacking) < 12
    for words in ("No. 5", "10:30", "fish", "Café", "fi fl = ="):
        assert text_area(data, words, TextLook(10)).area > 50


def test_a_character_that_a_font_lacks_is_told_and_taken_from_another():
    data = font_bytes("Barlow")
    assert stand_ins(data, "Barlow", "Žluť, ½") == []
    notes = [str(n) for n in stand_ins(data, "Barlow", "A\U0001f41d")]
    assert (
        len(notes) == 1 and "\U0001f41d" in notes[0] and ("taken from" in notes[0] or "left out" in notes[0])
    )
    # With nothing to draw there is nothing to say.
    assert stand_ins(data, "Barlow", "a b\u200d\n") == []


def test_fonts_of_pictures_only_are_not_asked_for_outlines(tmp_path, monkeypatch):
    """A font as colour emoji come: a character without outline (OpenType 1.9: no glyf, CFF or CFF2)."""
    with TTFont(io.BytesIO(font_bytes("Barlow"))) as font:
        for table in font["cmap"].tables:
            table.cmap.clear()
            table.cmap[0x2603] = "A"
        names = {1: "Picture Bees", 4: "Picture Bees", 16: "Picture Bees"}
        for number, text in names.items():
            font["name"].setName(text, number, 3, 1, 0x409)
        with_outline = io.BytesIO()
        font.save(with_outline)
        for table in ("glyf", "loca", "gvar", "prep", "fpgm", "cvt ", "gasp", "GPOS", "GSUB", "GDEF"):
            if table in font:
                del font[table]
        bare = io.BytesIO()
        font.save(bare)
    folder = tmp_path / ".fonts"
    folder.mkdir()
    monkeypatch.setenv("HOME", str(tmp_path))
    monkeypatch.setattr(fonts, "_FOLDERS", ("~/.fonts",))
    for data, found in ((bare, False), (with_outline, True)):
        (folder / "bees.ttf").write_bytes(data.getvalue())
        for cached in (fonts.installed_faces, fonts.fonts_with, _stand_in):
            cached.cache_clear()
        assert any("Picture Bees" in f.name for f in fonts.installed_faces()) == found
        (note,) = stand_ins(font_bytes("Barlow"), "Barlow", "A\u2603")
        assert ("left out" in str(note)) != found
        area = text_area(font_bytes("Barlow"), "A\u2603", TextLook(20), 0.05)
        assert area.area > 0
    for cached in (fonts.installed_faces, fonts.fonts_with, _stand_in):
        cached.cache_clear()


SVG = (
    '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 100 40"><g transform="{}"><text x="5" y="30"'
    ' font-size="30">Abc</text></g></svg>'
)


def job_of(data: bytes, **spec) -> tuple[Job, Evaluator, GraphicSpec]:
    source = Source(digest_bytes(data), "a.svg", "drawing")
    graphic = GraphicSpec("g", "A", source.digest, 40.0, **spec)
    return Job(sources=(source,), graphics=(graphic,)), Evaluator({source.digest: data}), graphic


def test_text_of_a_drawing_stays_known_to_be_text():
    assert read_svg(SVG.format("").encode(), "a.svg").lettering == (Lettering("Abc", False),)
    assert read_svg(SVG.format("matrix(-1 0 0 1 100 0)").encode(), "a.svg").lettering == (
        Lettering("Abc", True),
    )
    job, evaluator, spec = job_of(SVG.format("").encode(), edits=(AddText("Ωx", (0.0, 0.0), 5.0, "#112233"),))
    drawn = evaluator.draw(job, spec)
    assert [w.text for w in drawn.lettering] == ["Abc", "Ωx"] and any("“Ω”" in str(n) for n in drawn.notes)


@pytest.mark.parametrize(
    ("mirror", "reads", "words", "traced", "title"),
    [
        (True, "", [Lettering("Abc")], False, "Reversed text"),
        (False, "", [Lettering("Abc")], False, "Reads the right way"),
        (False, "", [Lettering("Abc", True)], False, "Reversed text"),
        (True, "", [Lettering("Abc", True)], False, "Reads the right way"),
        (True, "", [], True, "Which way does it read?"),
        (False, "", [], True, None),
        (True, "none", [], True, None),
        (True, "right", [], True, "Reversed text"),
        (False, "mirrored", [], True, "Reversed text"),
        (True, "mirrored", [], True, "Reads the right way"),
        (False, "mirrored", [Lettering("Abc")], False, "Reversed text"),
    ],
)
def test_lettering_is_warned_of_when_it_is_laid_the_other_way(mirror, reads, words, traced, title):
    placement = Placement("p", "g", (0, 0, 1), (0, 0, 1), mirror=mirror)
    found = check_reading(placement, words, reads, traced, "Sign")
    assert [f.title for f in found] == ([title] if title else [])
    pair = replace(placement, copies=Copies("pair"))
    if title == "Reads the right way" and not mirror:
        assert [f.title for f in check_reading(pair, words, reads, traced, "Sign")] == ["Reversed text"]
