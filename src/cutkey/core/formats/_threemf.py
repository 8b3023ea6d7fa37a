"""Reading 3MF models: objects with their components, transforms, units and colours."""

from __future__ import annotations

import ctypes
from typing import Any, NamedTuple

import numpy as np
from lib3mf import Lib3MF
from numpy.typing import NDArray

from cutkey.core.errors import BadInput
from cutkey.core.geometry.mesh import Mesh
from cutkey.core.words import reading as say
from cutkey.core.words.kind import Words

#: Millimetres in a unit of the 3MF core specification (section 3.4).
_MM = {
    "MicroMeter": 0.001,
    "MilliMeter": 1.0,
    "CentiMeter": 10.0,
    "Inch": 25.4,
    "Foot": 304.8,
    "Meter": 1000.0,
}
_DEEPEST = 32
#: More objects than this are no model any more.
MOST_OBJECTS = 2000


class Object3MF(NamedTuple):
    """An object as it is built, mm."""

    name: str
    mesh: Mesh
    colour: str  # "" when it has none
    item: int = 0  # number of the build item it belongs to


class File3MF(NamedTuple):
    """What a 3MF file builds."""

    objects: list[Object3MF]
    unit: str
    notes: tuple[Words, ...]


def get_geometry(wrapper: Any, body: Any) -> Mesh:
    """Mesh of a 3MF mesh object, in the file's unit; whole arrays at once."""
    v = np.empty((body.GetVertexCount(), 3), np.float32)
    f = np.empty((body.GetTriangleCount(), 3), np.uint32)
    need = ctypes.c_uint64()
    position, triangle = ctypes.POINTER(Lib3MF.Position), ctypes.POINTER(Lib3MF.Triangle)
    lib, handle = wrapper.lib, body._handle  # noqa: SLF001
    wrapper.checkError(
        body,
        lib.lib3mf_meshobject_getvertices(handle, ctypes.c_uint64(len(v)), need, v.ctypes.data_as(position)),
    )
    wrapper.checkError(
        body,
        lib.lib3mf_meshobject_gettriangleindices(
            handle, ctypes.c_uint64(len(f)), need, f.ctypes.data_as(triangle)
        ),
    )
    return Mesh(v.astype(float), f.astype(np.int64))


def colours_of(model: Any) -> dict[tuple[int, int], str]:
    """Colours of a model's material and colour groups by resource and property number."""
    found: dict[tuple[int, int], str] = {}
    groups = model.GetBaseMaterialGroups()
    while groups.MoveNext():
        group = groups.GetCurrentBaseMaterialGroup()
        for number in group.GetAllPropertyIDs():
            found[group.GetUniqueResourceID(), number] = _hex(group.GetDisplayColor(number))
    groups = model.GetColorGroups()
    while groups.MoveNext():
        group = groups.GetCurrentColorGroup()
        for number in group.GetAllPropertyIDs():
            found[group.GetUniqueResourceID(), number] = _hex(group.GetColor(number))
    return found


def _hex(c: Any) -> str:
    return f"#{c.Red:02x}{c.Green:02x}{c.Blue:02x}"


def _matrix(transform: Any) -> NDArray[np.float64]:
    """4 x 3 matrix by which row vectors (x, y, z, 1) are multiplied."""
    return np.array([[transform.Fields[r][c] for c in range(3)] for r in range(4)], float)


def _opened(data: bytes, name: str) -> tuple[Any, Any, bool]:
    """The library, its model of a file, and whether the file keeps to the standard."""
    import lib3mf

    if not data:
        raise BadInput(f"{name} is empty (0 bytes); export it again.")
    wrapper = lib3mf.get_wrapper()
    for strict in (True, False):
        # After a failure a new model: the old one may hold half of the file.
        model = wrapper.CreateModel()
        reader = model.QueryReader("3mf")
        reader.SetStrictModeActive(strict)
        try:
            reader.ReadFromBuffer(np.frombuffer(data, np.uint8))
        except Lib3MF.ELib3MFException:
            continue
        return wrapper, model, strict
    raise BadInput(f"{name} is not a 3MF file that can be read; export it again.")


def read_3mf_model(data: bytes, name: str) -> File3MF:
    """Objects of a 3MF file, in place.

    Raises
    ------
    BadInput
        When the file cannot be read.
    """
    wrapper, model, strict = _opened(data, name)
    notes = [] if strict else [say.lenient()]
    unit = Lib3MF.ModelUnit(model.GetUnit()).name
    scale = _MM.get(unit, 1.0)
    colours = colours_of(model)
    objects: list[Object3MF] = []
    left_out = False
    number_of_item = 0

    def walk(resource: Any, matrix: NDArray[np.float64], depth: int) -> None:
        nonlocal left_out
        if depth > _DEEPEST:
            raise BadInput(f"{name} has objects inside objects without end; export it again.")
        if len(objects) > MOST_OBJECTS:
            raise BadInput(
                f"{name} builds more than {MOST_OBJECTS} objects; take it apart into several files."
            )
        if resource.IsComponentsObject():
            group = model.GetComponentsObjectByID(resource.GetUniqueResourceID())
            for i in range(group.GetComponentCount()):
                part = group.GetComponent(i)
                own = _matrix(part.GetTransform()) if part.HasTransform() else _UNMOVED
                # Row vectors: first the component's own transform, then what it stands in.
                inner = np.vstack([own[:3] @ matrix[:3], own[3:] @ matrix[:3] + matrix[3:]])
                walk(part.GetObjectResource(), inner, depth + 1)
        elif resource.IsMeshObject():
            body = model.GetMeshObjectByID(resource.GetUniqueResourceID())
            mesh = get_geometry(wrapper, body)
            if len(mesh.triangles) == 0:
                return
            place = mesh.vertices @ matrix[:3] + matrix[3]
            turned = np.linalg.det(matrix[:3]) < 0
            triangles = mesh.triangles[:, ::-1] if turned else mesh.triangles
            resource_id, number, has = body.GetObjectLevelProperty()
            left_out |= not has and bool(colours)
            colour = colours.get((resource_id, number), "") if has else ""
            objects.append(Object3MF(body.GetName(), Mesh(place * scale, triangles), colour, number_of_item))

    build = model.GetBuildItems()
    while build.MoveNext():
        item = build.GetCurrent()
        number_of_item += 1
        walk(
            item.GetObjectResource(),
            _matrix(item.GetObjectTransform()) if item.HasObjectTransform() else _UNMOVED,
            0,
        )
    if left_out:
        notes.append(say.painted_triangles())
    return File3MF(objects, unit, tuple(notes))


_UNMOVED = np.vstack([np.eye(3), np.zeros((1, 3))])
