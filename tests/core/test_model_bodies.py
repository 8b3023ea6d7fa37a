"""Somebody's badge on an opened model is a body of its own, and leaves no dent when it is taken away.

Badges that lie face on face, are pushed in a tenth, or stand apart; in one mesh, two objects, two colours.
"""

from __future__ import annotations

import io
import zipfile

import manifold3d as m3
import numpy as np
import pytest
import trimesh
from msgspec.structs import replace

from cutkey.core.engine.evaluate import Evaluator
from cutkey.core.formats.stl import stl_bytes
from cutkey.core.geometry.solid import mesh_of
from cutkey.core.model.edits import add_source
from cutkey.core.model.job import Job, ModelBase, Source

LID = m3.Manifold.cylinder(6, 30, 30, 96)
BADGE = m3.Manifold.cube((20, 10, 2)).translate((-10, -5, 0))


def as_stl(*solids):
    """All in one mesh, one after the other."""
    meshes = [mesh_of(s) for s in solids]
    begin = np.cumsum([0, *(len(m.vertices) for m in meshes)])
    faces = np.concatenate([m.triangles + b for m, b in zip(meshes, begin[:-1], strict=True)])
    return "m.stl", stl_bytes(np.concatenate([m.vertices for m in meshes]), faces, "m")


def as_obj(*solids):
    """An object each."""
    lines, begin = [], 1
    for k, s in enumerate(solids):
        mesh = mesh_of(s)
        lines += [f"o part{k}", *(f"v {x:.6f} {y:.6f} {z:.6f}" for x, y, z in mesh.vertices)]
        lines += [f"f {a} {b} {c}" for a, b, c in (mesh.triangles + begin).tolist()]
        begin += len(mesh.vertices)
    return "m.obj", "\n".join(lines).encode()


def as_3mf(*solids, colours=None):
    """Two objects of one build (3MF Core Specification 1.3), with base materials where colours are given."""
    parts = []
    materials = "".join(f'<base name="c{k}" displaycolor="{c}"/>' for k, c in enumerate(colours or ()))
    if colours:
        parts.append(f'<basematerials id="90">{materials}</basematerials>')
    for k, s in enumerate(solids, 1):
        mesh = mesh_of(s)
        v = "".join(f'<vertex x="{x:.6f}" y="{y:.6f}" z="{z:.6f}"/>' for x, y, z in mesh.vertices)
        t = "".join(f'<triangle v1="{a}" v2="{b}" v3="{c}"/>' for a, b, c in mesh.triangles.tolist())
        of = f' pid="90" pindex="{k - 1}"' if colours else ""
        parts.append(
            f'<object id="{k}" type="model"{of}><mesh><vertices>{v}</vertices>'
            f"<triangles>{t}</triangles></mesh></object>"
        )
    items = "".join(f'<item objectid="{k}"/>' for k in range(1, len(solids) + 1))
    model = (
        '<?xml version="1.0"?><model unit="millimeter" '
        'xmlns="http://schemas.microsoft.com/3dmanufacturing/core/2015/02">'
        f"<resources>{''.join(parts)}</resources><build>{items}</build></model>"
    )
    types = (
        '<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types">'
        '<Default Extension="rels" '
        'ContentType="application/vnd.openxmlformats-package.relationships+xml"/>'
        '<Default Extension="model" '
        'ContentType="application/vnd.ms-package.3dmanufacturing-3dmodel+xml"/></Types>'
    )
    rels = (
        '<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships">'
        '<Relationship Id="r" Target="/3D/3dmodel.model" Type="http://schemas.microsoft.com/3dmanufacturing/2013/01/3dmodel"/>'
        "</Relationships>"
    )
    data = io.BytesIO()
    with zipfile.ZipFile(data, "w") as package:
        for name, text in (
            ("[Content_Types].xml", types),
            ("_rels/.rels", rels),
            ("3D/3dmodel.model", model),
        ):
            package.writestr(name, text)
    return "m.3mf", data.getvalue()


def two_colours(*solids):
    return as_3mf(*solids, colours=("#204080", "#ffcc00"))


@pytest.mark.parametrize("written", [as_stl, as_obj, as_3mf, two_colours])
@pytest.mark.parametrize("pushed", [0.0, 0.1, 1.0, -3.0])
def test_a_badge_is_taken_away_and_leaves_no_dent(written, pushed):
    name, data = written(LID, BADGE.translate((0, 0, 6 - pushed)))
    job = replace(add_source(Job(), Source("m", name, "model")), base=ModelBase("m"))
    e = Evaluator({"m": data})
    bodies = e.bare(job).bodies
    assert [b.volume for b in bodies] == [pytest.approx(LID.volume(), rel=1e-5), pytest.approx(400, rel=1e-5)]
    whole = e.bare(job).solid
    assert whole.volume() == pytest.approx(LID.volume() + 20 * 10 * min(2 - pushed, 2), rel=1e-5)
    rule = replace(bodies[1].rule(), away=True)
    bare = replace(job, base=replace(job.base, bodies=(rule,)))
    left = e.bare(bare).solid
    # The lid as it was drawn: by its volume, and by trimesh in a section where the dent would be.
    assert left.volume() == pytest.approx(LID.volume(), rel=1e-6)
    mesh = trimesh.Trimesh(*mesh_of(left))
    section = mesh.section((0, 0, 1), (0, 0, 5.95)).to_2D()[0]
    assert section.area == pytest.approx(LID.volume() / 6, rel=1e-6) and len(section.entities) == 1
    assert mesh.bounds[1][2] == pytest.approx(6.0, abs=1e-5)
    kit = e.kit(bare)
    assert not [f for f in kit.findings if f.severity == "stop"]
    # The other way round the badge stays, and the lid goes.
    other = replace(job, base=replace(job.base, bodies=(replace(bodies[0].rule(), away=True),)))
    assert e.bare(other).solid.volume() == pytest.approx(400, rel=1e-5)
