"""3MF through lib3mf, the consortium's own library, with whole arrays instead of one object a vertex."""

from __future__ import annotations

import ctypes
import os
from collections.abc import Sequence
from pathlib import Path
from typing import Any, NamedTuple

import lib3mf
import numpy as np
from lib3mf import Lib3MF

from cutkey.core.colour.difference import rgb_of
from cutkey.core.errors import BadInput
from cutkey.core.formats._threemf import colours_of, get_geometry
from cutkey.core.geometry.mesh import Mesh, open_edges, signed_volume
from cutkey.core.kit.bed import Spot
from cutkey.core.kit.pictures import AT_AN_ANGLE, picture_of, png_of
from cutkey.core.model.printer import Printer
from cutkey.core.printing.bed_rows import bed_corner
from cutkey.core.printing.piece import PrintUnit

#: What lib3mf raises, also when a file cannot be written.
WriteError = Lib3MF.ELib3MFException
#: Size of the picture in the package, px.
THUMBNAIL = (256, 256)


class ReadBody(NamedTuple):
    """A mesh object as read back from a file."""

    name: str
    mesh: Mesh
    colour: str | None
    copies: int  # times it is built
    manifold: bool
    volume: float


class ReadFile(NamedTuple):
    """What an independent reader found in a 3MF file."""

    bodies: list[ReadBody]
    warnings: list[str]
    unit: str
    items: int


def bytes_3mf(title: str, units: Sequence[PrintUnit], spots: Sequence[Spot], printer: Printer) -> bytes:
    """Units as a 3MF package: core specification with base materials.

    One mesh object a piece, named after it, in the colour of its filament; the pieces of a section are the
    components of one object, so that they stay together; every unit is a build item at its place on its bed.

    Parameters
    ----------
    title : str
        Of the package.
    units : sequence of PrintUnit
        Each with its parts.
    spots : sequence of Spot
        Where each copy lies; its unit by number.
    printer : Printer
        Whose beds they lie on.
    """
    wrapper = lib3mf.get_wrapper()
    model = wrapper.CreateModel()
    model.SetUnit(Lib3MF.ModelUnit.MilliMeter)
    materials = model.AddBaseMaterialGroup()
    material_ids: dict[tuple[str, str], int] = {}
    objects = []
    for unit in units:
        meshes = []
        for piece in unit.pieces:
            key = (piece.filament.name, piece.filament.colour)
            if key not in material_ids:
                material_ids[key] = materials.AddMaterial(
                    piece.filament.name, wrapper.RGBAToColor(*rgb_of(piece.filament.colour), 255)
                )
            body = model.AddMeshObject()
            body.SetName(piece.name)
            _set_geometry(wrapper, body, piece.mesh)
            body.SetObjectLevelProperty(materials.GetUniqueResourceID(), material_ids[key])
            meshes.append(body)
        if len(meshes) == 1:
            objects.append(meshes[0])
            continue
        group = model.AddComponentsObject()
        group.SetName(unit.name)
        for body in meshes:
            group.AddComponent(body, wrapper.GetIdentityTransform())
        objects.append(group)
    for spot in spots:
        model.AddBuildItem(objects[spot.unit], _transform(_on_bed(spot, printer)))
    meta = model.GetMetaDataGroup()
    for name, value in (("Title", title), ("Application", "Cut Key")):
        meta.AddMetaData("", name, value, "xs:string", True)
    bodies = [
        (Mesh(unit.assembled(p.mesh.vertices), p.mesh.triangles), p.filament.colour)
        for unit in units
        if not unit.is_key
        for p in unit.pieces
    ]
    if bodies:
        picture = png_of(picture_of(bodies, THUMBNAIL, AT_AN_ANGLE).rgba)
        attachment = model.CreatePackageThumbnailAttachment()
        attachment.ReadFromBuffer((ctypes.c_uint8 * len(picture)).from_buffer_copy(picture))
    writer = model.QueryWriter("3mf")
    writer.SetDecimalPrecision(6)
    # The library ends the whole process where a disk is full: it writes to memory, and the file is ours to
    # write.
    handle = os.memfd_create("kit.3mf")
    try:
        writer.WriteToFile(f"/proc/self/fd/{handle}")
        with open(handle, "rb", closefd=False) as file:
            file.seek(0)
            return file.read()
    finally:
        os.close(handle)


def _on_bed(spot: Spot, printer: Printer) -> np.ndarray:
    """3 x 4 placement of a unit (lower corner at the origin) on its bed."""
    left, front = bed_corner(spot.load, printer.bed)
    c, s = np.cos(np.radians(spot.angle)), np.sin(np.radians(spot.angle))
    if spot.angle % 90 == 0:
        c, s = round(c), round(s)
    return np.array([[c, -s, 0, spot.x + left], [s, c, 0, spot.y + front], [0, 0, 1, 0]], float)


def _transform(m: np.ndarray) -> Any:
    t = Lib3MF.Transform()
    for row in range(3):
        for column in range(4):
            t.Fields[column][row] = float(m[row, column])
    return t


def _set_geometry(wrapper: Any, body: Any, mesh: Mesh) -> None:
    v = np.ascontiguousarray(mesh.vertices, np.float32)
    f = np.ascontiguousarray(mesh.triangles, np.uint32)
    wrapper.checkError(
        body,
        wrapper.lib.lib3mf_meshobject_setgeometry(
            body._handle,  # noqa: SLF001
            ctypes.c_uint64(len(v)),
            v.ctypes.data_as(ctypes.POINTER(Lib3MF.Position)),
            ctypes.c_uint64(len(f)),
            f.ctypes.data_as(ctypes.POINTER(Lib3MF.Triangle)),
        ),
    )


def read_3mf(path: Path, strict: bool = True) -> ReadFile:
    """Read a 3MF file as a stranger would: bodies, names, colours, warnings.

    Raises
    ------
    BadInput
        When the file cannot be read.
    """
    if path.stat().st_size == 0:
        raise BadInput(f"{path.name} is empty (0 bytes); export it again.")
    wrapper = lib3mf.get_wrapper()
    model = wrapper.CreateModel()
    reader = model.QueryReader("3mf")
    reader.SetStrictModeActive(strict)
    try:
        reader.ReadFromFile(str(path))
    except Lib3MF.ELib3MFException:
        raise BadInput(f"{path.name} is not a 3MF file that can be read; export it again.") from None
    warnings = [str(reader.GetWarning(i)) for i in range(reader.GetWarningCount())]
    colours = colours_of(model)
    counts, items = _build_counts(model)
    bodies = []
    meshes = model.GetMeshObjects()
    while meshes.MoveNext():
        body = meshes.GetCurrentMeshObject()
        mesh = get_geometry(wrapper, body)
        resource, number, has = body.GetObjectLevelProperty()
        volume = signed_volume(mesh)
        sound = bool(body.IsManifoldAndOriented()) and open_edges(mesh) == 0
        count = counts.get(body.GetUniqueResourceID(), 0)
        bodies.append(
            ReadBody(
                body.GetName(), mesh, colours.get((resource, number)) if has else None, count, sound, volume
            )
        )
    return ReadFile(bodies, warnings, _unit_name(model.GetUnit()), items)


def _unit_name(unit: Any) -> str:
    names = {
        "MicroMeter": "µm",
        "MilliMeter": "mm",
        "CentiMeter": "cm",
        "Inch": "inch",
        "Foot": "foot",
        "Meter": "m",
    }
    return names.get(Lib3MF.ModelUnit(unit).name, "mm")


def _build_counts(model: Any) -> tuple[dict[int, int], int]:
    """How often each object is built, components followed one level, and the number of build items."""
    counts: dict[int, int] = {}
    items = 0
    build = model.GetBuildItems()
    while build.MoveNext():
        items += 1
        resource = build.GetCurrent().GetObjectResource()
        if resource.IsComponentsObject():
            group = model.GetComponentsObjectByID(resource.GetUniqueResourceID())
            for i in range(group.GetComponentCount()):
                number = group.GetComponent(i).GetObjectResourceID()
                counts[number] = counts.get(number, 0) + 1
        else:
            number = resource.GetUniqueResourceID()
            counts[number] = counts.get(number, 0) + 1
    return counts, items
