"""Models: readers, units, soundness, flat faces. Second opinions from trimesh and shapely."""

from __future__ import annotations

import io

import manifold3d as m3
import numpy as np
import pytest
import shapely
import trimesh

from cutkey.core.bodies.plate import PlateBase
from cutkey.core.errors import BadInput
from cutkey.core.formats.stl import read_stl, stl_bytes
from cutkey.core.geometry.facets import facet_at, facet_near, facet_of_point, find_facets
from cutkey.core.geometry.mesh import Mesh, open_edges, signed_volume, weld
from cutkey.core.geometry.primitives import prism, rounded_rectangle
from cutkey.core.geometry.solid import mesh_of, solid_of
from cutkey.core.place.side import outermost_facing
from cutkey.core.solids.read import UnitDoubt, read_model
from cutkey.demo import models


def stl(solid) -> bytes:
    return models.stl_of(solid, "test")


def test_binary_and_ascii_stl_agree_with_trimesh():
    body = trimesh.creation.annulus(8, 15, 10)
    for kind in ("stl", "stl_ascii"):
        data = body.export(file_type=kind)
        data = data if isinstance(data, bytes) else data.encode()
        model = read_model(data, "ring.stl")
        assert model.solid.volume() == pytest.approx(body.volume, rel=1e-6)
        assert model.size == pytest.approx(tuple(body.extents), abs=1e-5)
    written = trimesh.load(
        io.BytesIO(stl_bytes(model.mesh.vertices, model.mesh.triangles, "ring")), file_type="stl"
    )
    assert written.is_watertight and written.volume == pytest.approx(body.volume, rel=1e-5)


BROKEN = {
    "empty": (b"", "0 bytes"),
    "cut short": (stl(models.hive_plate())[:3000], "cut short"),
    "text": (b"hello, this is no model" * 20, "not an STL"),
    "ascii cut short": (
        b"solid x\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\n",
        "cut short",
    ),
    "picture": (b"\x89PNG\r\n\x1a\n" + bytes(300), "not an STL"),
    "two triangles": (
        trimesh.Trimesh([[0, 0, 0], [50, 0, 0], [0, 50, 0], [50, 50, 0]], [[0, 1, 2], [1, 3, 2]]).export(
            file_type="stl"
        ),
        "no volume",
    ),
    "open box": (
        trimesh.Trimesh(*(lambda b: (b.vertices, b.faces[:-1]))(trimesh.creation.box((30, 30, 30)))).export(
            file_type="stl"
        ),
        "not watertight",
    ),
}


@pytest.mark.parametrize("name", BROKEN)
def test_a_broken_model_is_refused_in_one_sentence_that_names_it(name):
    data, why = BROKEN[name]
    with pytest.raises(BadInput, match=why) as error:
        read_model(data, "part.stl")
    assert (
        str(error.value).startswith("part.stl")
        and str(error.value).endswith(".")
        and "\n" not in str(error.value)
    )


def test_not_a_number_is_refused():
    data = bytearray(stl(PlateBase(20, 20, 5, 0).solid()))
    data[84 + 12 : 84 + 16] = np.float32(np.nan).tobytes()
    with pytest.raises(BadInput, match="not numbers"):
        read_model(bytes(data), "nan.stl")


def test_inches_are_noticed_and_never_guessed_in_silence():
    inch = stl(models.jar_lid().scale((1 / 25.4,) * 3))
    with pytest.raises(UnitDoubt, match=r"drawn in inches \(82 × 82 × 14 mm\)") as doubt:
        read_model(inch, "lid.stl")
    assert doubt.value.guesses[0] == "inch" and "mm" in doubt.value.guesses
    assert read_model(inch, "lid.stl", "inch").size == pytest.approx((82, 82, 14), abs=1e-4)
    assert read_model(inch, "lid.stl", "mm").size[0] == pytest.approx(82 / 25.4, abs=1e-5)
    with pytest.raises(UnitDoubt, match="larger than any printer"):
        read_model(stl(PlateBase(3000, 100, 10, 0).solid()), "metre.stl")


def test_inside_out_crossing_and_hollow_shells_get_their_true_volume():
    box = trimesh.creation.box((30, 20, 10))
    inside_out = weld(box.triangles[:, ::-1])
    assert signed_volume(inside_out) < 0
    assert solid_of(inside_out, "x").volume() == pytest.approx(6000)
    crossing = np.concatenate([box.triangles, box.triangles + np.array([15, 0, 0])])
    assert solid_of(weld(crossing), "x").volume() == pytest.approx(45 * 20 * 10)
    cavity = trimesh.creation.box((10, 10, 4)).triangles[:, ::-1]
    assert solid_of(weld(np.concatenate([box.triangles, cavity])), "x").volume() == pytest.approx(6000 - 400)


def test_open_edges_are_counted():
    box = trimesh.creation.box((1, 1, 1))
    mesh = Mesh(box.vertices, box.faces)
    assert open_edges(mesh) == 0
    assert open_edges(Mesh(box.vertices, box.faces[:-1])) == 3
    assert open_edges(Mesh(box.vertices, np.vstack([box.faces, box.faces[:1]]))) > 0


def test_flat_faces_of_a_box_and_their_outlines():
    solid = prism(shapely.box(-10, -5, 10, 5) - shapely.Point(4, 0).buffer(2), 0, 7)
    mesh = mesh_of(solid)
    facets = find_facets(mesh)
    top = facet_at(mesh, facets, outermost_facing(solid, mesh, facets, np.array([0, 0, 1.0])))
    assert top.outline.area == pytest.approx(200 - shapely.Point(0, 0).buffer(2).area, rel=1e-9)
    assert len(top.outline.interiors) == 1
    assert (
        top.origin == pytest.approx([0, 0, 7])
        and top.right == pytest.approx([1, 0, 0])
        and top.up == pytest.approx([0, 1, 0])
    )
    front = facet_at(mesh, facets, facet_of_point(mesh, facets, np.array([0, -5.0, 3])))
    assert (
        front.normal == pytest.approx([0, -1, 0])
        and front.up == pytest.approx([0, 0, 1])
        and front.right == pytest.approx([1, 0, 0])
    )
    assert front.area == pytest.approx(140)
    with pytest.raises(BadInput, match="no flat face"):
        facet_near(mesh, facets, np.zeros(3), np.array([0.6, 0.0, 0.8]))


def test_the_off_centre_field_of_the_lid_is_a_face_of_its_own():
    """44 x 40 mm with corners of 5 mm, its middle at (6, -4), 0.6 mm under the top."""
    model = read_model(stl(models.jar_lid()), "lid.stl")
    facets = find_facets(model.mesh)
    field = facet_at(
        model.mesh, facets, facet_near(model.mesh, facets, np.array([6, -4, 13.4]), np.array([0, 0, 1.0]))
    )
    assert field.origin == pytest.approx([6, -4, 13.4], abs=1e-4)
    assert field.outline.area == pytest.approx(rounded_rectangle(44, 40, 5).area, rel=1e-4)
    assert not field.outline.interiors


def test_prisms_over_neighbouring_regions_share_their_wall_exactly():
    curve = shapely.LineString([(0, 0), (3.1, 2.7), (1.9, 6.3), (4, 10)])
    left = shapely.Polygon([*curve.coords, (-5, 10), (-5, 0)])
    right = shapely.Polygon([*curve.coords, (9, 10), (9, 0)])
    a, b = prism(left, 0, 2), prism(right, 0, 2)
    assert abs((a ^ b).volume()) < 1e-12
    assert (a + b).volume() == pytest.approx(14 * 10 * 2, rel=1e-12)
    assert a.volume() == pytest.approx(left.area * 2, rel=1e-12)


def test_reader_keeps_the_file_size_and_names_truncation():
    data = stl(m3.Manifold.sphere(20, 64))
    assert len(read_stl(data, "s.stl")) == (len(data) - 84) // 50
    with pytest.raises(BadInput, match="announces"):
        read_stl(data[:-10], "s.stl")
