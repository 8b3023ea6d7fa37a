"""Vector graphics against resvg, the SVG specification's units, HarfBuzz and shapely."""

from __future__ import annotations

import io

import numpy as np
import pytest
import resvg_py
import shapely
import uharfbuzz
from fontTools.ttLib import TTFont
from PIL import Image
from scipy.ndimage import binary_dilation
from tests.core.test_table import board

from cutkey.core.artwork.overlay import Paint, overlay
from cutkey.core.artwork.svg_read import read_svg
from cutkey.core.artwork.svg_write import svg_of
from cutkey.core.curves.fitting import curves_of
from cutkey.core.errors import BadInput
from cutkey.core.geometry.graphic import to_size
from cutkey.core.lettering.fonts import font_bytes
from cutkey.core.lettering.text import TextLook, text_area

SIDE = 400
HEAD = (
    '<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" viewBox="0 0 100'
    ' 100">'
)
DRAWINGS = {
    "transforms": (
        '<g transform="translate(20 10) rotate(15)"><rect width="40" height="30" rx="6" fill="#c00"'
        ' transform="skewX(20)"/><circle cx="40" cy="50" r="18" fill="#06c" transform="scale(1 .6)"/></g>'
    ),
    "use and symbol": (
        '<defs><symbol id="s" viewBox="0 0 10 10"><path d="M0 0h10v10z" fill="#080"/></symbol><g'
        ' id="g"><circle r="8"/></g></defs><use href="#s" x="10" y="10" width="40" height="40"/><use'
        ' xlink:href="#g" x="70" y="70" fill="#e0a32a"/>'
    ),
    "css": (
        "<style>.a{fill:#e0a32a;stroke:#222;stroke-width:3}#b{fill:#06c!important} g >"
        ' rect{fill:#0a0}</style><rect class="a" x="5" y="5" width="40" height="40"/><rect id="b" x="50"'
        ' y="5" width="40" height="40" style="fill:red"/><g><rect x="5" y="55" width="40" height="40"'
        ' fill="red"/></g>'
    ),
    "fill rules": (
        '<path d="M50 5L80 95L5 40H95L20 95Z" fill="#222"/><path transform="translate(60 60) scale(.35)"'
        ' fill-rule="evenodd" d="M50 5L80 95L5 40H95L20 95Z" fill="#c00"/>'
    ),
    "strokes": (
        '<path d="M10 20L50 20L30 60" fill="none" stroke="#06c" stroke-width="9"/><path d="M60 20h30v30"'
        ' fill="none" stroke="#c00" stroke-width="8" stroke-linecap="round" stroke-linejoin="round"/><path'
        ' d="M10 85h80" stroke="#222" stroke-width="6" stroke-dasharray="12 6 2 6" stroke-dashoffset="5"'
        ' stroke-linecap="square"/><path d="M60 60l14 18 4 -22" fill="none" stroke="#080" stroke-width="5"'
        ' stroke-miterlimit="2"/>'
    ),
    "clip": (
        '<clipPath id="c"><circle cx="50" cy="50" r="30"/></clipPath><g clip-path="url(#c)"><rect width="100"'
        ' height="50" fill="#c00"/><rect y="50" width="100" height="50" fill="#06c"/></g>'
    ),
    "arcs and curves": '<path d="M10 50A30 20 30 1 1 60 70Q80 90 90 60T95 20C80 0 40 0 30 20z" fill="#808"/>',
    "covering": (
        '<rect width="100" height="100" fill="#efe4c6"/><circle cx="40" cy="40" r="30" fill="#26241f"/>'
        '<rect x="45" y="45" width="45" '
        'height="45" fill="#9c4330"/><rect x="30" '
        'y="30" width="30" height="30" fill="#fff" opacity="0"/>'
    ),
    "masks": (
        '<mask id="m"><circle cx="50" cy="50" r="40" fill="#fff"/><rect x="40" y="40" width="20"'
        ' height="20"/></mask><g mask="url(#m)"><rect width="100" height="50" fill="#c00"/><rect y="50"'
        ' width="100" height="50" fill="#06c"/></g><mask id="b" maskContentUnits="objectBoundingBox"'
        ' style="mask-type:alpha"><rect width=".5" height="1"/></mask><g mask="url(#b)"><rect x="5" y="5"'
        ' width="20" height="10" fill="#080"/></g>'
    ),
    "clip of a group": (
        '<clipPath id="c" clipPathUnits="objectBoundingBox"><circle cx=".5" cy=".5" r=".5"/></clipPath><g'
        ' transform="translate(10 20) scale(2 1)" clip-path="url(#c)"><rect width="20" height="50"'
        ' fill="#c00"/><rect x="20" width="20" height="50" fill="#06c"/></g>'
    ),
    "mask with a region": (
        '<mask id="m" maskUnits="userSpaceOnUse" x="20" y="10" width="50" height="60"><rect width="100"'
        ' height="100" fill="#fff"/></mask><circle cx="50" cy="50" r="45" fill="#06c" mask="url(#m)"/>'
    ),
    "clip of a use": (
        '<clipPath id="c" clipPathUnits="objectBoundingBox"><circle cx=".5" cy=".5" r=".5"/></clipPath><g'
        ' id="g"><rect width="40" height="30" fill="#c00"/><rect x="10" y="10" width="40" height="30"'
        ' fill="#06c"/></g><use href="#g" x="45" y="50" clip-path="url(#c)"/>'
    ),
    "pages": (
        '<svg x="10" y="10" width="30" height="30" viewBox="0 0 10 10"><circle cx="10" cy="10" r="8"'
        ' fill="#06c"/></svg><svg x="60" y="60" width="20" height="20" overflow="visible"><circle r="15"'
        ' fill="#080"/></svg><symbol id="s" viewBox="0 0 10 10"><circle r="8" fill="#c00"/></symbol><use'
        ' href="#s" x="60" y="10" width="30" height="30"/><rect x="80" y="80" width="40" height="40"'
        ' fill="#e0a32a"/>'
    ),
    "turned about": (
        '<rect x="20" y="20" width="30" height="20" fill="#06c" transform="rotate(30)" transform-origin="50'
        ' 50"/><rect x="60" y="60" width="20" height="20" fill="#c00"'
        ' style="transform:rotate(45);transform-origin:right bottom"/>'
    ),
    "switch": (
        '<switch><g systemLanguage="de"><rect width="50" height="50" fill="#c00"/></g><g'
        ' systemLanguage="en-GB, fr"><circle cx="50" cy="50" r="30" fill="#080"/></g><rect width="90"'
        ' height="90"/></switch>'
    ),
    "markers": (
        '<marker id="a" viewBox="0 0 10 10" refX="9" refY="5" markerWidth="4" markerHeight="4"'
        ' orient="auto-start-reverse"><path d="M0 0L10 5L0 10z" fill="#c00"/></marker><marker id="d" refX="2"'
        ' refY="2" markerWidth="4" markerHeight="4"><circle cx="2" cy="2" r="2" fill="#080"/></marker><path'
        ' d="M15 80L50 20" stroke="#222" stroke-width="4" marker-start="url(#a)"'
        ' marker-end="url(#a)"/><polyline points="60 20 80 40 60 60 85 85" fill="none" stroke="#06c"'
        ' stroke-width="3" marker-mid="url(#d)" marker-end="url(#a)"/>'
    ),
    "markers along paths": (
        '<marker id="d" refX="2" refY="1" markerWidth="4" markerHeight="2" orient="auto"><rect width="4"'
        ' height="2" fill="#080"/></marker><path d="M10 80L30 30C40 10 60 10 60 40S60 60 90 60L70 90"'
        ' fill="none" stroke="#222" stroke-width="3" marker-mid="url(#d)"/>'
    ),
    "opacity of groups": (
        '<rect width="50" height="100" fill="#06c"/><g opacity=".5"><rect x="20" y="20" width="40"'
        ' height="40" fill="#c00"/><circle cx="60" cy="60" r="25" fill="#080"/></g>'
    ),
    "patterns": (
        '<pattern id="p" width="20" height="20" patternUnits="userSpaceOnUse"'
        ' patternTransform="rotate(30)"><rect width="20" height="20" fill="#efe4c6"/><circle cx="10" cy="10"'
        ' r="6" fill="#c00"/></pattern><path d="M5 5H70V60Z" fill="url(#p)" stroke="#222"/><pattern id="b"'
        ' width=".25" height=".5" viewBox="0 0 4 4"><path d="M0 0L4 2L0 4z" fill="#06c"/></pattern><pattern'
        ' id="i" href="#b" patternContentUnits="objectBoundingBox"/><rect x="30" y="65" width="60"'
        ' height="30" fill="url(#i)"/>'
    ),
    "nested": (
        '<svg x="10" y="20" width="50" height="50" viewBox="0 0 10 20" preserveAspectRatio="xMaxYMin meet">'
        '<rect width="10" height="20" fill="#06c"/></svg>'
    ),
}


def painted(text: str) -> np.ndarray:
    data = bytes(
        resvg_py.svg_to_bytes(
            svg_string=text,
            width=SIDE,
            height=SIDE,
            background="white",
            shape_rendering="crisp_edges",
            languages=["en"],
        )
    )
    return np.asarray(Image.open(io.BytesIO(data)).convert("RGB")).astype(int)


@pytest.mark.parametrize("name", DRAWINGS)
def test_drawings_look_as_another_renderer_paints_them(name):
    """Against resvg, pixel by pixel; the regions fit one another."""
    text = f"{HEAD}{DRAWINGS[name]}</svg>"
    found = read_svg(text.encode(), name).regions
    assert shapely.coverage_is_valid([r.geometry for r in found])
    paths = ""
    for r in found:
        rings = [shapely.get_coordinates(x)[:-1] for x in shapely.get_rings(shapely.get_parts(r.geometry))]
        d = "".join("M" + "L".join(f"{x:.5f} {y:.5f}" for x, y in ring.tolist()) + "Z" for ring in rings)
        paths += f'<path fill="{r.colour}" fill-rule="evenodd" d="{d}"/>'
    assert (np.abs(painted(f"{HEAD}{paths}</svg>") - painted(text)).max(-1) > 6).mean() < (
        0.006 if name == "patterns" else 0.002
    )


WORDS = {
    "spans": (
        '<text x="5" y="30" font-size="18" fill="#06c">Ab <tspan fill="#c00" font-weight="bold"'
        ' dy="6">cd</tspan> ef</text>'
    ),
    "anchors": (
        '<text x="50" y="30" font-size="14" text-anchor="middle">mid<tspan x="95" y="60"'
        ' text-anchor="end">end</tspan></text>'
    ),
    "places": '<text x="5 25 45 65" y="30 40 30 40" dx="0 2" font-size="16">abcdef</text>',
    "spaces": (
        '<text x="5" y="30" font-size="12">  a   b\n   c  </text><text x="5" y="60" font-size="12"'
        ' xml:space="preserve"> a  b</text>'
    ),
    "apart": '<text x="5" y="40" style="font-size:20px;letter-spacing:2px;word-spacing:.5em">Hi yo</text>',
    "base lines": (
        '<text x="5" y="40" font-size="16" dominant-baseline="middle">Mx'
        '<tspan baseline-shift="3" font-size="60%">2</tspan></text>'
    ),
    "along a path": (
        '<path id="k" d="M10 70A40 40 0 0 1 90 70" fill="none"/><text font-size="12"><textPath href="#k"'
        ' startOffset="20%">Larkmoor</textPath></text>'
    ),
    "inside out": (
        '<g font-family="Barlow" font-size="10" fill="#080"><text transform="translate(5 20) scale(2)">xy'
        '<tspan font-size="1.5em" stroke="#c00">z</tspan></text></g>'
    ),
}


@pytest.mark.parametrize("name", WORDS)
def test_words_stand_where_another_renderer_sets_them(name, tmp_path):
    """Against resvg with the same font."""
    files = []
    for font in ("Barlow", "Barlow Bold"):
        files.append(tmp_path / f"{font}.ttf")
        files[-1].write_bytes(font_bytes(font))
    text = f'{HEAD}<g font-family="Barlow">{WORDS[name]}</g></svg>'
    data = bytes(
        resvg_py.svg_to_bytes(
            svg_string=text,
            width=SIDE,
            height=SIDE,
            background="white",
            font_files=[str(f) for f in files],
            skip_system_fonts=True,
        )
    )
    theirs = np.asarray(Image.open(io.BytesIO(data)).convert("L")).astype(int) < 128
    found = read_svg(text.encode(), name)
    ours = painted_regions(found.regions) < 128
    # Nothing of one lies further than a quarter of a unit, a pixel here, from the other.
    beyond = (ours & ~binary_dilation(theirs, np.ones((3, 3)))) | (
        theirs & ~binary_dilation(ours, np.ones((3, 3)))
    )
    assert theirs.sum() > 500 and beyond.sum() < 0.01 * theirs.sum(), found.notes


def test_the_font_shorthand_is_its_longhands():
    """CSS Fonts Level 4, section 2.7."""
    short = '<text x="5" y="40" style="font:italic bold 20px/1.2 Barlow, serif">Hi</text>'
    long = (
        '<text x="5" y="40" font-style="italic" font-weight="bold" font-size="20" font-family="Barlow,'
        ' serif">Hi</text>'
    )
    one, other = (read_svg(f"{HEAD}{t}</svg>".encode(), "a.svg") for t in (short, long))
    assert one.regions[0].geometry.equals(other.regions[0].geometry) and one.notes == other.notes
    assert read_svg(f'{HEAD}<text y="40" style="font:caption">Hi</text></svg>'.encode(), "a.svg").regions


def painted_regions(regions) -> np.ndarray:
    paths = ""
    for r in regions:
        rings = [shapely.get_coordinates(x)[:-1] for x in shapely.get_rings(shapely.get_parts(r.geometry))]
        d = "".join("M" + "L".join(f"{x:.5f} {y:.5f}" for x, y in ring.tolist()) + "Z" for ring in rings)
        paths += f'<path fill="{r.colour}" fill-rule="evenodd" d="{d}"/>'
    return painted(f"{HEAD}{paths}</svg>") @ np.array([0.299, 0.587, 0.114])


@pytest.mark.parametrize(
    ("width", "mm"),
    [("96", 25.4), ("1in", 25.4), ("2.54cm", 25.4), ("25.4mm", 25.4), ("72pt", 25.4), ("6pc", 25.4)],
)
def test_lengths_are_those_of_css(width, mm):
    """CSS Values and Units Level 4, section 6.2: 1in = 2.54cm = 25.4mm = 72pt = 6pc = 96px."""
    text = (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{width}" height="{width}" viewBox="0 0 7 7"><rect'
        ' width="7" height="7"/></svg>'
    )
    assert read_svg(text.encode(), "a.svg").width_mm == pytest.approx(mm, rel=1e-6)


def test_what_is_left_out_is_named_and_gradients_take_their_mean():
    body = (
        '<linearGradient id="g"><stop offset="0" stop-color="#000"/><stop offset="1"'
        ' stop-color="#c86432"/></linearGradient><rect width="50" height="50" fill="url(#g)"/><image'
        ' href="x.png"/><text x="10" y="80" font-size="20">Bee</text><foreignObject/><path d="M60'
        ' 60h20v20q"/><line x1="0" y1="90" x2="90" y2="90" stroke="red"/>'
    )
    found = read_svg(f"{HEAD}{body}</svg>".encode(), "a.svg")
    notes = " ".join(map(str, found.notes))
    for word in ("mean colour", "embedded pictures", "outlines", "foreignObject", "error"):
        assert word in notes
    assert {r.colour for r in found.regions} >= {"#643219", "#ff0000", "#000000"}
    assert len(found.open_lines) == 1
    for data, words in (
        (b"", "empty"),
        (b"<svg", "not an SVG"),
        (b"<a/>", "not an SVG"),
        (HEAD.encode() + b"</svg>", "no filled shape and no stroke"),
    ):
        with pytest.raises(BadInput, match=words):
            read_svg(data, "a.svg")


BOX = '<clipPath id="c" clipPathUnits="objectBoundingBox"><rect width="1" height="1"/></clipPath>'
SELF = '<mask id="m"><rect width="50" height="50" fill="#fff" mask="url(#m)"/></mask>'
ROUND = '<marker id="k"><path d="M0 0L3 3" stroke="#000" marker-end="url(#k)"/></marker>'
TWO = (
    '<mask id="m"><rect width="50" height="99" fill="#fff" mask="url(#n)"/></mask>'
    '<mask id="n"><rect width="99" height="20" mask="url(#m)" fill="#fff"/></mask>'
)


@pytest.mark.parametrize(
    ("body", "area", "said"),
    [
        (BOX + 40 * '<g clip-path="url(#c)">' + '<rect width="50" height="40"/>' + 40 * "</g>", 2000, ""),
        (
            SELF + 20 * '<g mask="url(#m)">' + '<rect width="90" height="40"/>' + 20 * "</g>",
            2000,
            "a mask that holds itself",
        ),
        (TWO + '<rect width="90" height="90" mask="url(#m)"/>', 1000, "a mask that holds itself"),
        (
            ROUND + '<path d="M10 50H60" stroke="#000" stroke-width="4" marker-end="url(#k)"/>',
            None,
            "a marker that holds itself",
        ),
        (
            (
                '<mask id="m"><rect width="99" height="99" fill="#999"/></mask><rect width="40" height="40"'
                ' mask="url(#m)"/>'
            ),
            1600,
            "soft masks",
        ),
        (
            '<rect x="80" y="0" width="40" height="100"/>',
            2000,
            "beyond the edge of its page, 50 % of its area",
        ),
        (
            (
                '<pattern id="p" width=".001" height=".001"><rect width="1" height="1"/></pattern>'
                '<rect width="50" height="40" fill="url(#p) red"/>'
            ),
            2000,
            "more than two thousand tiles",
        ),
    ],
)
def test_drawings_that_nest_deep_or_hold_themselves_end_and_what_is_left_out_is_said(body, area, said):
    # Forty groups measured one inside the other, each twice, would take longer than anybody waits.
    found = read_svg(f"{HEAD}{body}</svg>".encode(), "a.svg")
    assert any(said in str(n) for n in found.notes) if said else found.notes == ()
    if area is not None:
        assert sum(r.geometry.area for r in found.regions) == pytest.approx(area, rel=1e-6)


def test_text_is_set_and_kerned_as_harfbuzz_does():
    """Against HarfBuzz's own advances: in "To" the second letter stands where kerning puts it."""
    font = font_bytes("Barlow Bold")
    buffer = uharfbuzz.Buffer()
    buffer.add_str("To")
    buffer.guess_segment_properties()
    uharfbuzz.shape(uharfbuzz.Font(uharfbuzz.Face(font)), buffer)
    kerned, loose = buffer.glyph_positions[0].x_advance, 585
    assert kerned < loose
    scale = 10 / TTFont(io.BytesIO(font))["OS/2"].sCapHeight
    both, alone = (
        text_area(font, "To", TextLook(10.0, align="start")),
        text_area(font, "o", TextLook(10.0, align="start")),
    )
    assert max(p.bounds[2] for p in both.geoms) == pytest.approx(kerned * scale + alone.bounds[2], abs=1e-6)
    cap = text_area(font, "H", TextLook(10.0)).bounds
    assert cap[3] - cap[1] == pytest.approx(10, abs=0.01)
    bow = text_area(font, "LARKMOOR", TextLook(6.0, radius=40.0))
    corners = shapely.get_coordinates(bow)
    assert np.hypot(corners[:, 0], corners[:, 1] + 40).min() == pytest.approx(40, abs=0.4)
    with pytest.raises(BadInput, match="not on this machine"):
        font_bytes("No Such Font")


def test_written_drawings_keep_shared_boundaries():
    graphic = to_size(board(), 110.0)
    back = read_svg(svg_of(curves_of(graphic.regions), "board").encode(), "board.svg")
    assert back.width_mm == pytest.approx(110, rel=1e-5)
    assert shapely.coverage_is_valid([r.geometry for r in back.regions])


def test_outlines_that_lie_hidden_change_nothing_that_is_seen():
    """Stacks of shapes that hide one another, some half transparent, against painting them one by one
    with shapely's differences."""
    rng = np.random.default_rng(4)
    for _ in range(6):
        colours = rng.choice(["#c03020", "#2040a0", "#e0a32a", "#26241f"], 40)
        discs = shapely.buffer(shapely.points(rng.uniform(0, 40, (40, 2))), rng.uniform(1, 12, 40))
        # Every other one is the stroke of the one before it.
        areas = [d if n % 2 == 0 else shapely.boundary(discs[n - 1]).buffer(0.6) for n, d in enumerate(discs)]
        seen: dict[str, shapely.Geometry] = {}
        for colour, area in zip(colours, areas, strict=True):
            seen = {c: shapely.difference(g, area) for c, g in seen.items()}
            seen[colour] = shapely.union(seen.get(colour, shapely.Polygon()), area)
        paints = [Paint(c, a) for c, a in zip(colours, areas, strict=True)]
        found = {r.colour: r.geometry for r in overlay(paints, 1e-5)}
        assert {c: g.area for c, g in found.items()} == pytest.approx(
            {c: g.area for c, g in seen.items() if g.area > 1e-3}, abs=0.01
        )
        assert all(shapely.symmetric_difference(g, seen[c]).area < 0.01 for c, g in found.items())
        # Under a pane of glass all that is hidden stays so, and every colour is mixed with it.
        glass = {
            r.colour: r.geometry.area
            for r in overlay([*paints, Paint("#ffffff", shapely.box(-20, -20, 60, 60), 0.5)], 1e-5)
        }
        assert sorted(a for c, a in glass.items() if c != "#ffffff") == pytest.approx(
            sorted(g.area for g in found.values()), abs=0.01
        )
