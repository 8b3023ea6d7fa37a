"""Forms of keys by closed formulas: what they take out, what they add, and how they are drawn and named."""

from __future__ import annotations

import math

import pytest
import shapely

from cutkey.core.keys import all_keys, seam_forms, set_keys
from cutkey.core.keys._upright import DOVETAIL_SLOPE
from cutkey.core.keys.kind import MOUTH, ROOT, Form, form_of, printed_overhang, seam_form
from cutkey.core.keys.magnet import BACK
from cutkey.core.keys.screw import NUTS, WEB
from cutkey.core.model.cuts import FITS, Keys, Seam, fit_clearance
from cutkey.core.screws import CLEARANCE
from cutkey.core.split.setting.forms import cross_section, footprint, solids_of

KEYS = Keys(clearance=0.2, end_gap=0.5, wall=1.0)


def disc(radius: float, sides: int = 64) -> float:
    """Area of a regular polygon in a circle, as rods are made."""
    return sides / 2 * math.sin(2 * math.pi / sides) * radius**2


def form(kind: str, size: float, thickness: float = 20.0) -> Form:
    return form_of(kind, KEYS, size, 0.0, thickness)


def test_dowels_and_magnets():
    made = solids_of(form("dowel", 6.0), 5.0, -3.0)
    depth = 15.0
    assert made.near_socket.volume() == pytest.approx(disc(3.2) * (depth + 0.5 + MOUTH))
    assert made.loose[0].volume() == pytest.approx(disc(3.0) * 2 * depth) and made.tongue is None
    box = made.loose[0].bounding_box()
    assert [(box[i] + box[i + 3]) / 2 for i in range(3)] == pytest.approx([5, -3, 0])
    pair = solids_of(form("magnet", 8.0), 0, 0)
    low, high = pair.loose
    assert low.volume() == high.volume() == pytest.approx(disc(4) * 2)
    assert low.min_gap(high, 1.0) == pytest.approx(2 * BACK)


def test_a_dovetail_widens_by_its_slope_and_slides_in_from_below():
    f = form("dovetail", 12.0)._replace(drop=2.0)
    made = solids_of(f, 0, 0)
    waist = 12 - 2 * f.depth * math.tan(math.radians(DOVETAIL_SLOPE))
    prong = made.tongue.trim_by_plane((0, 0, 1), 0.0)
    assert prong.volume() == pytest.approx((waist + 12) / 2 * f.depth * (f.height + f.drop))
    assert made.tongue.volume() - prong.volume() == pytest.approx(waist * ROOT * (f.height + f.drop))
    assert made.far_socket.bounding_box()[4] - prong.bounding_box()[4] == pytest.approx(f.end_gap)
    assert f.of.ways == ((0, 1, 0),) and f.of.travel(f, 20.0) == f.height + f.end_gap
    # Slid up by its length it is out; pushed straight on it would have to be thinner than its waist.
    assert (made.far_socket ^ prong.translate((0, -f.height - f.drop - 30, 0))).volume() == 0
    assert (prong.translate((0, 0, 1.0)) - made.far_socket).volume() > 1.0


def test_a_bow_tie_lies_in_its_pocket_with_its_clearance_all_round():
    f = form("bowtie", 10.0, 10.0)
    made = solids_of(f, 0, 0)
    key = made.loose[0] + made.loose[1]
    assert len(key.decompose()) == 1
    box = key.bounding_box()
    assert box[3] - box[0] == pytest.approx(
        10 - 2 * 0.2 * math.tan(math.radians(45 + math.degrees(math.atan(2.5 / 8)) / 2)), abs=0.15
    )
    assert box[4] == pytest.approx(f.height - 0.5) and f.height == pytest.approx(6.0)
    # A millimetre from the seam it is an eighth of the way from its waist to its ends.
    for socket, z in ((made.near_socket, -1.0), (made.far_socket, 1.0)):
        assert socket.slice(z).area() == pytest.approx((5 + 5 / f.depth) * (f.height + f.drop))
    assert f.of.ways is None and f.loose and f.of.from_back


def test_a_nut_cannot_turn_and_a_screw_goes_through_both_webs():
    f = form("screw", 4.0)
    made = solids_of(f, 0, 0)
    pocket = made.far_socket.slice(WEB + 1.0)
    x0, _, x1, _ = pocket.bounds()
    assert x1 - x0 == pytest.approx(NUTS[4.0] + 0.4) and x1 - x0 < NUTS[4.0] / math.cos(math.radians(30))
    hole = made.near_socket.slice(-1.0)
    assert hole.area() == pytest.approx(disc(CLEARANCE["M4"] / 2))
    assert "M4 × " in f.described() and form("screw", 3.3).size == 3.0


@pytest.mark.parametrize("shape", seam_forms())
@pytest.mark.parametrize("owner", [-1, 1])
def test_forms_of_a_seam_reach_to_the_other_side(shape, owner):
    f = seam_form(Seam(shape, pitch=20, reach=5, clearance=0.15), 8.0, 1.2)._replace(drop=1.0, rise=9.0)
    made = solids_of(f, 0, 0, 0, owner)
    socket = made.far_socket if owner < 0 else made.near_socket
    assert (made.near_socket is None) == (owner < 0) and made.owner == owner
    outer = made.tongue.trim_by_plane((0, 0, -owner), 0.0)
    box = outer.bounding_box()
    assert max(abs(box[2]), abs(box[5])) == pytest.approx(5, abs=1e-6) and box[4] - box[1] == pytest.approx(
        10
    )
    area = {"stepped": 10 * 5, "wave": math.pi * 25 / 2, "tabs": None}[shape]
    if area:
        assert outer.volume() == pytest.approx(area * 10, rel=0.005)
    # The socket is the form and its clearance: nothing of the form lies outside it, and it is larger by the
    # strip around it.
    assert (outer - socket).volume() < 1e-6 and socket.volume() > outer.volume() + 0.15 * 10 * 10
    assert (0.0, 1.0, 0.0) in f.of.ways and ((0.0, 0.0, 1.0) in f.of.ways) == (shape != "tabs")


@pytest.mark.parametrize("kind", set_keys())
def test_every_form_is_drawn_as_it_is(kind):
    f = form(kind, all_keys()[kind].sizes[1])
    mark = footprint(f, 7.0, 2.0)
    assert mark.area > 0 and mark.centroid.x == pytest.approx(7.0, abs=1e-6)
    assert mark.bounds[2] - mark.bounds[0] <= 2 * f.half[0] + 0.6
    cut = cross_section(f)
    near, far = f.reach
    x0, _, x1, _ = cut.sockets.bounds
    assert x1 == pytest.approx(far, abs=0.6) and (x0 == pytest.approx(-near, abs=0.6) or not f.loose)
    inside = cut.own.union(cut.loose).intersection(shapely.box(0.01, -50, 50, 50))
    assert inside.is_empty or cut.sockets.buffer(1e-6).covers(
        inside.difference(shapely.box(-50, -50, 0.02, 50))
    )
    assert f.described() and (f.of.ways is None) == (kind in ("bowtie", "screw"))


def test_fits_follow_the_makers_own_clearance():
    assert {name: fit_clearance(name, 0.15) for name in FITS} == {
        "loose": 0.25,
        "sliding": 0.15,
        "press": 0.05,
    }
    assert fit_clearance("press", 0.06) == 0.0 and fit_clearance("loose", 0.3) == 0.4
    assert (
        printed_overhang(Keys()) == 0
        and printed_overhang(Keys("tenon")) > 0
        and printed_overhang(Keys("tenon", depth=4.0)) == 4
    )
