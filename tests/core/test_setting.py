"""Text in lines, round circles, with a least stroke, in a font that the job holds; against closed forms."""

from __future__ import annotations

import io
import math

import numpy as np
import pytest
import shapely
from fontTools.ttLib import TTFont
from msgspec.structs import replace
from tests.known import known

from cutkey.core.digest import digest_bytes
from cutkey.core.engine.evaluate import Evaluator
from cutkey.core.errors import BadInput
from cutkey.core.lettering.fonts import font_bytes, kept_in_jobs
from cutkey.core.lettering.setting import Setting, set_text, thickened
from cutkey.core.model.edits import add_source
from cutkey.core.model.file import job_bytes, read_job
from cutkey.core.model.job import Source
from cutkey.core.model.table_edits import AddText
from cutkey.core.model.validate import problem_of
from cutkey.demo.jobs import demo_job

BOLD = font_bytes("Barlow Bold")


def away(area) -> np.ndarray:
    return np.hypot(*shapely.get_coordinates(area).T)


@pytest.mark.parametrize("side", [1, -1], ids=["above", "below"])
def test_round_a_circle_the_capitals_stand_in_one_ring(side):
    """The middle of the capitals runs along the circle, above and below alike, and both read from left to
    right."""
    area = set_text(BOLD, "HIH", Setting(4.0, radius=side * 20.0, around=True))
    d = away(area)
    # A letter is straight: its corners lie out, the middle of its foot in.
    assert d.min() == pytest.approx(18, abs=0.15) and 22 <= d.max() < 22.3
    assert np.sign(area.centroid.y) == side and abs(area.centroid.x) < 0.05
    letters = sorted(shapely.get_parts(area), key=lambda g: g.centroid.x)
    assert len(letters) == 3 and letters[1].area < letters[0].area
    turned = set_text(BOLD, "HIH", Setting(4.0, radius=side * 20.0, around=True, angle=90.0))
    assert turned.centroid.x == pytest.approx(area.centroid.y, abs=1e-9)
    # A second line stands nearer the middle.
    two = set_text(BOLD, "HIH\nHIH", Setting(4.0, radius=side * 20.0, around=True, leading=1.5))
    assert away(two).min() == pytest.approx(12, abs=0.2) and away(two).max() == pytest.approx(
        d.max(), abs=1e-9
    )


def test_letters_are_spread_all_round():
    letters = shapely.get_parts(
        set_text(BOLD, "OOOOOO", Setting(3.0, radius=25.0, around=True, spread=360.0))
    )
    at = np.sort([math.degrees(math.atan2(g.centroid.y, g.centroid.x)) % 360 for g in letters])
    assert len(at) == 6 and np.diff(at) == pytest.approx(60, abs=1e-3)
    half = shapely.get_parts(set_text(BOLD, "OOOOOO", Setting(3.0, radius=25.0, around=True, spread=180.0)))
    span = np.ptp([math.degrees(math.atan2(g.centroid.y, g.centroid.x)) for g in half])
    assert 150 < span < 180
    # Within a line nothing is spread, and text that no circle has room for is not drawn.
    assert set_text(BOLD, "A\nB\nC", Setting(8.0, radius=5.0, around=True)).is_empty is False
    assert set_text(BOLD, " ", Setting(3.0)).is_empty


@pytest.mark.parametrize(("align", "edge"), [("start", 0), ("end", 2), ("middle", None)])
def test_lines_stand_under_one_another(align, edge):
    area = set_text(BOLD, "HHHH\nHH\nHHH", Setting(5.0, leading=2.0, align=align))
    rows = list(shapely.get_parts(area))
    assert len(rows) == 9
    lines = [[g.bounds for g in rows if abs(g.centroid.y - y) < 0.1] for y in (10, 0, -10)]
    assert [len(line) for line in lines] == [4, 2, 3]
    boxes = [(min(b[0] for b in line), max(b[2] for b in line)) for line in lines]
    if edge is None:
        assert [sum(b) / 2 for b in boxes] == pytest.approx([0, 0, 0], abs=0.05)
    else:
        assert np.ptp([b[edge // 2] for b in boxes]) == pytest.approx(0, abs=1e-6)
    x0, y0, x1, y1 = area.bounds
    assert (x0 + x1, y0 + y1) == pytest.approx((0, 0), abs=0.05) and y1 - y0 == pytest.approx(25, abs=0.01)


def test_thin_strokes_are_made_as_thick_as_asked_and_others_stay():
    plate = shapely.box(0, 0, 10, 4)
    assert thickened(plate, 1.0).equals(plate)
    hair = shapely.union_all([plate, shapely.box(10, 1.9, 30, 2.1)])
    done = thickened(hair, 0.6)
    cut = done.intersection(shapely.LineString([(20, -5), (20, 9)]))
    assert cut.length == pytest.approx(0.6, abs=0.04) and done.intersection(
        shapely.box(-1, -1, 9, 5)
    ).area == pytest.approx(36, abs=0.01)
    # A line of text in a light face, at half a nozzle: no place of it is left that a nozzle of 0.4 mm does
    # not print.
    light = set_text(font_bytes("Barlow"), "Honey", Setting(2.2))
    thick = set_text(font_bytes("Barlow"), "Honey", Setting(2.2, least_stroke=0.45))
    lost = [a.difference(a.buffer(-0.2).buffer(0.201)) for a in (light, thick)]
    assert lost[0].area > 10 * lost[1].area and thick.contains(light.buffer(-1e-6))


@pytest.mark.parametrize(
    ("bits", "kept"), [(0, True), (8, True), (2, False), (4, False), (0x200, False), (0x108, True)]
)
def test_fonts_go_along_where_their_licence_lets_them(bits, kept):
    font = TTFont(io.BytesIO(BOLD))
    font["OS/2"].fsType = bits
    out = io.BytesIO()
    font.save(out)
    assert kept_in_jobs(out.getvalue()) is kept and not kept_in_jobs(b"no font")


def test_a_job_draws_with_the_font_it_holds():
    """A font of another machine, told by its name only, cannot be drawn; in the job it can, also after
    saving."""
    job, sources = demo_job("cap")
    text = AddText("No. 5", (0.0, 0.0), 4.0, "#123456", "Somebody's Grotesque")
    spec = replace(job.graphics[0], edits=(text,))
    job = replace(job, graphics=(spec, *job.graphics[1:]))
    with pytest.raises(BadInput, match="Somebody's Grotesque is not on this machine"):
        known(sources).draw(job, spec)
    font = Source(digest_bytes(BOLD), "Somebody's Grotesque", "font")
    job, held = read_job(job_bytes(add_source(job, font), {**sources, font.digest: BOLD}), "a.cutkey")
    drawn = Evaluator(held).draw(job, job.graphics[0])
    area = next(r.geometry.area for r in drawn.graphic.regions if r.colour == "#123456")
    assert area == pytest.approx(set_text(BOLD, "No. 5", Setting(4.0)).area, rel=1e-6)
    wrong = replace(job, graphics=(replace(spec, source=font.digest), *job.graphics[1:]))
    assert "made from the font" in problem_of(wrong)
