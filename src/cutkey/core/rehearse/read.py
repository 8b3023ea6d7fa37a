"""A 3MF read as a stranger reads it.

The XML itself, by the core specification (3MF Core 1.3), without the library that writes it.
"""

from __future__ import annotations

import posixpath
import xml.parsers.expat
from collections.abc import Iterator, Sequence
from typing import NamedTuple

import numpy as np

from cutkey.core.errors import BadInput
from cutkey.core.geometry.arrays import Float, Int
from cutkey.core.limits import reading, unpacked

_UNITS = {
    "micron": 0.001,
    "millimeter": 1.0,
    "centimeter": 10.0,
    "inch": 25.4,
    "foot": 304.8,
    "meter": 1000.0,
}
_MODEL_TYPE = "http://schemas.microsoft.com/3dmanufacturing/2013/01/3dmodel"
#: Components within components, and bodies in all.
_DEEP, _MOST = 32, 20_000
_NONE = "is no 3MF that can be read; export it again."


class Body(NamedTuple):
    """A mesh where the build puts it."""

    name: str
    item: int  # number of the build item that it belongs to, from 0
    unit: str  # name of what is built: of the item's object
    filament: str
    colour: str  # "#rrggbb", or ""
    vertices: Float  # (N, 3), mm
    triangles: Int  # (T, 3)


class _Object:
    def __init__(self, name: str, pid: str, index: int) -> None:
        self.name, self.pid, self.index = name, pid, index
        self.vertices: list[tuple[str, str, str]] = []
        self.triangles: list[tuple[str, str, str]] = []
        self.components: list[tuple[str, Float]] = []


class _Model:
    """What the XML of a model part says."""

    def __init__(self) -> None:
        self.scale = 1.0
        self.objects: dict[str, _Object] = {}
        self.materials: dict[str, list[tuple[str, str]]] = {}  # by group: name and colour
        self.items: list[tuple[str, Float]] = []
        self._now: _Object | None = None
        self._group: list[tuple[str, str]] = []

    def begin(self, tag: str, a: dict[str, str]) -> None:
        """An element begins; names are without their prefixes."""
        tag = tag.rpartition(":")[2]
        if tag == "vertex" and self._now is not None:
            self._now.vertices.append((a["x"], a["y"], a["z"]))
        elif tag == "triangle" and self._now is not None:
            self._now.triangles.append((a["v1"], a["v2"], a["v3"]))
        elif tag == "object":
            self._now = self.objects[a["id"]] = _Object(
                a.get("name", ""), a.get("pid", ""), int(a.get("pindex", "0"))
            )
        elif tag == "component" and self._now is not None:
            self._now.components.append((a["objectid"], _matrix(a.get("transform", ""))))
        elif tag in ("basematerials", "colorgroup"):
            self._group = self.materials.setdefault(a["id"], [])
        elif tag == "base":
            self._group.append((a.get("name", ""), a.get("displaycolor", "")[:7].lower()))
        elif tag == "color":
            self._group.append(("", a.get("color", "")[:7].lower()))
        elif tag == "item":
            self.items.append((a["objectid"], _matrix(a.get("transform", ""))))
        elif tag == "model":
            self.scale = _UNITS[a.get("unit", "millimeter")]


def _matrix(text: str) -> Float:
    """(4, 3) of a transform as it is written: row vectors times the matrix."""
    if not text:
        return np.eye(4)[:, :3]
    return np.array(text.split(), float).reshape(4, 3)


def read_print(data: bytes, name: str) -> list[Body]:
    """All bodies of a 3MF in the places of its build, mm.

    Parameters
    ----------
    data : bytes
        Of the file.
    name : str
        Of the file, for what is said.

    Raises
    ------
    BadInput
        When it is no 3MF, damaged, or builds nothing.
    """
    with reading(name):
        try:
            parts = unpacked(data, name, _NONE)
            model = _parsed(parts[_model_part(parts["_rels/.rels"], name)], name)
            bodies = [
                body for n, (ref, m) in enumerate(model.items) for body in _placed(model, ref, m, n, "", 0)
            ]
        except (xml.parsers.expat.ExpatError, KeyError, ValueError):
            raise BadInput(f"{name} {_NONE}") from None
        if not bodies:
            raise BadInput(f"{name} builds nothing; export it again with a body on the bed.")
        return bodies


def _model_part(relations: bytes, name: str) -> str:
    """The part that the package starts with."""
    found: list[str] = []

    def begin(tag: str, a: dict[str, str]) -> None:
        if tag.rpartition(":")[2] == "Relationship" and a.get("Type") == _MODEL_TYPE:
            found.append(a.get("Target", ""))

    parser = xml.parsers.expat.ParserCreate()
    parser.StartElementHandler = begin
    parser.Parse(relations, True)
    if not found:
        raise BadInput(f"{name} {_NONE}")
    return posixpath.normpath(found[0]).lstrip("/")


def _parsed(text: bytes, name: str) -> _Model:
    model = _Model()
    parser = xml.parsers.expat.ParserCreate()
    parser.StartElementHandler = model.begin

    def refuse(*_: object) -> None:
        raise BadInput(f"{name} declares entities, which a 3MF does not have; export it again.")

    parser.EntityDeclHandler = refuse
    parser.Parse(text, True)
    return model


def _placed(model: _Model, ref: str, matrix: Float, item: int, unit: str, deep: int) -> Iterator[Body]:
    """The meshes of an object and of its components, in place."""
    thing = model.objects[ref]
    unit = unit or thing.name
    if deep > _DEEP:
        raise ValueError("components nested too deeply")
    if thing.triangles:
        vertices = np.array(thing.vertices, float)
        triangles = np.array(thing.triangles, np.int64)
        if triangles.min() < 0 or triangles.max() >= len(vertices):
            raise ValueError("a triangle without its vertex")
        material, colour = (model.materials.get(thing.pid) or [("", "")])[thing.index : thing.index + 1][0]
        placed = (vertices @ matrix[:3] + matrix[3]) * model.scale
        if np.linalg.det(matrix[:3]) < 0:
            triangles = triangles[:, ::-1]
        yield Body(thing.name, item, unit, material or colour, colour, placed, triangles)
    for inner, own in thing.components:
        whole = np.vstack([own[:3] @ matrix[:3], own[3] @ matrix[:3] + matrix[3]])
        yield from _placed(model, inner, whole, item, unit, deep + 1)


def beds_of(bodies: Sequence[Body], bed: tuple[float, float]) -> list[list[Body]]:
    """Bodies by the bed that they lie on, row by row.

    Beds stand beside and behind each other, each 1.2 times the size of a bed from the next.

    Parameters
    ----------
    bodies : sequence of Body
    bed : (float, float)
        Width and depth of a bed, mm.
    """
    boxes: dict[int, tuple[Float, Float]] = {}
    for body in bodies:
        low, high = body.vertices[:, :2].min(0), body.vertices[:, :2].max(0)
        a, b = boxes.get(body.item, (low, high))
        boxes[body.item] = np.minimum(a, low), np.maximum(b, high)
    lows, highs = (np.array([box[k] for box in boxes.values()]) for k in (0, 1))
    if (highs.max(0) - lows.min(0) <= np.array(bed)).all():
        return [list(bodies)]
    # Where nothing lies left of the first bed, or in front of it, the beds begin at 0.
    start = np.minimum(0.0, lows.min(0))
    of = {
        item: tuple(reversed(((low + high) / 2 - start) // (1.2 * np.array(bed)).astype(float)))
        for item, (low, high) in boxes.items()
    }
    return [[b for b in bodies if of[b.item] == n] for n in sorted(set(of.values()))]
