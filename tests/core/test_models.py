"""Models as other people write them: files by trimesh and lib3mf, and what is wrong with real ones made
on purpose."""

from __future__ import annotations

import re

import lib3mf
import numpy as np
import pytest
import trimesh
from lib3mf import Lib3MF

from cutkey.core.errors import BadInput
from cutkey.core.formats import read_shapes
from cutkey.core.formats.stl import stl_bytes
from cutkey.core.geometry.mesh import open_edges
from cutkey.core.geometry.solid import mesh_of
from cutkey.core.solids.read import OpenModel, UnitDoubt, read_model
from cutkey.core.solids.repair import mend
from cutkey.demo.models import jar_lid

LID = mesh_of(jar_lid())


def as_file(vertices: np.ndarray, triangles: np.ndarray, kind: str) -> bytes:
    data = trimesh.Trimesh(vertices, triangles, process=False).export(file_type=kind)
    return data if isinstance(data, bytes) else data.encode()


@pytest.mark.parametrize("kind", ["obj", "ply", "3mf", "stl", "stl_ascii"])
def test_files_of_another_library_open_with_their_volume(kind):
    """Written by trimesh 5; the volume is that of the mesh, to the file's own precision."""
    data = as_file(LID.vertices, LID.triangles, kind)
    model = read_model(data, f"lid.{kind.removesuffix('_ascii')}")
    assert model.solid.volume() == pytest.approx(jar_lid().volume(), rel=1e-5)
    assert model.size == pytest.approx((82, 82, 14), abs=1e-3)
    # That library's 3MF leaves a part of the package out that the standard asks for.
    assert len(model.done) == (kind == "3mf")


def test_a_3mf_of_components_units_and_colours():
    """Two boxes of different colours, one built twice through a component, in inches; written by lib3mf,
    the standard's own library."""
    wrapper = lib3mf.get_wrapper()
    model = wrapper.CreateModel()
    model.SetUnit(Lib3MF.ModelUnit.Inch)
    materials = model.AddBaseMaterialGroup()
    box = trimesh.creation.box((1, 1, 1))
    bodies = []
    for name, (r, g, b) in (("amber", (224, 163, 42)), ("ink", (38, 36, 31))):
        body = model.AddMeshObject()
        body.SetName(name)
        body.SetGeometry(
            [_position(v) for v in box.vertices],
            [_triangle(t) for t in box.faces],
        )
        colour = Lib3MF.Color(Red=r, Green=g, Blue=b, Alpha=255)
        body.SetObjectLevelProperty(materials.GetUniqueResourceID(), materials.AddMaterial(name, colour))
        bodies.append(body)
    group = model.AddComponentsObject()
    group.AddComponent(bodies[0], _moved(wrapper, 3.0))
    group.AddComponent(bodies[1], _moved(wrapper, 5.0))
    model.AddBuildItem(group, wrapper.GetIdentityTransform())
    model.AddBuildItem(bodies[0], wrapper.GetIdentityTransform())
    data = bytes(model.QueryWriter("3mf").WriteToBuffer())
    found = read_model(data, "boxes.3mf")
    assert [p.colour for p in found.pieces] == ["#e0a32a", "#26241f"]
    assert [p.solid.volume() for p in found.pieces] == pytest.approx([2 * 25.4**3, 25.4**3], rel=1e-6)
    assert found.size == pytest.approx((6 * 25.4, 25.4, 25.4), rel=1e-6)


def _position(v) -> Lib3MF.Position:
    p = Lib3MF.Position()
    for k in range(3):
        p.Coordinates[k] = float(v[k])
    return p


def _triangle(t) -> Lib3MF.Triangle:
    out = Lib3MF.Triangle()
    for k in range(3):
        out.Indices[k] = int(t[k])
    return out


def _moved(wrapper, x: float) -> Lib3MF.Transform:
    t = wrapper.GetIdentityTransform()
    t.Fields[3][0] = x
    return t


def test_what_is_wrong_is_mended_and_said():
    """Faces missing, doubled, turned round, points a hair apart, a fin: each found, and the volume is the
    sound one's."""
    v, t = LID.vertices, LID.triangles
    sound = jar_lid().volume()
    rng = np.random.default_rng(4)
    small = np.flatnonzero(np.linalg.norm(np.ptp(v[t], axis=1), axis=1) < 6)[:3]
    cases = {
        "holes? closed": (v, np.delete(t, small, 0)),
        "duplicate faces? dropped": (v, np.concatenate([t, t[:5]])),
        "faces? turned": (v, np.where((np.arange(len(t)) % 97 == 0)[:, None], t[:, ::-1], t)),
        "points? that almost coincided": (None, None),
        "loose faces? .*taken off": (
            np.concatenate([v, [[0.0, 0.0, 30.0]]]),
            np.concatenate([t, [[t[0, 0], t[0, 1], len(v)]]]),
        ),
    }
    for said, (vertices, triangles) in cases.items():
        if vertices is None:
            corners = v[t] + rng.normal(0, 2e-6, (len(t), 3, 3))
            vertices, triangles = corners.reshape(-1, 3), np.arange(3 * len(t)).reshape(-1, 3)
        model = read_model(as_file(vertices, triangles, "ply"), "lid.ply")
        assert any(re.search(said, str(d)) for d in model.done), (said, model.done)
        assert model.solid.volume() == pytest.approx(sound, rel=2e-4)
    assert mend(LID).done == () and mend(LID).mesh is LID
    turned = read_model(stl_bytes(v, t[:, ::-1], "x"), "lid.stl")
    assert tuple(map(str, turned.done)) == (
        "it was inside out and was turned",
    ) and turned.solid.volume() == pytest.approx(sound, rel=1e-5)


def test_a_large_hole_is_asked_about_and_closed_on_demand():
    box = trimesh.creation.box((40, 30, 20))
    lidless = np.delete(box.faces, np.flatnonzero(box.face_normals[:, 2] > 0.5), 0)
    data = as_file(box.vertices, lidless, "ply")
    with pytest.raises(
        OpenModel, match=r"tray\.ply is not watertight: a hole with 4 open edges, up to 50\.0 mm across"
    ) as error:
        read_model(data, "tray.ply")
    assert len(error.value.rims) == 1 and len(error.value.rims[0]) == 4
    closed = read_model(data, "tray.ply", close=True)
    assert closed.solid.volume() == pytest.approx(40 * 30 * 20) and tuple(map(str, closed.done)) == (
        "1 hole closed",
    )
    # Two rims that touch in one point are two holes.
    two = np.array([[0, 1, 2], [0, 3, 4]])
    sheet = (
        read_shapes(as_file(np.random.default_rng(1).random((5, 3)) * 30, two, "ply"), "x.ply").shapes[0].mesh
    )
    assert [len(h) for h in mend(sheet).holes] == [3, 3]


@pytest.mark.parametrize(("thick", "opens"), [(1.9, True), (2.1, False)])
def test_a_tiny_slit_is_closed_and_said(thick, opens):
    """One side of a bar of 200 mm has two points more on its short edge: a hole of no area, which cannot be
    laid flat; up to 2 mm it is closed."""
    bar = trimesh.creation.box((200, thick, thick))
    n = next(k for k in range(12) if (bar.vertices[bar.faces[k]][:, 0] > 0).all())
    face = bar.faces[n]
    lengths = np.linalg.norm(np.diff(bar.vertices[np.append(face, face[0])], axis=0), axis=1)
    b, c, a = np.roll(face, -int(np.argmin(lengths)))
    ends, count = bar.vertices[[b, c]], len(bar.vertices)
    more = ends[0] + np.array([[0.25], [0.5]]) * (ends[1] - ends[0])
    fan = [(a, b, count), (a, count, count + 1), (a, count + 1, c)]
    faces = np.concatenate([np.delete(bar.faces, n, 0), fan])
    data = as_file(np.concatenate([bar.vertices, more]), faces, "obj")
    if opens:
        model = read_model(data, "bar.obj")
        assert tuple(map(str, model.done)) == ("1 hole closed",)
        assert model.solid.volume() == pytest.approx(200 * thick**2, rel=1e-6)
    else:
        with pytest.raises(OpenModel):
            read_model(data, "bar.obj")


def test_what_a_boolean_takes_is_opened_as_it_is_and_that_is_said():
    """Corners of a box drawn into one another: edges have four faces, mending would tear them open."""
    box = trimesh.creation.box((40, 30, 20)).subdivide()
    faces = box.faces
    for gone, into in ((13, 21), (8, 11), (20, 3), (7, 3), (11, 25)):
        faces = np.where(faces == gone, into, faces)
    model = read_model(as_file(box.vertices, faces, "ply"), "folded.ply")
    assert tuple(map(str, model.done)) == (
        "4 edges that are not between just two faces were taken as they are",
    )
    assert model.solid.volume() == pytest.approx(7000, rel=1e-6)


BAD = {
    "x.obj": (b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 9\n", "OBJ"),
    "x.ply": (b"ply\nformat ascii 1.0\nelement vertex 3\n", "header has no end"),
    "cut.ply": (as_file(LID.vertices, LID.triangles, "ply")[:9000], "damaged or cut short"),
    "x.3mf": (b"PK\x03\x04 no zip at all", "not a 3MF file"),
    "cloud.ply": (
        trimesh.PointCloud(np.random.default_rng(0).random((9, 3))).export(file_type="ply"),
        "no faces|cannot be read",
    ),
    "part.step": (b"ISO-10303-21;", "STEP drawing"),
    "nan.obj": (
        b"v 0 0 nan\nv 1 0 0\nv 0 1 0\nv 0 0 1\nf 1 2 3\nf 1 3 4\nf 1 4 2\nf 2 4 3\n",
        "not numbers|cannot be read",
    ),
}


@pytest.mark.parametrize("name", BAD)
def test_a_damaged_file_gets_one_sentence(name):
    data, why = BAD[name]
    with pytest.raises(BadInput, match=why) as error:
        read_model(data, name)
    assert (
        str(error.value).startswith(name)
        and str(error.value).count(". ") == 0
        and "Traceback" not in str(error.value)
    )


def test_units_are_told_apart():
    """A lid of 82 mm written in inches, in metres and a thousand times too large."""
    for scale, guess in ((1 / 25.4, "inch"), (0.001, "m")):
        data = as_file(LID.vertices * scale, LID.triangles, "obj")
        with pytest.raises(UnitDoubt) as doubt:
            read_model(data, "lid.obj")
        assert guess in doubt.value.guesses and {"m": "metres", "inch": "inches"}[guess] in str(doubt.value)
        assert read_model(data, "lid.obj", guess).size[0] == pytest.approx(82, rel=1e-4)
    with pytest.raises(UnitDoubt, match="larger than any printer"):
        read_model(as_file(LID.vertices * 1000, LID.triangles, "stl"), "lid.stl")
    assert open_edges(read_shapes(as_file(LID.vertices, LID.triangles, "obj"), "lid.obj").shapes[0].mesh) == 0
