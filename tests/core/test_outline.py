"""Outlines, strokes, the cascade and painting order, against closed formulas, shapely and the
specifications."""

from __future__ import annotations

import math
from xml.etree import ElementTree

import numpy as np
import pytest
import shapely
from fontTools.svgLib.path import parse_path

from cutkey.core.artwork.css import INITIAL, colour_of, length_of, read_sheet
from cutkey.core.artwork.outlines import chained, nested
from cutkey.core.artwork.overlay import Paint, overlay
from cutkey.core.artwork.svg_values import mapping_of, ratio_of, transform_of
from cutkey.core.lettering import matching
from cutkey.core.lettering.fonts import SHIPPED, Face
from cutkey.core.lettering.outline import Flattener, Line, Stroke, dashed, filled, stroked

BAR = [Line(np.array([[0.0, 0.0], [10.0, 0.0]]), False)]


def square(x: float, y: float, side: float, turn: int = 1) -> Line:
    return Line(np.array([[x, y], [x + side, y], [x + side, y + side], [x, y + side]], float)[::turn], True)


@pytest.mark.parametrize(
    ("rule", "turn", "area"),
    [("nonzero", 1, 100), ("nonzero", -1, 84), ("evenodd", 1, 84), ("evenodd", -1, 84)],
)
def test_fill_rules_are_those_of_svg(rule, turn, area):
    """SVG 2, section 13.4.2: an inner ring is a hole by even-odd always, by non-zero only when it turns
    the other way."""
    assert filled([square(0, 0, 10), square(3, 3, 4, turn)], rule).area == pytest.approx(area)


def test_rings_that_cross_themselves_and_tiny_ones():
    bow = Line(np.array([[0.0, 0], [10, 10], [10, 0], [0, 10]]), True)
    assert filled([bow]).area == pytest.approx(50, rel=1e-6)
    assert filled([square(0, 0, 10), square(5, 5, 10)]).area == pytest.approx(175, rel=1e-6)
    assert filled([square(0, 0, 1e-5)]).area == pytest.approx(1e-10, rel=1e-6)
    assert filled([Line(np.zeros((2, 2)), True)]).is_empty


@pytest.mark.parametrize(("cap", "more"), [("butt", 0.0), ("square", 4.0), ("round", math.pi)])
def test_caps_reach_as_far_as_they_should(cap, more):
    """A line of length 10 and width 2: 20, and two half squares or half discs of radius 1."""
    assert stroked(BAR, Stroke(2.0, cap), 1e-4).area == pytest.approx(20 + more, abs=1e-3)
    dot = [Line(np.array([[3.0, 4.0]]), False)]
    assert stroked(dot, Stroke(2.0, cap), 1e-4).area == pytest.approx(more, abs=1e-3)


def test_mitres_are_bevelled_beyond_their_limit():
    """SVG 2, section 13.5.6: a mitre is 1 / sin(angle / 2) stroke widths long; for 90 degrees 1.414, for
    30 degrees 3.86."""
    for angle, reach in ((90.0, 1 / math.sin(math.pi / 4)), (30.0, 1 / math.sin(math.pi / 12))):
        a = math.radians(angle)
        corner = [Line(np.array([[10.0, 0.0], [0.0, 0.0], [10 * math.cos(a), 10 * math.sin(a)]]), False)]
        sharp = stroked(corner, Stroke(2.0, miter_limit=reach + 0.01), 1e-3)
        blunt = stroked(corner, Stroke(2.0, miter_limit=reach - 0.01), 1e-3)
        bevel = stroked(corner, Stroke(2.0, join="bevel"), 1e-3)
        tip = -reach * np.array([math.cos(a / 2), math.sin(a / 2)])
        assert sharp.distance(shapely.Point(tip)) < 1e-6 and blunt.distance(shapely.Point(tip)) > 0.3
        assert blunt.area == pytest.approx(bevel.area, rel=1e-9)
    ring = stroked([square(0, 0, 10)], Stroke(2.0), 1e-3)
    assert ring.area == pytest.approx(12 * 12 - 8 * 8) and len(ring.interiors) == 1


def test_dashes_start_at_their_offset_and_repeat():
    parts = dashed(BAR, Stroke(1.0, dashes=(3.0, 1.0), dash_offset=1.0))
    assert [tuple(np.round(p.points[[0, -1], 0], 9)) for p in parts] == [(0, 2), (3, 6), (7, 10)]
    odd = dashed(BAR, Stroke(1.0, dashes=(2.0,)))
    assert [tuple(p.points[[0, -1], 0]) for p in odd] == [(0, 2), (4, 6), (8, 10)]
    assert dashed(BAR, Stroke(1.0, dashes=(0.0, 0.0))) == BAR
    round_corner = dashed([square(0, 0, 10)], Stroke(1.0, dashes=(15.0, 25.0)))
    assert len(round_corner) == 1 and shapely.LineString(round_corner[0].points).length == pytest.approx(15)


def test_curves_are_flattened_within_the_tolerance():
    """Against points of the same Bézier curve computed by its definition."""
    pen = Flattener(0.01)
    parse_path("M0 0C0 60 100 60 100 0L50 -20Z", pen)
    (line,) = pen.finished()
    t = np.linspace(0, 1, 400)[:, None]
    curve = 3 * (1 - t) ** 2 * t * [0, 60] + 3 * (1 - t) * t**2 * [100, 60] + t**3 * [100, 0]
    ring = shapely.LinearRing(line.points)
    assert line.closed and shapely.distance(shapely.points(curve), ring).max() <= 0.01
    assert len(line.points) < 120


def test_the_cascade_is_that_of_css():
    """CSS Cascading 4: presentation attributes, then rules by specificity and order, then style
    attributes, then !important."""
    root = ElementTree.fromstring(
        '<svg xmlns="http://www.w3.org/2000/svg"><style>rect{fill:red}.a{fill:lime}#i{fill:blue} g'
        ' rect.a{stroke:red!important}</style><g fill="teal" opacity=".5"><rect fill="gold"/><rect'
        ' class="a"/><rect id="i" class="a" style="stroke:lime"/><path/><path'
        ' style="fill:inherit;opacity:inherit"/><path fill="currentColor" color="navy"/></g></svg>'
    )
    sheet = read_sheet(root)
    group = root[1]
    outer = sheet.style(group, dict(INITIAL))
    styles = [sheet.style(e, outer) for e in group]
    assert [s["fill"] for s in styles] == ["red", "lime", "blue", "teal", "teal", "currentColor"]
    assert styles[2]["stroke"] == "red" and styles[3]["opacity"] == "1" and styles[4]["opacity"] == ".5"
    assert colour_of(styles[5]["fill"], styles[5]["color"]) == ("#000080", 1.0)


@pytest.mark.parametrize(
    ("text", "colour", "opacity"),
    [
        ("rebeccapurple", "#663399", 1),
        ("#0f08", "#00ff00", 0x88 / 255),
        ("rgb(20% 40% 60% / 50%)", "#336699", 0.5),
        ("hsl(0 100% 50%)", "#ff0000", 1),
    ],
)
def test_colours_are_those_of_css(text, colour, opacity):
    """CSS Color 4."""
    found = colour_of(text)
    assert found is not None and found[0] == colour and found[1] == pytest.approx(opacity, abs=1e-6)
    assert colour_of("none") is None and colour_of("no-such-colour") is None


def test_lengths_ratios_and_transforms():
    assert length_of("50%", 80) == 40 and length_of("2em", font=10) == 20 and length_of("x", default=7) == 7
    assert length_of("1in") == 96 and length_of("40q") == pytest.approx(length_of("1cm"))
    assert (ratio_of("50%"), ratio_of("1.4"), ratio_of("?")) == (0.5, 1.0, 1.0)
    at = mapping_of(transform_of("translate(10,20) rotate(90) scale(2 3) skewX(45)"))
    # Read from the right: (1, 1) is skewed to (2, 1), scaled to (4, 3), turned to (-3, 4), moved to (7, 24).
    assert at(np.array([[1.0, 1.0]]))[0] == pytest.approx([7, 24])
    about = mapping_of(transform_of("rotate(180 5 5)"))
    assert about(np.array([[1.0, 2.0]]))[0] == pytest.approx([9, 8])


def test_paint_covers_and_mixes():
    box = shapely.box(0, 0, 10, 10)
    found = overlay(
        [Paint("#ff0000", box), Paint("#0000ff", shapely.box(5, 0, 15, 10), 0.5), Paint("#00ff00", box, 0.0)],
        1e-6,
    )
    assert {r.colour: r.geometry.area for r in found} == {"#ff0000": 50, "#800080": 50, "#8080ff": 50}
    assert shapely.coverage_is_valid([r.geometry for r in found])
    assert overlay([], 1e-6) == []


def test_lines_are_joined_end_to_end_within_reach():
    pieces = [
        np.array(p, float)
        for p in (
            [[0, 0], [5, 0]],
            [[5.01, 0], [5, 5]],
            [[0, 5], [5, 5.01]],
            [[0, 5], [0, 0]],
            [[20, 0], [30, 0]],
        )
    ]
    closed, rest, *_ = chained([Line(p.copy(), False) for p in pieces], 0.05, 0.05)
    assert len(closed) == 1 and len(rest) == 1
    assert shapely.Polygon(closed[0].points).area == pytest.approx(25, rel=0.01)
    closed, rest, *_ = chained([Line(p.copy(), False) for p in pieces], 1e-6, 1e-6)
    # Only the two that meet exactly are one line.
    assert closed == [] and len(rest) == 4 - 1


def test_outlines_nest_as_the_even_odd_rule_has_it_and_overlapping_ones_join():
    # Against the rule itself at random places: how many rings are round a place. Rings drawn twice, or about
    # as much, count once.
    chance = np.random.default_rng(5)
    for _ in range(40):
        rings: list[np.ndarray] = []

        def inside(x: float, y: float, r: float, depth: int, rings: list[np.ndarray] = rings) -> None:
            a = np.linspace(0, 2 * math.pi, chance.integers(5, 24), endpoint=False) + chance.uniform(0, 6)
            rings.append(np.c_[x + r * np.cos(a), y + r * np.sin(a)])
            for side in (-1, 1):
                if depth < 3 and chance.random() < 0.8:
                    inside(x + side * 0.36 * r, y, 0.3 * r, depth + 1)

        inside(0.0, 0.0, 100.0, 0)
        twice = [Line(r[::-1] + 0.001, True) for r in rings if chance.random() < 0.3]
        found = nested([*(Line(r, True) for r in rings), *twice], 0.01)
        places = chance.uniform(-100, 100, (400, 2))
        around = np.sum([shapely.contains_xy(shapely.Polygon(r), *places.T) for r in rings], 0)
        near = np.min([shapely.distance(shapely.LinearRing(r), shapely.points(places)) for r in rings], 0)
        assert (shapely.contains_xy(found.area, *places.T) == (around % 2 == 1))[near > 0.1].all()
        assert found.twice == len(twice) and found.overlapping == 0
    bars = [
        np.array([(x, y), (x + w, y), (x + w, y + h), (x, y + h)], float)
        for x, y, w, h in ((0, 0, 30, 4), (10, -10, 4, 30), (22, 1, 2, 2))
    ]
    cross = nested([Line(b, True) for b in bars], 0.01)
    assert cross.area.area == pytest.approx(120 + 120 - 16 - 4) and cross.overlapping == 2


@pytest.mark.parametrize(
    ("asked", "taken", "said"),
    [
        (("Barlow, sans-serif", "700"), "Barlow Bold", ""),
        (("Barlow", "550"), "Barlow Bold", ""),
        (("barlow", "450"), "Barlow Medium", ""),
        (
            ("'No Such Family'", "400"),
            "Barlow",
            "No Such Family is not on this machine; text is set in Barlow",
        ),
        (
            ("No Such, Grove", "300"),
            "Grove Light",
            "No Such is not on this machine; text is set in Grove Light",
        ),
        # Words of a style, spaced, run together or hyphened, as names of fonts have them.
        (("Grove Book",), "Grove", ""),
        (("Grove Light Italic",), "Grove Light Italic", ""),
        (("Grove-SemiBold",), "Grove Bold", ""),
        (("GroveExtraBold", "100"), "Grove Bold", ""),
        (("Grove", "400", "oblique"), "Grove Light Italic", ""),
        (("Barlow", "bold", "italic"), "Barlow Bold", "has no italic on this machine"),
        (("monospace",), "DejaVu Sans Mono", ""),
        (("fantasy",), "Barlow", "fantasy is not on this machine"),
        (("", "bold"), "Barlow Bold", ""),
    ],
)
def test_fonts_are_matched_by_family_words_of_style_weight_and_slant(asked, taken, said, monkeypatch):
    # By the rules of CSS Fonts Level 4, section 5.2, among fonts that this test states.
    faces = (
        Face("Grove", "Grove", 400, False),
        Face("Grove Light", "Grove", 300, False),
        Face("Grove Bold", "Grove", 700, False),
    )
    faces += (
        Face("Grove Light Italic", "Grove", 300, True),
        Face("DejaVu Sans Mono", "DejaVu Sans Mono", 400, False),
    )
    monkeypatch.setattr(matching, "installed_faces", lambda: faces)
    found = matching.matching_font(*asked)
    assert found.name == taken and (said in str(found.note) if said else not found.note)
    assert set(SHIPPED) >= {"Barlow", "Barlow Bold"}
