"""The bodies on the stage, drawn by VTK off screen."""

from __future__ import annotations

import math
import time
from collections.abc import Iterator, Sequence
from typing import Any

import cv2
import numpy as np
import vtkmodules.vtkRenderingOpenGL2  # noqa: F401  (registers the OpenGL classes)
from PySide6.QtGui import QColor
from vtkmodules.util.numpy_support import numpy_to_vtk, vtk_to_numpy
from vtkmodules.vtkCommonCore import vtkPoints, vtkUnsignedCharArray
from vtkmodules.vtkCommonDataModel import vtkCellArray, vtkPlane, vtkPolyData
from vtkmodules.vtkRenderingCore import vtkActor, vtkLight, vtkPolyDataMapper, vtkRenderer

from cutkey.app.stage.camera import Camera
from cutkey.app.stage.item import Item
from cutkey.app.stage.render_window import render_window
from cutkey.app.theme import theme
from cutkey.worker.shown import MeshView

#: Render buffers grow in steps of this many px; growing them is slow.
GROWTH = 256
#: The still picture is drawn this much larger and averaged, in so many bands.
OVER, BANDS = 2, 6
#: A band that takes longer, s, is drawn in two the next time, down to so many.
LONG, MOST_BANDS = 0.035, 24
#: How far off the eye stands, mm; the projection is parallel.
FAR = 1000.0
#: Width of feature edges, px.
EDGE = 1.15


class _Drawn:
    """The actors of one mesh."""

    def __init__(self, mesh: MeshView) -> None:
        self.mesh = mesh
        self.face = _actor(polydata(mesh.vertices, mesh.triangles, 3))
        self.light = _actor(polydata(*mesh.light, 3)) if mesh.light else None
        self.edge = _actor(polydata(mesh.vertices, mesh.edges, 2)) if len(mesh.edges) else None

    def actors(self) -> list[vtkActor]:
        return [a for a in (self.face, self.light, self.edge) if a is not None]


class Scene:
    """A render window that is never shown.

    Raises
    ------
    NoGraphics
        When this machine cannot draw.
    """

    def __init__(self) -> None:
        self._window = render_window()
        self._renderer = vtkRenderer()
        self._window.AddRenderer(self._renderer)
        self._renderer.SetBackground(0, 0, 0)
        self._renderer.AutomaticLightCreationOff()
        # Fixed lights: top faces light, two sides told apart, as shaded drawings are.
        for direction, strength in (
            ((0.12, -0.2, 1.0), 0.74),
            ((-0.8, -0.55, 0.2), 0.36),
            ((0.9, 0.6, 0.05), 0.2),
            ((0, 0, -1), 0.3),
        ):
            light = vtkLight()
            light.SetLightTypeToSceneLight()
            light.SetPosition(*direction)
            light.SetFocalPoint(0, 0, 0)
            light.SetIntensity(strength)
            light.PositionalOff()
            self._renderer.AddLight(light)
        self._drawn: dict[str, _Drawn] = {}
        self._buffer = (0, 0)
        self._bands = BANDS
        self._pixels = vtkUnsignedCharArray()

    def set_items(self, items: Sequence[Item]) -> None:
        """Show these bodies; meshes that were there before keep their buffers."""
        wanted = {i.key for i in items}
        for key in [k for k in self._drawn if k not in wanted]:
            self._drop(key)
        for item in items:
            drawn = self._drawn.get(item.key)
            if drawn is None or drawn.mesh is not item.mesh:
                if drawn is not None:
                    self._drop(item.key)
                drawn = self._drawn[item.key] = _Drawn(item.mesh)
                for actor in drawn.actors():
                    self._renderer.AddActor(actor)
            _dress(drawn, item)

    def _drop(self, key: str) -> None:
        for actor in self._drawn.pop(key).actors():
            self._renderer.RemoveActor(actor)

    def render(self, camera: Camera, width: int, height: int, ratio: float, quick: bool) -> np.ndarray:
        """The picture, (height, width, 4) uint8, top row first.

        Parameters
        ----------
        camera : Camera
            In widget px; `width` and `height` are rendered px, `ratio` rendered px to a widget px.
        quick : bool
            While the mouse moves: stand-ins for large meshes.
        """
        size = tuple(-(-v // GROWTH) * GROWTH for v in (width, height))
        if size[0] > self._buffer[0] or size[1] > self._buffer[1]:
            self._buffer = max(size[0], self._buffer[0]), max(size[1], self._buffer[1])
            self._window.SetSize(*self._buffer)
        bw, bh = self._buffer
        self._renderer.SetViewport(0, 0, width / bw, height / bh)
        for drawn in self._drawn.values():
            if drawn.light is not None:
                drawn.face.SetVisibility(not quick)
                drawn.light.SetVisibility(quick)
            if drawn.edge is not None:
                drawn.edge.GetProperty().SetLineWidth(EDGE * ratio)
        # The ground is filled in below, so that the bands of one picture do not show.
        self._renderer.SetBackgroundAlpha(0.0)
        self._aim(camera, height, ratio)
        self._window.Render()
        self._window.GetRGBACharPixelData(0, 0, width - 1, height - 1, 0, self._pixels)
        return np.asarray(vtk_to_numpy(self._pixels).reshape(height, width, 4)[::-1])

    def bands(self, camera: Camera, width: int, height: int, ratio: float) -> Iterator[np.ndarray]:
        """The full picture with smooth edges, a band at a time from the top.

        So nobody waits for the whole.

        Each band is drawn `OVER` times as large in both directions and averaged; (h, width, 4) uint8.
        """
        _, up, _ = camera.axes()
        top = 0
        while top < height:
            h = min(-(-height // self._bands), height - top)
            begun = time.perf_counter()
            middle = (height / 2 - (top + h / 2)) / ratio * camera.mm_per_px
            x, y, z = (float(v) for v in np.array(camera.target) + up * middle)
            large = self.render(
                camera._replace(target=(x, y, z)), width * OVER, h * OVER, ratio * OVER, quick=False
            )
            # As many as keep each of them short on this machine.
            took = time.perf_counter() - begun
            if took > LONG and self._bands < MOST_BANDS:
                self._bands *= 2
            top += h
            yield np.asarray(
                cv2.resize(np.ascontiguousarray(large), (width, h), interpolation=cv2.INTER_AREA)
            )

    def _aim(self, camera: Camera, height: int, ratio: float) -> None:
        _, up, eye = camera.axes()
        target = np.array(camera.target)
        c = self._renderer.GetActiveCamera()
        c.ParallelProjectionOn()
        c.SetFocalPoint(*target)
        c.SetPosition(*(target + eye * FAR))
        c.SetViewUp(*up)
        c.SetParallelScale(height / ratio * camera.mm_per_px / 2)
        c.SetClippingRange(*self._depths(target + eye * FAR, -eye))

    def _depths(self, eye: np.ndarray, ahead: np.ndarray) -> tuple[float, float]:
        """How near and far there is something to draw.

        The library would look at every point, and hold the window meanwhile.
        """
        shown = [(d.mesh.box, d.face.GetPosition()) for d in self._drawn.values() if len(d.mesh.vertices)]
        if not shown:
            return 1.0, 2 * FAR
        boxes = np.array([box + np.array(shift) for box, shift in shown])
        # The nearest and farthest corner of each box, a term an axis.
        terms = (boxes - eye) * ahead
        near, far = float(terms.min(1).sum(1).min()), float(terms.max(1).sum(1).max())
        room = 1.0 + 0.01 * (far - near)
        return near - room, far + room


def blue_first(rgba: np.ndarray) -> np.ndarray:
    """A picture in the order of the window's own pixels: Qt need not turn them over at every painting."""
    return np.asarray(cv2.cvtColor(np.ascontiguousarray(rgba), cv2.COLOR_RGBA2BGRA))


def polydata(vertices: np.ndarray, cells: np.ndarray, corners: int) -> vtkPolyData:
    """Data of the library from points (N, 3) and cells (M, corners).

    Arrays of float32 and int32 are used where they are: copying half a million triangles would hold the
    window's thread. Whoever asks keeps them as long as the data.
    """
    data = vtkPolyData()
    points = vtkPoints()
    points.SetData(_data_array(vertices, np.float32))
    data.SetPoints(points)
    array = vtkCellArray()
    array.SetData(corners, _data_array(cells.reshape(-1), np.int32))
    if corners == 3:
        data.SetPolys(array)
    else:
        data.SetLines(array)
    return data


def _data_array(values: np.ndarray, kind: type[np.generic]) -> Any:
    fitting = np.ascontiguousarray(values, kind)
    return numpy_to_vtk(fitting, deep=not np.may_share_memory(fitting, values))


def _actor(data: vtkPolyData) -> vtkActor:
    mapper = vtkPolyDataMapper()
    mapper.SetInputData(data)
    mapper.ScalarVisibilityOff()
    actor = vtkActor()
    actor.SetMapper(mapper)
    actor.PickableOff()
    return actor


def _dress(drawn: _Drawn, item: Item) -> None:
    colour = QColor(item.colour)
    for actor in (drawn.face, drawn.light):
        if actor is None:
            continue
        actor.SetPosition(*item.shift)
        p = actor.GetProperty()
        p.SetColor(colour.redF(), colour.greenF(), colour.blueF())
        p.SetInterpolationToFlat()
        p.SetAmbient(0.4)
        p.SetDiffuse(0.78)
        p.SetSpecular(0)
        p.SetOpacity(item.opacity)
        actor.GetMapper().SetResolveCoincidentTopologyToPolygonOffset()
    for actor in drawn.actors():
        mapper = actor.GetMapper()
        mapper.RemoveAllClippingPlanes()
        if item.under < math.inf:
            mapper.AddClippingPlane(vtkPlane(origin=(0.0, 0.0, item.under), normal=(0.0, 0.0, -1.0)))
        if item.over > -math.inf:
            mapper.AddClippingPlane(vtkPlane(origin=(0.0, 0.0, item.over), normal=(0.0, 0.0, 1.0)))
    drawn.face.SetVisibility(True)
    if drawn.light is not None:
        drawn.light.SetVisibility(False)
    if drawn.edge is not None:
        ink = theme.colour("ink")
        dark = colour.lightnessF() < 0.25 and theme.name == "paper"
        drawn.edge.SetPosition(*item.shift)
        drawn.edge.SetVisibility(item.edges)
        p = drawn.edge.GetProperty()
        # On nearly black filament the ink would not show.
        p.SetColor(*((0.45, 0.45, 0.43) if dark else (ink.redF(), ink.greenF(), ink.blueF())))
        p.SetLighting(False)
        p.SetOpacity(item.opacity)
