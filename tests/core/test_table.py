"""Edits on the light table: neither gap nor overlap, and what is narrow."""

from __future__ import annotations

import math
import re

import pytest
import shapely

from cutkey.core.cleanup.apply import apply_edits
from cutkey.core.cleanup.shapes import shape_area
from cutkey.core.cleanup.thin import necks, slits
from cutkey.core.geometry.region import Region
from cutkey.core.model import table_edits as e


def board() -> list[Region]:
    """Amber plate of 40 x 20 mm with a black disc and a hole, a red square beside it."""
    disc, hole = shapely.Point(-10, 0).buffer(5), shapely.Point(10, 0).buffer(3)
    plate = shapely.box(-20, -10, 20, 10) - disc - hole
    parts = {"#e0a32a": [plate], "#26241f": [disc], "#9c4330": [shapely.box(25, -5, 35, 5)]}
    return [Region(c, shapely.multipolygons(p)) for c, p in parts.items()]


def areas(regions: list[Region]) -> dict[str, float]:
    assert shapely.coverage_is_valid([r.geometry for r in regions])
    return {r.colour: round(r.geometry.area, 2) for r in regions}


def test_edits_leave_neither_gap_nor_overlap():
    disc, hole = round(shapely.Point(0, 0).buffer(5).area, 2), round(shapely.Point(0, 0).buffer(3).area, 2)
    plate = round(800 - disc - hole, 2)

    def after(*edits: e.Edit) -> dict[str, float]:
        return areas(apply_edits(board(), edits))

    at = ((-10.0, 0.0),)
    assert after(e.Delete(at)) == {"#e0a32a": plate, "#9c4330": 100}
    assert after(e.Absorb(at)) == {"#e0a32a": pytest.approx(plate + disc, abs=0.02), "#9c4330": 100}
    assert after(e.Keep(((30.0, 0.0),))) == {"#9c4330": 100}
    assert after(e.Recolour(((30.0, 0.0),), "#26241f")) == {
        "#e0a32a": plate,
        "#26241f": pytest.approx(disc + 100),
    }
    assert after(e.FillHoles(((0.0, 0.0),)))["#e0a32a"] == pytest.approx(800, abs=0.01)
    grown = after(e.Offset(at, 1.0))
    assert grown["#26241f"] == pytest.approx(shapely.Point(0, 0).buffer(5).buffer(1).area, abs=0.1)
    assert grown["#26241f"] + grown["#e0a32a"] == pytest.approx(plate + disc, abs=0.02)
    shrunk = after(e.Offset(at, -1.0))
    assert (
        shrunk["#26241f"] + shrunk["#e0a32a"] == pytest.approx(plate + disc, abs=0.02)
        and shrunk["#26241f"] < disc
    )
    assert after(e.Round(((30.0, 0.0),), 2.0))["#9c4330"] == pytest.approx(100 - (4 - math.pi) * 4, abs=0.02)
    assert after(e.Cut((30.0, -20.0), (30.0, 20.0), 1.0))["#9c4330"] == pytest.approx(90, abs=0.01)
    whole = after(e.Mirror((0.0, -20.0), (0.0, 20.0)))
    assert whole == {
        "#e0a32a": pytest.approx(800 - 2 * disc, abs=0.02),
        "#26241f": pytest.approx(2 * disc, abs=0.02),
    }
    assert len(apply_edits(board(), [e.Mirror((0.0, -20.0), (0.0, 20.0))])[0].geometry.geoms) == 1
    assert after(e.Move(((30.0, 0.0),), ((0.0, 30.0),), copy=True))["#9c4330"] == 200
    assert after(e.Delete(at, on=False)) == areas(board())


def test_nodes_move_for_both_neighbours():
    regions = board()
    place = tuple(shapely.get_coordinates(regions[1].geometry)[3].tolist())
    to = (place[0] - 1.0, place[1])
    moved = apply_edits(regions, [e.MoveNode(place, to, 2.0)])
    assert areas(moved)["#26241f"] != areas(regions)["#26241f"]
    assert all(any(math.dist(p, to) < 1e-9 for p in shapely.get_coordinates(r.geometry)) for r in moved[:2])
    straight = apply_edits(regions, [e.Straighten((25.0, -5.0), (35.0, 5.0))])
    assert areas(straight)["#9c4330"] == pytest.approx(50)
    added = apply_edits(regions, [e.AddNode((30.0, 5.0)), e.MoveNode((30.0, 5.0), (30.0, 7.0))])
    assert areas(added)["#9c4330"] == pytest.approx(110)
    assert areas(apply_edits(added, [e.DeleteNode((30.0, 7.0))]))["#9c4330"] == pytest.approx(100)


def test_shapes_and_text_are_added_before_and_behind():
    star = shape_area(e.AddShape("star", (0.0, 0.0), 20.0, 20.0, "#000000", sides=5, inner=0.4))
    assert star.area == pytest.approx(5 * 10 * 4 * math.sin(math.pi / 5), rel=1e-6)
    ring = shape_area(e.AddShape("ring", (3.0, 0.0), 20.0, 20.0, "#000000", inner=0.5))
    assert ring.area == pytest.approx(math.pi * 75, rel=1e-3)
    backed = areas(
        apply_edits(board(), [e.AddShape("rectangle", (7.5, 0.0), 65.0, 30.0, "#efe4c6", corner=4.0)])
    )
    assert sum(backed.values()) == pytest.approx(65 * 30 - (4 - math.pi) * 16, abs=0.05)
    text = apply_edits(board(), [e.AddText("OK", (0.0, 0.0), 5.0, "#ffffff")])
    assert areas(text)["#ffffff"] > 5 and areas(text)["#e0a32a"] < areas(board())["#e0a32a"]
    lines = [shapely.LineString([(0, 0), (10, 0), (10, 10)]), shapely.LineString([(10.05, 10), (0, 10)])]
    closed = apply_edits([], [e.CloseLines(0.2, "#26241f")], lines)
    assert areas(closed)["#26241f"] == pytest.approx(100, abs=0.5)
    assert e.alignment([(0, 0, 2, 2), (5, 5, 6, 9)], "left") == ((0.0, 0.0), (-5.0, 0.0))
    assert e.alignment([(0, 0, 2, 2), (9, 0, 11, 2), (3, 0, 5, 2)], "spread x") == (
        (0.0, 0.0),
        (0.0, 0.0),
        (1.5, 0.0),
    )


def test_necks_and_slits_under_the_nozzle_are_found():
    dumbbell = shapely.union_all(
        [shapely.box(0, 0, 5, 5), shapely.box(5, 2.35, 9, 2.65), shapely.box(9, 0, 14, 5)]
    )
    neck = necks([Region("#000000", shapely.multipolygons([dumbbell]))], 0.4)
    assert len(neck) == 1 and neck[0].area == pytest.approx(4 * 0.3, rel=0.1)
    apart = [Region("#000000", shapely.multipolygons([shapely.box(0, 0, 5, 5), shapely.box(5.2, 0, 9, 5)]))]
    assert necks(apart, 0.4) == []
    slit = slits(apart, 0.4)
    assert sum(s.area for s in slit) == pytest.approx(0.2 * 5, rel=0.1)


def test_as_printable_gives_what_is_narrow_to_what_is_beside_it_and_says_how_much():
    """Closed forms: a bar between two fields, a hair on the outside, a neck that carries a crumb, a wide
    piece that keeps its outline."""
    red, blue, black = "#c03020", "#2040a0", "#111111"
    left = shapely.union_all(
        [shapely.box(0, 0, 10, 10), shapely.box(-4, 4.9, 0, 5.1), shapely.box(-4.3, 4.8, -4, 5.2)]
    )
    regions = [
        Region(red, shapely.multipolygons([left])),
        Region(black, shapely.multipolygons([shapely.box(10, 0, 10.3, 10)])),
        Region(blue, shapely.multipolygons([shapely.box(10.3, 0, 20, 10)])),
    ]
    told: list[str] = []
    done = {r.colour: r.geometry for r in apply_edits(regions, [e.JoinNarrow(line=0.42)], told=told)}
    assert set(done) == {red, blue}
    assert sum(g.area for g in done.values()) == pytest.approx(10 * 20, abs=0.05)
    assert (
        shapely.intersection(*done.values()).area == pytest.approx(0, abs=1e-9)
        and shapely.union_all(list(done.values())).geom_type == "Polygon"
    )
    assert done[red].bounds[0] == pytest.approx(0, abs=0.05)
    # Three square millimetres of the bar, and the hair of 4 x 0.2 mm with its crumb of 0.3 x 0.4.
    assert re.search(
        r"of what is narrower than 0\.42 mm, 3 mm² joined other colours and 0\.9\d? mm² are gone",
        str(told[0]),
    ), told
    # What is wide enough is left alone, and a single piece can be named.
    told.clear()
    assert apply_edits(regions, [e.JoinNarrow(line=0.15)], told=told) and told == []
    named = {
        r.colour: r.geometry for r in apply_edits(regions, [e.JoinNarrow(at=((10.15, 5.0),), line=0.42)])
    }
    assert set(named) == {red, blue} and named[red].bounds[0] == pytest.approx(-4.3)
