"""DXF drawings against closed formulas, the DXF reference and ezdxf: nothing that is drawn vanishes
unsaid."""

from __future__ import annotations

import io
import math

import ezdxf
import pytest
from ezdxf.enums import TextEntityAlignment

from cutkey.core.artwork.dxf_read import read_dxf
from cutkey.core.artwork.svg_read import MM_PER_PX
from cutkey.core.errors import BadInput


def test_dxf_outlines_come_at_their_size():
    """Written by ezdxf: a plate of loose lines and arcs in inches, with a hole and one open line."""
    document = ezdxf.new()
    document.header["$INSUNITS"] = 1
    space = document.modelspace()
    for a, b in (((0, 0), (4, 0)), ((4, 2), (0, 2)), ((0, 2), (0, 0))):
        space.add_line(a, b)
    space.add_arc((4, 1), 1, -90, 90)
    space.add_circle((2, 1), 0.5)
    space.add_line((1, 1), (1.2, 1.2))
    space.add_3dface([(0, 0), (1, 0), (1, 1)])
    buffer = io.StringIO()
    document.write(buffer)
    found = read_dxf(buffer.getvalue().encode(), "plate.dxf")
    mm2 = sum(r.geometry.area for r in found.regions) * MM_PER_PX**2
    assert mm2 == pytest.approx((8 + math.pi / 2 - math.pi / 4) * 25.4**2, rel=1e-3)
    assert found.width_mm == pytest.approx(5 * 25.4, rel=1e-4) and len(found.open_lines) == 1
    assert any("3DFACE" in str(n) for n in found.notes)
    with pytest.raises(BadInput, match="not a DXF"):
        read_dxf(b"nothing", "a.dxf")


def plate(space) -> None:
    space.add_lwpolyline([(0, 0), (40, 0), (40, 30), (0, 30)], close=True)


def array(space) -> None:
    block = space.doc.blocks.new("hole")
    block.add_circle((0, 0), 2)
    plate(space)
    space.add_blockref(
        "hole", (8, 8), {"row_count": 2, "column_count": 3, "row_spacing": 14, "column_spacing": 12}
    )


def twice(space) -> None:
    for _ in range(2):
        plate(space)
        space.add_circle((20, 15), 5)
    for a, b in (
        ((60, 0), (70, 0)),
        ((70, 0), (70, 10)),
        ((70, 10), (60, 10)),
        ((60, 10), (60, 0)),
        ((70, 0), (60, 0)),
    ):
        space.add_line(a, b)


def gaps(space) -> None:
    plate(space)
    for a, b in (
        ((10, 10), (20, 10)),
        ((20.004, 10), (20.004, 20)),
        ((20, 20.006), (10, 20.006)),
        ((10, 20), (10, 10.009)),
    ):
        space.add_line(a, b)


def overlapping(space) -> None:
    plate(space)
    space.add_lwpolyline([(30, 10), (60, 10), (60, 20), (30, 20)], close=True)
    # A hole that touches the edge from inside is a hole all the same.
    space.add_lwpolyline([(0, 5), (10, 5), (10, 15), (0, 15)], close=True)


def off(space) -> None:
    plate(space)
    for name, how in (("aside", "off"), ("cold", "freeze")):
        getattr(space.doc.layers.add(name), how)()
        space.add_circle((20, 15), 5, {"layer": name})
    space.add_point((3, 3))
    space.add_circle((20, 15), 4, {"invisible": 1})


@pytest.mark.parametrize(
    ("draw", "mm2", "said"),
    [
        (array, 40 * 30 - 6 * 4 * math.pi, ()),
        (twice, 40 * 30 - 25 * math.pi + 100, ("3 lines are drawn more than once",)),
        (gaps, 40 * 30 - 10 * 10, ("4 gaps of up to 0.009 mm in outlines were closed",)),
        (overlapping, 40 * 30 + 20 * 10 - 10 * 10, ("2 outlines overlap one another and were joined",)),
        (
            off,
            40 * 30,
            ("3 × entity that is hidden or on a layer that is off left out", "1 POINT entity left out"),
        ),
    ],
)
def test_no_outline_of_a_dxf_drawing_vanishes_unsaid(draw, mm2, said):
    document = ezdxf.new(units=4)
    draw(document.modelspace())
    buffer = io.StringIO()
    document.write(buffer)
    found = read_dxf(buffer.getvalue().encode(), "plate.dxf")
    assert sum(r.geometry.area for r in found.regions) * MM_PER_PX**2 == pytest.approx(mm2, rel=1e-3)
    assert len(found.notes) == len(said) and all(
        any(str(n).startswith(s) for n in found.notes) for s in said
    ), found.notes


def test_with_an_empty_model_space_a_dxf_drawing_is_read_from_its_sheet_and_nothing_else_is_said():
    document = ezdxf.new(units=4)
    plate(document.layout("Layout1"))
    buffer = io.StringIO()
    document.write(buffer)
    found = read_dxf(buffer.getvalue().encode(), "sheet.dxf")
    assert sum(r.geometry.area for r in found.regions) * MM_PER_PX**2 == pytest.approx(40 * 30, rel=1e-6)
    assert any(
        "its model space is empty; what is on its sheet “Layout1” was read" in str(n) for n in found.notes
    )
    empty = ezdxf.new()
    empty.modelspace().add_point((1, 1))
    buffer = io.StringIO()
    empty.write(buffer)
    with pytest.raises(BadInput, match=r"holds no lines that can be read \(.*1 POINT entity left out\)"):
        read_dxf(buffer.getvalue().encode(), "points.dxf")


def test_colours_of_a_dxf_drawing_are_its_own_its_layers_or_its_blocks():
    document = ezdxf.new(units=4)
    space = document.modelspace()
    document.layers.add("leaf", true_color=ezdxf.rgb2int((20, 120, 60)))
    document.layers.add("red", color=1)
    block = document.blocks.new("tile")
    for k, how in enumerate(({"color": 0}, {"color": 256}, {"true_color": ezdxf.rgb2int((1, 2, 3))})):
        block.add_lwpolyline(
            [(10 * k, 0), (10 * k + 8, 0), (10 * k + 8, 8), (10 * k, 8)], close=True, dxfattribs=how
        )
    space.add_blockref("tile", (0, 0), {"layer": "leaf", "true_color": ezdxf.rgb2int((200, 100, 0))})
    space.add_solid([(0, 20), (8, 20), (0, 28), (8, 28)], {"layer": "red"})
    hatch = space.add_hatch(color=5)
    hatch.paths.add_polyline_path([(20, 20), (28, 20), (28, 28), (20, 28)], is_closed=True)
    buffer = io.StringIO()
    document.write(buffer)
    found = {
        r.colour: r.geometry.area * MM_PER_PX**2
        for r in read_dxf(buffer.getvalue().encode(), "tiles.dxf").regions
    }
    assert found == dict.fromkeys(
        ("#c86400", "#14783c", "#010203", "#ff0000", "#0000ff"), pytest.approx(64, rel=1e-4)
    )


@pytest.mark.parametrize(
    ("add", "box", "reversed_"),
    [
        # Height is that of a capital letter; places by the DXF reference (TEXT and MTEXT), H has a flat foot
        # and top.
        (lambda s: s.add_text("H", height=10).set_placement((5, 3)), (None, 3, None, 13), False),
        (lambda s: s.add_text("H", height=10, rotation=90).set_placement((5, 3)), (-5, None, 5, None), False),
        (
            lambda s: s.add_text("H", height=10).set_placement((5, 3), align=TextEntityAlignment.TOP_CENTER),
            ("5", -7, "5", 3),
            False,
        ),
        (
            lambda s: s.add_text("H", height=10).set_placement(
                (5, 3), align=TextEntityAlignment.MIDDLE_RIGHT
            ),
            (None, -2, None, 8),
            False,
        ),
        (
            lambda s: s.add_text("H", height=10, dxfattribs={"text_generation_flag": 2}).set_placement(
                (5, 3)
            ),
            (None, 3, None, 13),
            True,
        ),
        (
            lambda s: s.add_mtext("H\\PH", {"char_height": 6, "insert": (1, 20), "attachment_point": 1}),
            (None, 4, None, 20),
            False,
        ),
        (
            lambda s: s.add_mtext("H", {"char_height": 6, "insert": (1, 2), "attachment_point": 5}),
            ("1", -1, "1", 5),
            False,
        ),
    ],
)
def test_text_of_a_dxf_drawing_is_set_where_it_stands_and_stays_text(add, box, reversed_):
    document = ezdxf.new(setup=True)
    document.header["$INSUNITS"] = 4
    add(document.modelspace())
    document.modelspace().add_lwpolyline(
        [(-40, -40), (60, -40), (60, 60), (-40, 60)], close=True, dxfattribs={"color": 1}
    )
    buffer = io.StringIO()
    document.write(buffer)
    found = read_dxf(buffer.getvalue().encode(), "sign.dxf")
    (letters,) = (r.geometry for r in found.regions if r.colour == "#000000")
    x0, y0, x1, y1 = (v * MM_PER_PX for v in letters.bounds)
    low = (box[0], box[1], box[2], box[3])
    for wanted, got in zip(low, (x0, -y1, x1, -y0), strict=True):
        if isinstance(wanted, str):
            assert (x0 + x1) / 2 == pytest.approx(float(wanted), abs=0.1)
        elif wanted is not None:
            assert got == pytest.approx(wanted, abs=0.02)
    assert [(t.text, t.reversed) for t in found.lettering] == [("H", reversed_)] * len(found.lettering) != []
    assert any("text is set in Barlow" in str(n) for n in found.notes)


def test_fitted_text_of_a_dxf_drawing_says_that_it_keeps_its_width():
    document = ezdxf.new()
    space = document.modelspace()
    space.add_lwpolyline([(0, 0), (60, 0), (60, 60), (0, 60)], close=True)
    space.add_text("H", height=10).set_placement((5, 3), (25, 3), align=TextEntityAlignment.FIT)
    buffer = io.StringIO()
    document.write(buffer)
    found = read_dxf(buffer.getvalue().encode(), "sign.dxf")
    assert len(found.lettering) == 1
    assert any("keeps the width of its letters" in str(n) for n in found.notes)
