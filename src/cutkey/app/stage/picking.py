"""Finding the place on a body under the mouse."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any, NamedTuple, cast

import numpy as np
from numpy.typing import NDArray

from cutkey.app.stage.camera import Camera
from cutkey.app.stage.item import Item
from cutkey.worker.shown import MeshView

if TYPE_CHECKING:
    from vtkmodules.vtkCommonDataModel import vtkStaticCellLocator


class Hit(NamedTuple):
    """What the line of sight meets first."""

    key: str
    point: NDArray[np.float64]
    normal: NDArray[np.float64]
    named: bool = False  # a side was chosen by its name; nothing was clicked


class Picker:
    """One search tree a mesh, built when first asked."""

    def __init__(self) -> None:
        self._trees: dict[str, tuple[MeshView, vtkStaticCellLocator]] = {}

    def pick(
        self, items: Sequence[Item], camera: Camera, x: float, y: float, width: float, height: float
    ) -> Hit | None:
        """The nearest place of the items under a widget place."""
        from vtkmodules.vtkCommonCore import reference

        start, direction = camera.ray(x, y, width, height)
        best: tuple[float, Hit] | None = None
        for item in items:
            tree = self._tree(item)
            shift = np.array(item.shift)
            a, b = start - direction * 5000 - shift, start + direction * 5000 - shift
            # VTK gives these back by reference.
            t, sub, cell = (cast(Any, reference(v)) for v in (0.0, 0, 0))
            where, coordinates = [0.0] * 3, [0.0] * 3
            if tree.IntersectWithLine(a.tolist(), b.tolist(), 1e-9, t, where, coordinates, sub, cell) and (
                best is None or float(t) < best[0]
            ):
                corners = item.mesh.vertices[item.mesh.triangles[int(cell)]].astype(float)
                normal = np.cross(corners[1] - corners[0], corners[2] - corners[0])
                normal /= max(float(np.linalg.norm(normal)), 1e-12)
                best = float(t), Hit(item.key, np.array(where) + shift, normal)
        return best[1] if best else None

    def _tree(self, item: Item) -> vtkStaticCellLocator:
        kept = self._trees.get(item.key)
        if kept is None or kept[0] is not item.mesh:
            from vtkmodules.vtkCommonDataModel import vtkStaticCellLocator

            from cutkey.app.stage.scene import polydata

            tree = vtkStaticCellLocator()
            tree.SetDataSet(polydata(item.mesh.vertices, item.mesh.triangles, 3))
            tree.BuildLocator()
            kept = self._trees[item.key] = item.mesh, tree
        return kept[1]
