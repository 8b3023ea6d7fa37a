"""Keys: true clearance on written files, nothing lost, one way only by proof, and that everything goes
together by sweeping."""

from __future__ import annotations

import itertools
import json
import math

import manifold3d as m3
import numpy as np
import pytest
import shapely
import trimesh
from tests.conftest import written as kit_written
from vtkmodules.vtkFiltersCore import vtkImplicitPolyDataDistance

from cutkey.app.stage.scene import polydata
from cutkey.cli.main import main
from cutkey.core.bodies.plate import PlateBase
from cutkey.core.formats.stl import stl_bytes
from cutkey.core.geometry.part import Part
from cutkey.core.geometry.primitives import prism
from cutkey.core.geometry.solid import mesh_of
from cutkey.core.keys.kind import form_of
from cutkey.core.keys.tenon import TAPER
from cutkey.core.kit.pieces import section_unit
from cutkey.core.kit.threemf import read_3mf
from cutkey.core.lettering.room import STROKE
from cutkey.core.model.cuts import Cut, Keys, Labels, Seam
from cutkey.core.model.filament import BODY, Filament
from cutkey.core.model.printer import Printer
from cutkey.core.solids.read import read_model
from cutkey.core.split.cutting import cut_into_sections
from cutkey.core.split.joint import Joint
from cutkey.core.split.joints import find_joints
from cutkey.core.split.labels import engrave
from cutkey.core.split.proofs.assembly import find_assembly
from cutkey.core.split.proofs.one_way import prove
from cutkey.core.split.setting.forms import solids_of
from cutkey.core.split.setting.keying import solids_in_place, with_keys
from cutkey.core.split.split import loose_keys, printed_key
from cutkey.core.split.trial import CLEARANCES, trial_piece

PRINTER, AUTO = Printer(), Keys()
KINDS = ("dowel", "tenon", "dovetail", "bowtie", "magnet", "screw")
SEAMS = ("stepped", "wave", "tabs")
GRID = [Cut("x", -86.7), Cut("x", 86.7), Cut("y", 0.0)]


def sign() -> list[Part]:
    """A two-colour plate of 520 x 300 x 8 mm with a raised field."""
    return [
        Part(BODY, PlateBase(520, 300, 8, 14).solid()),
        Part("#26241f", prism(shapely.box(-200, -60, 210, 80), 8, 9.2)),
    ]


def made(parts, cuts, keys=AUTO):
    cutting = cut_into_sections(parts, cuts)
    joints = find_joints(cutting, cuts, keys)
    return cutting, joints, with_keys(cutting, joints)


def volume(sections) -> float:
    return sum(p.solid.volume() for s in sections for p in s.parts)


def written(solid) -> m3.Manifold:
    """A solid after it was written as STL and read back."""
    mesh = mesh_of(solid)
    return read_model(stl_bytes(mesh.vertices, mesh.triangles, "x"), "x.stl", "mm", False).solid


# -- nothing is lost, keys lie in material
@pytest.mark.parametrize("kind", KINDS)
def test_every_kind_of_key_is_set_twice_or_more_fits_one_way_and_loses_nothing(kind):
    parts = sign()
    cutting, joints, keyed = made(parts, GRID, Keys(kind=kind))
    assert len(joints) == 7 and all(len(j.keys) >= 2 and not j.note for j in joints)
    total = sum(p.solid.volume() for p in parts)
    assert volume(keyed.sections) + keyed.taken_out == pytest.approx(total, rel=1e-9) and keyed.taken_out > 0
    assert prove([p for n, j in enumerate(joints) for p in j.patterns(n)]).clashes == []
    assert all(len(s.whole.decompose()) == 1 for s in keyed.sections)
    # Both colours are still there, apart, and cover what they covered: only sockets are missing.
    for one, other in itertools.combinations(keyed.sections, 2):
        assert (one.whole ^ other.whole).volume() < 1e-6
    # Walls: a socket grown by the wall is still inside its section, except where it opens.
    key, joint = joints[0].keys[0], joints[0]
    if kind in ("dowel", "tenon", "magnet"):
        grown = solids_of(
            key.form._replace(clearance=key.form.clearance + key.form.wall - 1e-3), key.u, key.v, key.angle
        )
        inside = joint.plane.raised(grown.far_socket)
        whole = cutting.sections[joint.numbers[1]].whole
        low = joint.plane.normal @ joint.plane.origin
        beyond = inside.trim_by_plane(joint.plane.normal, low)
        assert (beyond ^ whole).volume() == pytest.approx(beyond.volume(), rel=1e-6)


@pytest.mark.parametrize("shape", SEAMS)
def test_shaped_seams_interlock_in_both_colours(shape):
    parts = sign()
    cuts = [Cut(c.axis, c.at, seam=Seam(shape)) for c in GRID]
    _, joints, keyed = made(parts, cuts)
    assert all(len(j.keys) >= 2 and not j.note for j in joints)
    assert volume(keyed.sections) + keyed.taken_out == pytest.approx(
        sum(p.solid.volume() for p in parts), rel=1e-9
    )
    assert all(len(s.whole.decompose()) == 1 for s in keyed.sections)
    # What crosses the seam keeps its colour: seen from above the raised field is whole but for the gaps.
    field = sum(p.solid.volume() for s in keyed.sections for p in s.parts if p.colour == "#26241f")
    gaps = sum(2 * j.keys[0].form.clearance * 60 * len(j.keys) for j in joints)
    assert 0 < 410 * 140 * 1.2 - field < gaps
    owners = {k.owner for j in joints for k in j.keys}
    assert owners == ({-1} if shape == "tabs" else {-1, 1})
    # No two sections share anything, and the lands between the forms touch: both sides lie in the plane of
    # the cut.
    a, b = (keyed.sections[n].whole for n in joints[0].numbers)
    assert (a ^ b).volume() < 1e-6 and a.min_gap(b, 1.0) == 0
    assert find_assembly(keyed.sections, joints).stuck == []


@pytest.mark.parametrize(
    "cut",
    [Cut("x", 3.0), Cut("y", 3.0), Cut("z", 3.0), Cut("x", 3.0, tilt=20, lean=-12), Cut("z", 0, tilt=15)],
)
@pytest.mark.parametrize("kind", ["dowel", "tenon"])
def test_keys_cross_every_kind_of_cut(cut, kind):
    cutting, joints, keyed = made([Part(BODY, m3.Manifold.cube((60, 70, 80), True))], [cut], Keys(kind=kind))
    joint = joints[0]
    assert len(joint.keys) >= 2 and not joint.note
    sockets = [solids_in_place(joint.plane, k) for k in joint.keys]
    lost = sum(
        (s ^ cutting.sections[n].whole).volume()
        for m in sockets
        for s, n in zip(m[:2], joint.numbers, strict=True)
        if s is not None
    )
    stays = sum(
        (m.tongue ^ cutting.sections[joint.numbers[1]].whole).volume()
        for m in sockets
        if m.tongue is not None
    )
    assert keyed.taken_out == pytest.approx(lost - stays, rel=1e-6)
    assert all(len(s.whole.decompose()) == 1 for s in keyed.sections)
    # Mates meet in the plane: the face of each is the whole cut less the sockets.
    near, far = (keyed.sections[n].whole for n in joint.numbers)
    faces = [
        sum(shapely.Polygon(r).area for r in joint.plane.laid(s).slice(z).to_polygons())
        for s, z in ((near, -1e-4), (far, 1e-4))
    ]
    assert faces[0] == pytest.approx(faces[1], rel=0.2) and near.min_gap(far, 0.5) == 0


# -- clearance, measured on written files
@pytest.mark.parametrize("kind", [*KINDS[:4], *SEAMS])
def test_the_clearance_on_the_written_files_is_the_one_stated(kind):
    """Measured by the solid library's distance and, for every place on its flanks, by VTK's distance to a
    surface."""
    clearance = 0.2
    cuts = [Cut("x", 0.0, seam=Seam(kind, clearance=clearance) if kind in SEAMS else Seam())]
    keys = Keys(kind="auto" if kind in SEAMS else kind, clearance=clearance)
    _, joints, keyed = made([Part(BODY, m3.Manifold.cube((160, 150, 8), True))], cuts, keys)
    joint, (near, far) = joints[0], keyed.sections
    key = joint.keys[0]
    solids = solids_in_place(joint.plane, key)
    if solids.tongue is None:
        moving = m3.Manifold.batch_boolean(list(solids.loose), m3.OpType.Add)
        fixed = [written(s.whole) for s in (near, far)]
    else:
        owner, other = (near, far) if key.owner < 0 else (far, near)
        # Only what sticks out past the seam: mated faces touch.
        n = joint.plane.normal * -key.owner
        moving = written(owner.whole).trim_by_plane(n, float(n @ joint.plane.origin) + 0.3)
        fixed = [written(other.whole)]
    moving = written(moving)
    for solid in fixed:
        gap = solid.min_gap(moving, 1.5)
        assert gap == pytest.approx(clearance, abs=0.01), kind
    # Everywhere on the flanks, not only at the nearest place.
    mesh = mesh_of(
        m3.Manifold.batch_boolean(list(solids.loose), m3.OpType.Add) if solids.loose else solids.tongue
    )
    samples, faces = trimesh.sample.sample_surface(
        trimesh.Trimesh(mesh.vertices, mesh.triangles, process=False), 3000, seed=1
    )
    tri = trimesh.Trimesh(mesh.vertices, mesh.triangles, process=False)
    local = joint.plane.flat(samples)
    normal = tri.face_normals[faces] @ joint.plane.turn.T
    side = 1 if solids.tongue is None or key.owner < 0 else -1
    flank = (
        (local[:, 2] * side > 0.6)
        & (np.abs(normal[:, 2]) < 0.9)
        & (np.abs(normal[:, 1]) < 0.95)
        & (np.abs(local[:, 1]) < 4 - 0.4)
    )
    if kind in ("dowel", "tenon"):
        flank = (local[:, 2] > 0.6) & (local[:, 2] < key.form.depth - 0.6) & (np.abs(normal[:, 2]) < 0.5)
    target = mesh_of((far if side > 0 else near).whole)
    surface = vtkImplicitPolyDataDistance()
    surface.SetInput(polydata(target.vertices.astype(np.float32), target.triangles.astype(np.int32), 3))
    distance = np.abs([surface.EvaluateFunction(p) for p in samples[flank][:400]])
    assert len(distance) > 50 and distance == pytest.approx(clearance, abs=0.01)


def test_the_end_gap_and_the_taper_are_those_of_the_form():
    form = form_of("tenon", Keys(clearance=0.15, end_gap=0.5), 8.0, 10.0, 50.0)
    made = solids_of(form, 0, 0)
    assert made.far_socket.bounding_box()[5] - made.tongue.bounding_box()[5] == pytest.approx(0.5)
    # A frustum: h / 3 (A1 + A2 + sqrt(A1 A2)) over rectangles that shrink by the taper on every side.
    shrink = 2 * math.tan(math.radians(TAPER))
    low, high = ((8 - shrink * z) * (8 * 0.62 - shrink * z) for z in (0.0, 10.0))
    middle = (8 - shrink * 5) * (8 * 0.62 - shrink * 5)
    prong = made.tongue.trim_by_plane((0, 0, 1), 0.0)
    assert prong.volume() == pytest.approx(10 / 6 * (low + 4 * middle + high), rel=1e-9)


def test_keys_take_the_colour_around_them_and_bought_ones_are_listed():
    dark = prism(shapely.box(-60, -40, 60, 40), 0, 10)
    parts = [
        Part(BODY, m3.Manifold.cube((200, 160, 10), True).translate((0, 0, 5)) - dark),
        Part("#26241f", dark),
    ]
    _, joints, _ = made(parts, [Cut("x", 0.0)], Keys(kind="dowel", count=3))
    colours = {round(k.v - 5, 1) * 0 + k.u: k.colour for k in joints[0].keys}
    assert (
        all((c == "#26241f") == (abs(u) < 40) for u, c in colours.items()) and len(set(colours.values())) == 2
    )
    assert (
        sum(k.copies for k in loose_keys(joints, printed=True)) == 3
        and loose_keys(joints, printed=False) == []
    )
    key = printed_key(joints[0].keys[0].form)
    form, (x0, _, z0, x1, _, z1) = joints[0].keys[0].form, key.bounding_box()
    # It lies on a flat of 80 degrees, which takes r (1 - cos 40°) of its round and is 2 r sin 40° wide.
    r = form.size / 2
    assert x1 - x0 == pytest.approx(2 * form.depth) and z1 - z0 == pytest.approx(
        r * (1 + np.cos(np.radians(40))), rel=2e-3
    )
    foot = key.slice(z0 + 1e-6).bounds()
    assert foot[3] - foot[1] == pytest.approx(2 * r * np.sin(np.radians(40)), rel=0.01)
    _, joints, _ = made(parts, [Cut("x", 0.0)], Keys(kind="dowel", stock="metal"))
    assert loose_keys(joints, printed=True) == [] and "Metal rod" in loose_keys(joints, printed=False)[0].name


def test_where_there_is_no_room_it_is_said_and_keys_set_by_hand_stay():
    _, joints, keyed = made([Part(BODY, PlateBase(300, 100, 1.5, 0).solid())], [Cut("x", 0.0)])
    assert joints[0].keys == () and "no room for a key" in str(joints[0].note) and keyed.taken_out == 0
    thick = [Part(BODY, PlateBase(300, 100, 12, 0).solid())]
    _, joints, _ = made(thick, [Cut("x", 0.0, hand=((-32.0, 0.0), (36.0, 0.5), (22.0, 0.0)))])
    assert (
        [(k.u, k.v) for k in joints[0].keys] == [(-32.0, 0.0), (36.0, 0.5), (22.0, 0.0)]
        and joints[0].by_hand
        and not joints[0].note
    )
    _, joints, _ = made(thick, [Cut("x", 0.0, hand=((-30.0, 0.0), (30.0, 5.9)))])
    assert "too little material" in str(joints[0].note)
    _, joints, _ = made(thick, [Cut("x", 0.0, hand=((-30.0, 0.0), (-27.0, 0.0), (20.0, 0.0)))])
    assert "in each other's way" in str(joints[0].note)
    shell = m3.Manifold.cylinder(400, 70, 100, 96) - m3.Manifold.cylinder(396, 65, 95, 96).translate(
        (0, 0, 4)
    )
    # In walls of 5 mm printed pins would be of 2 mm and break: none are set; rods of metal hold.
    _, joints, keyed = made([Part(BODY, shell)], [Cut("z", 200.0)])
    assert joints[0].keys == () and "Dowel 3" in str(joints[0].note)
    _, joints, keyed = made([Part(BODY, shell)], [Cut("z", 200.0)], Keys(kind="dowel", stock="metal"))
    assert (
        len(joints[0].keys) >= 3
        and not joints[0].note
        and {k.form.size for k in joints[0].keys} <= {2.0, 1.5}
    )
    assert volume(keyed.sections) + keyed.taken_out == pytest.approx(shell.volume(), rel=1e-9)


# -- labels and the test piece
@pytest.mark.parametrize("gap", [{"clearance": 5.0}, {"end_gap": 20.0}])
def test_gaps_that_leave_nothing_of_a_key_are_told(gap):
    # An empty outline ends the library's triangulation, and the process with it; a prism that sinks is inside
    # out.
    assert prism(shapely.Polygon(), 0.0, 1.0).is_empty()
    assert prism(shapely.box(0, 0, 1, 1), 0.0, -1.0).is_empty()
    _, joints, keyed = made(
        [Part(BODY, PlateBase(200, 60, 8, 0).solid())], [Cut("x", 0.0)], Keys(kind="bowtie", size=10.0, **gap)
    )
    assert joints[0].keys == () and "leave nothing of a key" in str(joints[0].note) and keyed.taken_out == 0


def test_labels_are_readable_not_mirrored_and_printable():
    cutting, joints, _ = made(sign(), GRID, Keys(kind="dowel"))
    names = [s.name for s in cutting.sections]
    engraved = engrave(cutting.sections, joints, Labels(), 0.4)
    assert engraved.missing == [] and len(engraved.labels) == 14
    for label in engraved.labels:
        joint = joints[label.joint]
        assert label.text == f"{names[label.section]} {joint.letter}"
        # Thinnest stroke wider than the nozzle's line.
        assert label.height * STROKE >= 1.2 * 0.4 - 1e-9
        # Seen from outside the face the first letter is left of the last figure.
        side = -1 if label.section == joint.numbers[0] else 1
        right = joint.plane.right * -side
        solids = sorted(
            label.solid.decompose(), key=lambda s: (np.array(s.bounding_box()).reshape(2, 3) @ right).min()
        )
        first, last = solids[0], solids[-1]
        letter = names[label.section][0]
        holes = {"A": 1, "B": 2, "C": 0}[letter]
        assert first.genus() == holes and last.genus() == {"A": 1, "B": 2, "C": 0}[joint.letter]
        # Sunk into its own section only, clear of every socket.
        own = (
            with_keys(cutting, joints).sections[label.section].whole if label is engraved.labels[0] else None
        )
        if own is not None:
            shallow = label.solid ^ cutting.sections[label.section].whole
            assert shallow.volume() == pytest.approx(label.area.area * 0.4, rel=1e-6)
            assert (label.solid ^ own).volume() == pytest.approx(shallow.volume(), rel=1e-9)
    thin = made([Part(BODY, PlateBase(300, 100, 3, 0).solid())], [Cut("x", 0.0)])
    # On a thin face there is no room: they go on the back, mirrored as seen from above, so that they read
    # right from behind.
    behind = engrave(thin[0].sections, thin[1], Labels(), 0.4)
    assert behind.missing == [] and [e.back for e in behind.labels] == [True, True]
    for label in behind.labels:
        box = label.solid.bounding_box()
        assert box[2] < 0 < box[5] == pytest.approx(0.4)
        letters = sorted(label.solid.decompose(), key=lambda s: -s.bounding_box()[0])
        assert letters[0].genus() == {"A": 1, "B": 2}[label.text[0]] and letters[-1].genus() == 1
    poled = made(sign(), GRID[:1], Keys(kind="magnet"))
    signs = [e for e in engrave(poled[0].sections, poled[1], Labels(), 0.4).labels if len(e.text) == 1]
    poles = {(e.section, round(e.place[0], -1)): e.text for e in signs}
    # Poles that face one another are unlike, and both kinds face out of each section.
    assert len(poles) >= 4 and {t for (s, _), t in poles.items() if s == 0} == {"N", "S"}
    assert all(poles.get((1, u), "") != t for (s, u), t in poles.items() if s == 0)
    leaf = made([Part(BODY, PlateBase(300, 100, 1, 0).solid())], [Cut("x", 0.0)])
    assert len(engrave(leaf[0].sections, leaf[1], Labels(), 0.4).missing) == 2


def test_the_test_piece_has_the_stated_clearances():
    block, pin = trial_piece(6.0, 10.0)
    assert len(block.decompose()) == 1 and block.genus() >= 0 and pin.bounding_box()[5] == pytest.approx(18)
    circles = [shapely.Polygon(r) for r in block.slice(6.0).to_polygons()]
    radii = sorted(math.sqrt(c.area / (32 * math.sin(2 * math.pi / 64))) for c in circles if c.area < 100)
    assert radii == pytest.approx([3 + c for c in CLEARANCES], abs=1e-6)


def test_sections_are_written_with_their_keys_on():
    _, joints, keyed = made(sign(), GRID, Keys(kind="tenon"))
    filaments = {BODY: Filament("Chalk", "#ffffff"), "#26241f": Filament("Soot", "#26241f")}
    unit = section_unit(keyed.sections[joints[0].numbers[0]], filaments)
    assert unit.size[0] > 173.3 + joints[0].keys[0].form.depth - 1e-6
    assert isinstance(joints[0], Joint) and unit.outline.bounds[2] == pytest.approx(unit.size[0], abs=1e-3)


@pytest.mark.parametrize("key", ["tenon", "dowel"])
def test_the_clearance_holds_in_the_kit_that_was_written(key, tmp_path):
    """The kit's own 3MF, read by lib3mf and put together as its report says; 32-bit coordinates and six
    decimals included."""
    mesh = mesh_of(m3.Manifold.cube((300, 120, 30)))
    (tmp_path / "bar.stl").write_bytes(stl_bytes(mesh.vertices, mesh.triangles, "bar"))
    line = (
        f"split {tmp_path}/bar.stl -o {tmp_path}/kit --bed 235,235,250 --key {key} --clearance 0.25 --report"
        f" {tmp_path}/r.json"
    )
    assert main(line.split()) == 0
    report = json.loads((tmp_path / "r.json").read_text(encoding="utf-8"))
    read = read_3mf(kit_written(tmp_path / "kit")).bodies
    bodies = {
        b.name: m3.Manifold(m3.Mesh64(b.mesh.vertices, b.mesh.triangles.astype(np.uint64))) for b in read
    }
    home = {
        u["name"]: (bodies[u["pieces"][0]["name"]], np.array(u["assembled_at_mm"])) for u in report["units"]
    }
    near, far = (home[name][0].translate(tuple(home[name][1])) for name in report["joints"][0]["sections"])
    joint = report["joints"][0]
    at, normal = joint["at_mm"], joint["normal"]
    assert normal == [1, 0, 0] and (near ^ far).volume() < 1e-3
    if key == "tenon":
        moving = near.trim_by_plane((1, 0, 0), at + 0.3)
        assert moving.min_gap(far, 2.0) == pytest.approx(0.25, abs=0.01)
        return
    for k in joint["keys"]:
        rod = next(solid for name, (solid, _) in home.items() if name.startswith(f"Dowel {k['size_mm']:g} "))
        # It comes lying on its flat; its axis is half its width under the top.
        low, high = np.array(rod.bounding_box()[:3]), np.array(rod.bounding_box()[3:])
        middle = np.array([(low[0] + high[0]) / 2, (low[1] + high[1]) / 2, high[2] - k["size_mm"] / 2])
        lying = rod.translate(tuple(np.array(k["at_mm"]) - middle))
        assert lying.min_gap(near, 2.0) == pytest.approx(0.25, abs=0.01) and lying.min_gap(
            far, 2.0
        ) == pytest.approx(0.25, abs=0.01)
