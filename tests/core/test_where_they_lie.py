"""Faces seen from outside, and graphics and add-ons that meet on one face.

Judged by slices and volumes of the solids themselves.
"""

from __future__ import annotations

import json

import manifold3d as m3
import numpy as np
import pytest
import shapely
from msgspec.structs import replace

from cutkey.cli.main import main
from cutkey.core.addons.hole import Hole
from cutkey.core.addons.loop import Loop
from cutkey.core.bodies.coin import CoinBase
from cutkey.core.bodies.plate import PlateBase
from cutkey.core.engine.evaluate import Evaluator
from cutkey.core.formats.stl import stl_bytes
from cutkey.core.geometry.solid import mesh_of
from cutkey.core.model.addon import AddOn
from cutkey.core.model.edits import add_graphic, add_source, place
from cutkey.core.model.job import Job, ModelBase, Source
from cutkey.core.model.placement import Copies, Depth

MARK = (
    b'<svg xmlns="http://www.w3.org/2000/svg" width="20mm" height="12mm" viewBox="0 0 20 12">'
    b'<path d="M0 0H20V4H8V12H0Z" fill="#204080"/><rect x="14" y="7" width="4" height="4" fill="#ffcc00"/>'
    b"</svg>"
)


def block(x, y, z, at=(0.0, 0.0, 0.0)):
    """A block standing at a place, its middle there."""
    return m3.Manifold.cube((x, y, z)).translate((at[0] - x / 2, at[1] - y / 2, at[2]))


def ridge(x, y, low, high):
    """A roof."""
    corners = [(a * x / 2, b * y / 2, low) for a in (-1, 1) for b in (-1, 1)] + [
        (-x / 2, 0, high),
        (x / 2, 0, high),
    ]
    return m3.Manifold.hull_points(np.array(corners))


MODELS = {
    # A closed cavity whose floor is larger than the top.
    "void": m3.Manifold.hull_points(
        np.array(
            [
                (s * a, t * b, z)
                for s in (-1, 1)
                for t in (-1, 1)
                for a, b, z in ((30, 20, 0), (30, 20, 22), (12, 8, 30))
            ]
        )
    )
    - block(50, 34, 18, (0, 0, 3)),
    "table": sum(
        (block(6, 6, 41, (x, y, 0)) for x in (-44, 44) for y in (-24, 24)),
        block(98, 58, 5, (0, 0, 40)) + block(100, 60, 2, (0, 0, 10)),
    ),
    "roofed": block(60, 40, 20.5) + ridge(70, 50, 20, 40) - block(50, 30, 1, (0, 0, 21)),
    "frame": block(100, 80, 4) - block(70, 50, 6, (0, 0, -1)),
}


def placed(tmp_path, solid, *options):
    """Report of `cutkey place`, exit code."""
    mesh = mesh_of(solid)
    (tmp_path / "m.stl").write_bytes(stl_bytes(mesh.vertices, mesh.triangles, "m"))
    (tmp_path / "g.svg").write_bytes(MARK)
    names = [str(tmp_path / n) for n in ("g.svg", "m.stl", "o.3mf", "r.json")]
    code = main(["place", names[0], names[1], "-o", names[2], "--report", names[3], "--over", *options])
    return code, json.loads((tmp_path / "r.json").read_text("utf-8"))


@pytest.mark.parametrize(("model", "height"), [("void", 30), ("table", 45)])
def test_a_side_by_name_is_the_outermost_face_and_a_drawing_keeps_its_size(tmp_path, model, height):
    code, report = placed(tmp_path, MODELS[model], "--face", "top")
    assert code == 0 and report["face"]["origin_mm"][2] == pytest.approx(height)
    assert report["graphic_mm"] == pytest.approx([20, 12])
    assert report["lies"] == "as it stands"


def test_a_roof_is_met_before_what_it_covers(tmp_path):
    code, report = placed(tmp_path, MODELS["roofed"], "--face", "top", "--width", "8")
    assert code == 0 and report["face"]["origin_mm"][2] > 25


def test_a_face_with_a_hole_in_its_middle_takes_the_graphic_beside_the_hole(tmp_path):
    """A frame with bars of 15 mm: 12 mm high, the graphic lies on one of them, wholly."""
    code, report = placed(tmp_path, MODELS["frame"], "--face", "top", "--width", "10")
    volumes = {b["colour"]: b["volume_mm3"] for b in report["bodies"]}
    assert code == 0 and sorted(volumes.values())[0] == pytest.approx(16 / 4 * 0.8, rel=1e-3)
    # Where it was told to lie it lies, and in the hole nothing of it is lost without a stop.
    code, report = placed(tmp_path, MODELS["frame"], "--face=-42,30,4", "--width", "10")
    first = report["bodies"][-1]
    assert code == 0 and first["volume_mm3"] > 0
    code, report = placed(tmp_path, MODELS["frame"], "--face=-42,30,4", "--offset=42,-30")
    assert code == 1 and any(f["title"] == "Beside the model" for f in report["findings"])


@pytest.mark.parametrize(("bore", "width", "beside"), [(22, 20, True), (22, 80, False), (4, 20, False)])
def test_the_graphics_own_size_decides_whether_the_hole_is_in_its_way(tmp_path, bore, width, beside):
    """A disc of 100 mm with a bore: what is smaller than the bore goes beside it, what reaches over it stays
    in the middle."""
    disc = m3.Manifold.cylinder(6, 50, 50, 96) - m3.Manifold.cylinder(8, bore, bore, 96).translate((0, 0, -1))
    code, report = placed(tmp_path, disc, "--face", "top", "--width", str(width))
    assert code == 0 and not any(f["title"] == "Beside the model" for f in report["findings"])
    came = sum(b["volume_mm3"] for b in report["bodies"][1:])
    assert (came == pytest.approx(0.4 * width**2 * 0.8, rel=0.02)) == beside


def job_on(solid, point, normal=(0.0, 0.0, 1.0), **how):
    """A job with the mark on an opened model, and the evaluator for it."""
    data = stl_bytes(*mesh_of(solid), "m")
    model, drawing = Source("m", "m.stl", "model"), Source("g", "g.svg", "drawing")
    job, spec = add_graphic(replace(add_source(Job(), model), base=ModelBase("m")), drawing, 20.0)
    job, placement = place(job, spec.id, point, normal, Depth("raised", 0.8))
    return replace(job, placements=(replace(placement, **how),)), Evaluator({"m": data, "g": MARK})


def severities(kit, title):
    return {f.severity for f in kit.findings if f.title == title}


def test_a_graphic_in_a_cavity_is_a_stop_and_one_under_a_roof_is_told():
    job, e = job_on(MODELS["void"], (0.0, 0.0, 3.0))
    assert severities(e.kit(job), "Inside a cavity") == {"stop"}
    job, e = job_on(MODELS["table"], (0.0, 0.0, 12.0))
    kit = e.kit(job)
    assert severities(kit, "Inside a cavity") == set()
    # 28 mm of air over 12 mm of graphic hide nothing; 3 mm do.
    assert severities(kit, "Under other material") == set()
    job, e = job_on(
        MODELS["table"] + block(90, 50, 2, (0, 0, 15)) + block(90, 4, 6, (0, 25, 11)), (0.0, 0.0, 12.0)
    )
    (told,) = [f for f in e.kit(job).findings if f.title == "Under other material"]
    assert told.severity == "look at" and told.figure == pytest.approx(3.0, abs=0.03)


@pytest.mark.parametrize(("off", "severity"), [(0.0, "sound"), (33.0, None), (47.0, "stop"), (80.0, "stop")])
def test_a_graphic_that_is_nearly_lost_is_a_stop(off, severity):
    """A plate of 80 mm: moved by 33 mm a seventh is cut off, by 47 mm six parts of seven are."""
    job, e = job_on(block(80, 40, 4), (0.0, 0.0, 4.0), offset=(off, 0.0))
    kit = e.kit(job)
    lost = severities(kit, "Beside the model") | severities(kit, "Colour missing")
    assert lost == ({"stop"} if severity == "stop" else set())


def test_one_colour_and_one_copy_that_are_lost_are_stops():
    # The small square of the second colour lies 4 to 8 mm right of the middle.
    job, e = job_on(block(80, 40, 4), (0.0, 0.0, 4.0), offset=(36.5, 0.0))
    (told,) = [f for f in e.kit(job).findings if f.title == "Colour missing"]
    assert told.severity == "stop" and told.colour == "#ffcc00"
    job, e = job_on(block(80, 40, 4), (0.0, 0.0, 4.0), copies=Copies("grid", (3, 1), (50.0, 0.0)))
    (told,) = [f for f in e.kit(job).findings if f.title == "Copies missing"]
    assert told.severity == "stop" and told.figure == 2


def middle_of(solid, z, body):
    """Middle of what stands over a body at a height, by a slice."""
    rings = (solid - body).slice(z).to_polygons()
    x0, y0, x1, y1 = shapely.union_all([shapely.Polygon(r) for r in rings if len(r) > 2]).bounds
    return (x0 + x1) / 2, (y0 + y1) / 2


@pytest.mark.parametrize("base", [PlateBase(60, 40, 3, 4), CoinBase(50, 3)])
@pytest.mark.parametrize("offset", [(0.0, 0.0), (2.0, -1.5)])
@pytest.mark.parametrize("loop", [(-30.0, 12.0), (0.0, 20.0), (24.0, 0.0)])
def test_a_loop_does_not_move_the_graphic(base, offset, loop):
    drawing = Source("g", "g.svg", "drawing")
    job, spec = add_graphic(Job(base=base), drawing, 20.0)
    job, _ = place(job, spec.id, (0.0, 0.0, 3.0), (0.0, 0.0, 1.0), Depth("raised", 0.8), offset)
    e = Evaluator({"g": MARK})
    plain = e.design(job)
    addon = AddOn("a", Loop(), (loop[0] * 0.9, loop[1] * 0.9, 3.0), (0.0, 0.0, 1.0), loop)
    ringed = replace(
        job, addons=(addon, AddOn("h", Hole(), (-20.0, 0.0, 3.0), (0.0, 0.0, 1.0), (-20.0, 0.0)))
    )
    design = e.design(ringed)
    assert middle_of(design.whole, 3.4, e.body(ringed).solid) == pytest.approx(
        middle_of(plain.whole, 3.4, e.body(job).solid), abs=1e-6
    )
    assert middle_of(plain.whole, 3.4, e.body(job).solid) == pytest.approx(offset, abs=1e-6)
    # The hole takes out of the graphic what it meets, and nothing stands in it.
    axis = m3.Manifold.cylinder(20, 1.4).translate((-20, 0, -5))
    assert (design.whole ^ axis).volume() == pytest.approx(0, abs=1e-9)
