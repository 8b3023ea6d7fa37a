"""What the window shows, as plain arrays: no solid and no shapely object crosses to the window's process.

Only shapes and names are here; what fills them is in the other modules of this package, which the window does
not load.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from cutkey.core.geometry.arrays import F32, I32
from cutkey.core.geometry.graphic import Measure
from cutkey.core.model.body_rule import BodyRule
from cutkey.core.model.frame import Frame
from cutkey.core.model.placement import Way
from cutkey.core.model.tracing import TraceSettings
from cutkey.core.model.ways import Kind, Light
from cutkey.core.words.kind import Words


class Rings(NamedTuple):
    """Polygons as rings: points, and where each ring begins."""

    points: NDArray[np.float64]  # (N, 2)
    first: I32  # (R + 1,)

    def rings(self) -> list[NDArray[np.float64]]:
        """Points of each ring."""
        return [self.points[a:b] for a, b in zip(self.first[:-1], self.first[1:], strict=True)]


class PictureView(NamedTuple):
    """The picture under a traced graphic, and how the trace came about."""

    pixels: NDArray[np.uint8]  # (H, W, 3) as prepared
    to_fractions: NDArray[np.float64]  # (3, 3) from pixels to fractions of the opened picture
    original_size: tuple[int, int]
    background: str | None
    noise: float
    threshold: float | None
    thresholds: tuple[float, ...]
    histogram: NDArray[np.int64]
    why: Words | None
    specks: F32  # (S, 3) middle and radius, mm
    curves: int  # lines, arcs and curves of all boundaries


class CurvesView(NamedTuple):
    """The curves that the boundaries of a graphic are made of, mm, y up."""

    control: NDArray[np.float64]  # (S, 4, 2)
    kind: NDArray[np.int8]  # (S,) of `geometry.pieces`


class InlayView(NamedTuple):
    """A loose inlay in its pocket."""

    number: int
    name: str
    colour: str
    mesh: MeshView
    out: tuple[float, float, float]  # the way it is taken out
    place: tuple[float, float, float]  # middle of its face


class LayerArea(NamedTuple):
    """What a filament prints of a layer."""

    filament: str
    colour: str
    rings: Rings  # mm, y up
    area: float  # mm2


class LayerView(NamedTuple):
    """A layer of the design."""

    number: int  # from 1
    layers: int  # in all
    top: float  # mm
    areas: list[LayerArea]
    caps: list[tuple[str, MeshView]]  # colours and flat meshes that close what is cut there
    gaps: Rings  # between colours
    widest: float  # of these, mm
    looked: bool = True  # for gaps
    face_down: bool = False


class WayView(NamedTuple):
    """A way of tracing a picture, and what would come of it."""

    id: str  # of its offer
    preview: NDArray[np.uint8]  # (h, w, 4), clear where nothing is left
    explained: float  # share of the picture's variance, 0 to 1
    colours: int
    pieces: int
    thin: int  # pieces nowhere as wide as a printed line


class FirstView(NamedTuple):
    """How a picture that was just opened is traced."""

    trace: TraceSettings
    kind: Kind
    light: Light  # what it did to it
    way: str  # id of the way that was taken
    sheet: str | None  # that was squared up: its name, "" for one that is not known
    width_mm: float | None  # that the sheet tells


class WaysView(NamedTuple):
    """What kind of picture a graphic has, and the ways that suit it, the best first."""

    kind: Kind
    looks: tuple[int, int]  # so many tell that kind, of so many
    light: Light  # what it did to it
    ways: list[WayView]
    sheet: TraceSettings | None = None  # how a sheet in it is squared up and traced


class OffView(NamedTuple):
    """How far the trace lies from the picture, mm."""

    mean: float
    most95: float
    most: float
    worst: tuple[float, float]
    places: F32  # (N, 2)
    offs: F32  # (N,)
    steps: float  # share of the boundary that is a staircase of about a pixel a step


class GraphicView(NamedTuple):
    """A graphic on the light table; regions in mm about the middle, y up."""

    id: str
    regions: list[tuple[str, Rings]]
    measures: list[Measure]
    size: tuple[float, float]  # mm, after edits
    px_per_mm: float
    middle_px: tuple[float, float]
    picture: PictureView | None  # None for a vector drawing
    off: OffView | None  # None for a drawing and for a draft
    thin: Rings  # necks and slits narrower than the nozzle
    notes: tuple[Words, ...]
    open_lines: list[NDArray[np.float64]]
    draft: bool
    frame: Frame | None = None  # what mm mean in it
    stated_mm: float | None = None  # the width that a drawing states of itself
    width_mm: float = 0.0  # the width that the job gave it


class FaceView(NamedTuple):
    """The plane of a face of the bare body."""

    middle: NDArray[np.float64]
    right: NDArray[np.float64]
    up: NDArray[np.float64]
    flat: bool  # a face of its own, not a facet of a curve
    free: tuple[float, float]  # where a graphic goes that is laid on it: its middle, if that is no hole, mm


class SectionLine(NamedTuple):
    """A line across the plane of a placed graphic that a section is taken along.

    A place on it, mm, and its direction, degrees.
    """

    placement: str
    x: float
    y: float
    angle: float


class MeshView(NamedTuple):
    """A mesh to draw."""

    vertices: F32
    triangles: I32
    edges: I32  # (E, 2) visible edges
    light: tuple[F32, I32] | None  # stand-in
    box: F32  # (2, 3) low and high corner, mm


class AddOnView(NamedTuple):
    """An add-on that has a place of its own, on its face of the bare body."""

    id: str
    origin: NDArray[np.float64]
    right: NDArray[np.float64]
    up: NDArray[np.float64]
    normal: NDArray[np.float64]
    outline: Rings  # of the face
    figure: Rings  # what it covers, about its place, not turned
    # how far right of the face's middle the model's mid-plane lies, mm: a pair is mirrored there
    middle: float


class ModelBodyView(NamedTuple):
    """One of several bodies of an opened model."""

    name: str
    rule: BodyRule  # what was decided about it
    shown: str  # colour that the file or the maker gave it, "" for none
    size: tuple[float, float, float]
    mesh: MeshView


class BodyView(NamedTuple):
    """The model before graphics are laid on it."""

    mesh: MeshView
    size: tuple[float, float, float]
    done: tuple[Words, ...] = ()  # what was wrong with it and what was done
    closed: tuple[NDArray[np.float64], ...] = ()  # rims of holes that were closed
    addons: tuple[AddOnView, ...] = ()
    bodies: tuple[ModelBodyView, ...] = ()  # of an opened model that has more than one
    known: tuple[BodyRule, ...] = ()  # by which the bodies of an opened model are found again in another


class OpenModelView(NamedTuple):
    """A model that is not watertight, as it is, and the rims of its holes."""

    mesh: MeshView
    rims: list[NDArray[np.float64]]  # (N, 3) each


class SurfaceGrid(NamedTuple):
    """Places of a curved surface over a grid of its plane."""

    x: NDArray[np.float64]  # (N,)
    y: NDArray[np.float64]  # (M,)
    places: NDArray[np.float64]  # (M, N, 3)


class PlacedView(NamedTuple):
    """The surface a graphic lies on."""

    placement: str
    origin: NDArray[np.float64]
    right: NDArray[np.float64]
    up: NDArray[np.float64]
    normal: NDArray[np.float64]
    outline: Rings
    floor: float  # mm of material behind the middle of the graphic, before it was placed
    section: list[tuple[str, Rings]]  # filament colour; cut through the middle, x along the face, y out of it
    way: Way
    grid: SurfaceGrid | None  # of a curved surface
    clear: Rings | None = None  # what is left of the face when its margin is kept
    rim: float = 0.0  # how high the bare model stands over the place's plane, mm: what "level" reaches
    middle: float = 0.0  # how far right of the place's middle the model's mid-plane lies, mm


class SectionView(NamedTuple):
    """A cut through the design along a line."""

    line: SectionLine
    floor: float  # mm of material behind the line's place, before the graphic was placed
    section: list[tuple[str, Rings]]  # filament colour; x along the line from its place, y out of the face


class DesignView(NamedTuple):
    """The uncut design by colour, and the faces in use."""

    parts: list[tuple[str, str, MeshView]]  # colour, filament colour, mesh
    placed: list[PlacedView]
    size: tuple[float, float, float]
    volume: float
