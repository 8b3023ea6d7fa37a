"""Setting-out pieces: what fixes islands, by counting free motions; the pieces; and paper at true scale."""

from __future__ import annotations

import io
import math
import re
from itertools import pairwise

import numpy as np
import pytest
import shapely
from pypdf import PdfReader

from cutkey.core.checks.setting_out import check_setting_out, not_held
from cutkey.core.lettering.fonts import font_bytes
from cutkey.core.lettering.text import TextLook, text_area
from cutkey.core.model.printer import Printer
from cutkey.core.model.spacing import Gauge
from cutkey.core.printing.pose import pose_on_bed
from cutkey.core.spacers.gaps import candidates
from cutkey.core.spacers.rigid import fewest, free_islands
from cutkey.core.spacers.setting_out import HEAD, piece_solid, set_out
from cutkey.core.spacers.template import EDGE, MM, setting_out_pdf, template_pdf, tiles

GAUGE, PRINTER = Gauge(), Printer()


def hexagon(x: float, y: float, r: float = 40.0) -> shapely.Polygon:
    a = np.arange(6) * np.pi / 3
    return shapely.Polygon(np.c_[x + r * np.cos(a), y + r * np.sin(a)])


def comb(columns: int, rows: int, gap: float = 6.0) -> list[tuple[str, shapely.Polygon]]:
    w, h = 60 + gap * math.sqrt(3) / 2, 40 * math.sqrt(3) + gap
    return [
        (f"A{c * rows + r + 1}", hexagon(c * w, r * h + (c % 2) * h / 2))
        for c in range(columns)
        for r in range(rows)
    ]


def test_hexagons_take_as_few_spacers_as_counting_allows():
    """A spacer that touches k islands takes away at most 3 (k - 1) of their 3 (n - 1) motions: with k = 3
    at least (n - 1) / 2 spacers."""
    islands = comb(5, 3)
    setting = set_out(islands, GAUGE, PRINTER)
    assert len(setting.pieces) == math.ceil((len(islands) - 1) / 2) and setting.free == []
    assert {n for p in setting.pieces for n in p.spacer.islands} == set(range(15))
    for piece in setting.pieces:
        outline = piece.spacer.outline
        # Off every island by the clearance, nearer to none, and no larger than the bed.
        near = [outline.distance(o) for _, o in islands]
        assert (
            min(near) == pytest.approx(GAUGE.clearance, abs=1e-6)
            and sum(d < GAUGE.clearance + 1e-6 for d in near) == 3
        )
        assert pose_on_bed(outline, PRINTER) is not None and outline.contains(shapely.Point(piece.peg))
    # Spare one and something is loose.
    for piece in setting.pieces:
        assert free_islands(15, [p.spacer for p in setting.pieces if p is not piece])
    assert [f.severity for f in check_setting_out(setting, GAUGE)] == ["sound"]
    # Everyone is put up once, each after the first against a spacer that leads to it.
    assert sorted(n for n, _ in setting.order) == sorted(n for n, _ in islands) and all(
        s for _, s in setting.order[1:]
    )


def test_what_can_still_slide_or_turn_is_called_free():
    squares = [("a", shapely.box(0, 0, 50, 50)), ("b", shapely.box(58, 0, 108, 50))]
    # A straight gap: a plain spacer keeps the distance, and the squares slide along it; one that reaches
    # round corners holds them.
    plain = candidates([o for _, o in squares], GAUGE, 0.4)
    assert len(plain) == 1 and free_islands(2, plain) == [1] and plain[0].outline.bounds[3] <= 50
    hooked = set_out(squares, GAUGE, PRINTER)
    assert hooked.free == [] and any(
        p.spacer.outline.bounds[3] > 52 or p.spacer.outline.bounds[1] < -2 for p in hooked.pieces
    )
    interlocked = [
        ("a", shapely.box(0, 0, 50, 50)),
        ("b", shapely.box(58, 20, 108, 50) | shapely.box(20, 58, 108, 100)),
    ]
    assert set_out(interlocked, GAUGE, PRINTER).free == []
    discs = [(n, shapely.Point(x, y).buffer(30)) for n, x, y in (("a", 0, 0), ("b", 70, 0), ("c", 35, 60))]
    assert set_out(discs, GAUGE, PRINTER).free  # held in place, but each can turn
    far = [*comb(2, 2), ("far", hexagon(500, 0))]
    setting = set_out(far, GAUGE, PRINTER)
    assert setting.free == ["far"] and [f.severity for f in check_setting_out(setting, GAUGE)] == ["look at"]
    assert set_out(squares[:1], GAUGE, PRINTER).pieces == [] and free_islands(2, []) == [1]
    found = candidates([o for _, o in comb(2, 2)], GAUGE, 0.4)
    assert len(fewest(4, found)) <= 2


def test_lettering_and_dots_are_held_and_nothing_is_covered():
    words = text_area(font_bytes("Barlow Bold"), "HONEY 2026!", TextLook(90), 0.05)
    islands = [(f"A{n + 1}", p) for n, p in enumerate(shapely.get_parts(words))]
    setting = set_out(islands, GAUGE, PRINTER)
    assert setting.free == [] and len(setting.pieces) <= 2 * len(islands)
    # A dot in the middle of a gap stands in a hole of the spacer.
    dotted = [
        ("a", shapely.box(0, 0, 60, 80)),
        ("b", shapely.box(90, 0, 150, 80)),
        ("dot", shapely.Point(75, 40).buffer(3)),
    ]
    around = set_out(dotted, GAUGE, PRINTER)
    for pieces, all_of in ((setting.pieces, islands), (around.pieces, dotted)):
        for piece in pieces:
            assert all(piece.spacer.outline.distance(o) > GAUGE.clearance - 1e-6 for _, o in all_of)
            assert len(piece_solid(piece, GAUGE).decompose()) == 1


def test_a_piece_is_one_solid_with_a_peg_and_its_number():
    setting = set_out(comb(3, 2), GAUGE, PRINTER)
    for piece in setting.pieces:
        solid = piece_solid(piece, GAUGE)
        box = solid.bounding_box()
        assert len(solid.decompose()) == 1 and box[2] == 0 and box[5] == pytest.approx(GAUGE.height)
        below, above = (
            sum(shapely.Polygon(r).area for r in solid.slice(z).to_polygons()) for z in (1.0, 5.0)
        )
        assert below == pytest.approx(piece.spacer.outline.area, rel=1e-9) and above <= math.pi * 2.5**2
        # The head and, sunk into it, the number: less area at the top than just under the figure.
        top, under = (solid.slice(z).area() for z in (GAUGE.height - 0.3, GAUGE.height - 0.9))
        assert under == pytest.approx(math.pi * (HEAD / 2) ** 2, rel=0.01) and top < under - 1.0


def commands(pdf: bytes) -> list[str]:
    """Drawing commands of the pages of a PDF, read by pypdf."""
    return [p.get_contents().get_data().decode("latin-1") for p in PdfReader(io.BytesIO(pdf)).pages]


@pytest.mark.parametrize(("paper", "width", "height"), [("A4", 210.0, 297.0), ("Letter", 215.9, 279.4)])
def test_the_template_is_at_true_scale_and_its_pages_fit_together(paper, width, height):
    """Paper sizes of ISO 216 and ANSI Y14.1; coordinates are read back from the file's own drawing
    commands."""
    islands = comb(5, 3)
    setting = set_out(islands, GAUGE, PRINTER)
    pdf = template_pdf("Wall", setting, paper)
    windows, (w, h) = tiles(setting, paper)
    assert (w, h) == pytest.approx((width - 2 * EDGE, height - 2 * EDGE), abs=0.02)
    pages = commands(pdf)
    assert len(pages) == len(windows) > 1
    x0, y0, x1, y1 = shapely.union_all([o for _, o in islands]).bounds
    assert min(x for x, _ in windows) <= x0 and max(x for x, _ in windows) + w >= x1
    assert min(y for _, y in windows) <= y0 and max(y for _, y in windows) + h >= y1
    name, outline = islands[7]
    corner = outline.exterior.coords[0]
    crosses = []
    for (left, low), page in zip(windows, pages, strict=True):
        moves = np.array(re.findall(r"([-\d.]+) ([-\d.]+) m\b", page), float) / MM
        expected = (EDGE + corner[0] - left, EDGE + corner[1] - low)
        assert np.hypot(*(moves - expected).T).min() < 0.01
        lines = np.array(re.findall(r"([-\d.]+) ([-\d.]+) m ([-\d.]+) ([-\d.]+) l", page), float) / MM
        level = lines[
            (np.abs(lines[:, 1] - lines[:, 3]) < 1e-6) & (np.abs(lines[:, 2] - lines[:, 0] - 6) < 0.01)
        ]
        crosses.append(
            {(round(float(a + 3 - EDGE + left), 1), round(float(b - EDGE + low), 1)) for a, b, _, _ in level}
        )
        ruler = lines[np.abs(lines[:, 2] - lines[:, 0] - 50) < 0.01]
        assert len(ruler) == 1
    # Neighbouring pages show the same crosses, at the same places of the design.
    columns = len({round(x, 3) for x, _ in windows})
    for i in range(len(windows)):
        for j in ([i + 1] if (i + 1) % columns else []) + (
            [i + columns] if i + columns < len(windows) else []
        ):
            assert len(crosses[i] & crosses[j]) == 2
    words = " ".join(
        p.extract_text() for p in PdfReader(io.BytesIO(setting_out_pdf("Wall", setting))).pages
    ).split()
    assert {n for n, _ in islands} <= set(words) and {str(p.number) for p in setting.pieces} <= {
        w.rstrip(",") for w in words
    }
    assert "against" in words and name in words


def row_of(count, gap):
    """Blocks of 30 x 20 mm beside one another."""
    return [(f"I{k}", shapely.box(k * (30 + gap), 0, k * (30 + gap) + 30, 20)) for k in range(count)]


def bricks(gap):
    return [
        (f"{c}{r}", shapely.box(x, r * (20 + gap), x + 50, r * (20 + gap) + 20))
        for c in range(2)
        for r in range(2)
        for x in [c * (50 + gap) + (r % 2) * 25]
    ]


def springs(islands, spacers, clearance):
    """Stiffness of the three motions of every body, by lengths of contact: its eigenvalues, rising.

    Three of them are the motions of the whole and 0; a fourth that is 0 is an island that moves.
    """
    bodies = [*islands, *spacers]
    middles = [np.array(b.centroid.coords[0]) for b in bodies]
    stiff = np.zeros((3 * len(bodies), 3 * len(bodies)))
    for n, island in enumerate(islands):
        for k, spacer in enumerate(spacers, len(islands)):
            xy = np.array(shapely.segmentize(spacer.exterior, 0.2).coords)
            for a, b in pairwise(xy):
                long = np.hypot(*(b - a))
                off = max(island.boundary.distance(shapely.Point(p)) for p in (a, b))
                if long < 1e-9 or off > clearance + 0.03:
                    continue
                row = np.zeros(3 * len(bodies))
                normal = np.array([b[1] - a[1], a[0] - b[0]]) / long
                for body, sign in ((n, 1), (k, -1)):
                    arm = ((a + b) / 2 - middles[body]) / 20
                    turn = arm[0] * normal[1] - arm[1] * normal[0]
                    row[3 * body : 3 * body + 3] = sign * np.array([*normal, turn])
                stiff += long * np.outer(row, row)
    return np.linalg.eigvalsh(stiff)


@pytest.mark.parametrize("gap", [0.4, 0.6, 0.8, 1.0, 1.2, 2.0, 6.0])
@pytest.mark.parametrize("islands", [lambda g: row_of(3, g), lambda g: comb(3, 2, g), bricks])
def test_spacers_in_narrow_gaps_hold_or_it_is_said_that_they_do_not(islands, gap):
    """A gap of 0.8 mm leaves 0.5 for the spacer: a line of 0.4 goes in. In 0.6 mm none does."""
    islands = islands(gap)
    setting = set_out(islands, GAUGE, PRINTER)
    spacers = [p.spacer.outline for p in setting.pieces]
    held = springs([o for _, o in islands], spacers, GAUGE.clearance)[3] > 0.01 if spacers else False
    (found,) = check_setting_out(setting, GAUGE)
    assert (found.severity == "sound") == held == (setting.free == []) == (gap > 0.7)
    assert held or all(name in found.text for name in setting.free[:5])
    # The check finds it by itself, whatever was said when the spacers were made.
    assert bool(not_held(setting._replace(free=[]), GAUGE.clearance)) != held


def test_a_disc_may_turn_and_a_nick_holds_nothing():
    blocks = [("a", shapely.box(0, 0, 40, 40)), ("b", shapely.box(64, 0, 104, 40))]
    disc = [*blocks, ("d", shapely.Point(52, 20).buffer(10, 64))]
    setting = set_out(disc, GAUGE, PRINTER)
    assert setting.free == [] == not_held(setting, GAUGE.clearance)
    # Without the piece between them two blocks are loose.
    pair = set_out(row_of(2, 4.0), GAUGE, PRINTER)
    assert not_held(pair, GAUGE.clearance) == []
    assert not_held(pair._replace(pieces=[]), GAUGE.clearance) == ["I1"]
