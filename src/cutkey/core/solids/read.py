"""Opening models: which reader, which unit, a sound solid or a clear sentence."""

from __future__ import annotations

from typing import NamedTuple

import manifold3d as m3
import numpy as np

from cutkey.core.errors import BadInput
from cutkey.core.formats import read_shapes
from cutkey.core.geometry.mesh import Mesh, open_edges
from cutkey.core.geometry.shells import bodies_of, shells_of, surfaces_lost
from cutkey.core.geometry.solid import Solid, as_one, mesh_of, solid_as_is, solid_of
from cutkey.core.solids.crossing import crossing_of, rebuilt
from cutkey.core.solids.repair import Mended, mend
from cutkey.core.units import MM_PER, Unit, format_size
from cutkey.core.words import reading as say
from cutkey.core.words.kind import Words

#: A model smaller or larger than this (mm) was most likely not made in millimetres.
SMALLEST, LARGEST = 10.0, 2000.0
_NAMES: dict[str, str] = {"inch": "inches", "cm": "centimetres", "m": "metres"}


class Piece(NamedTuple):
    """A solid of a model; `colour` is "" where the file gives none."""

    colour: str
    solid: Solid


class Model(NamedTuple):
    """A model as read."""

    solid: Solid
    mesh: Mesh
    size: tuple[float, float, float]  # mm
    pieces: tuple[Piece, ...]  # by colour; together they are the solid
    done: tuple[Words, ...]  # what was wrong with it and what was done
    closed: list[np.ndarray]  # rims of holes that were closed, mm
    lost: int = 0  # surfaces of the file that are nowhere in the solid; there must be none
    rebuilt: tuple[Words, ...] = ()  # what was rebuilt where it crossed itself
    #: Its bodies as the file has them, also those that touch or cross others, so that one can be taken away.
    bodies: tuple[Piece, ...] = ()


class UnitDoubt(BadInput):
    """The size says that the file is hardly in millimetres; `guesses` are the units that would make sense."""

    def __init__(self, message: str, guesses: list[str]) -> None:
        super().__init__(message)
        self.guesses = guesses


class OpenModel(BadInput):
    """A model with holes too large to be closed without asking.

    `rims` are their edges, mm, `mesh` all of it.
    """

    def __init__(self, message: str, rims: list[np.ndarray], mesh: Mesh) -> None:
        super().__init__(message)
        self.rims = rims
        self.mesh = mesh


def read_model(data: bytes, name: str, unit: Unit = "", close: bool = False, rebuild: bool = False) -> Model:
    """Open a model file: STL, OBJ, PLY or 3MF.

    Parameters
    ----------
    data : bytes
    name : str
        What to call the file in messages; its ending tells the kind.
    unit : str
        What one unit of the file is; "" takes mm (or what a 3MF says) and asks when the size makes no sense.
    close : bool
        Close large holes with lids.
    rebuild : bool
        Rebuild the surface where it crosses itself.

    Raises
    ------
    UnitDoubt
        When no unit was given and the model is under 10 mm or over 2 m.
    OpenModel
        When it has large holes and they are not to be closed.
    BadInput
        When the file cannot be used.
    """
    found = read_shapes(data, name)
    if unit == "":
        check_unit(np.ptp(np.concatenate([s.mesh.vertices for s in found.shapes]), axis=0), name)
    scale = MM_PER[unit or "mm"] if not found.in_mm or unit else 1.0
    done = list(found.notes)
    grouped: dict[str, list[Solid]] = {}
    raw: list[Piece] = []
    again: list[Words] = []
    rims: list[np.ndarray] = []
    closed: list[np.ndarray] = []
    meshes: list[Mesh] = []
    for shape in found.shapes:
        if len(shape.mesh.triangles) < 4:
            raise BadInput(
                f"{name} has no volume: only {len(shape.mesh.triangles)} triangles; choose a solid model."
            )
        mended = _mended(Mesh(shape.mesh.vertices * scale, shape.mesh.triangles), close)
        if mended.holes:
            rims += mended.holes
            continue
        closed += mended.closed
        done += mended.done
        meshes.append(mended.mesh)
        solid = solid_of(mended.mesh, name, done)
        solid = _uncrossed(solid, again) if rebuild else solid
        grouped.setdefault(shape.colour, []).append(solid)
        raw += [Piece(shape.colour, s) for s in as_drawn(mended.mesh, solid)]
    if rims:
        corners = np.concatenate([s.mesh.vertices[s.mesh.triangles] * scale for s in found.shapes])
        raise OpenModel(
            _open_text(name, rims),
            rims,
            Mesh(corners.reshape(-1, 3), np.arange(3 * len(corners)).reshape(-1, 3)),
        )
    pieces = apart_by_colour([Piece(c, as_one(s)) for c, s in grouped.items()], done)
    solid = pieces[0].solid if len(pieces) == 1 else as_one([p.solid for p in pieces])
    clean = mesh_of(solid)
    x, y, z = (float(v) for v in np.ptp(clean.vertices, axis=0))
    lost = sum(surfaces_lost(m, solid) for m in meshes)
    return Model(
        solid,
        clean,
        (x, y, z),
        tuple(pieces),
        tuple(dict.fromkeys(done)),
        closed,
        lost,
        tuple(again),
        tuple(raw),
    )


def as_drawn(mesh: Mesh, solid: Solid) -> list[Solid]:
    """Return the bodies of one object of a file, each by itself, hollows taken out.

    Shells that touch or cross are one in the solid, and two here: somebody's badge stays a body.

    Parameters
    ----------
    mesh : Mesh
        Of the object, mended.
    solid : Manifold
        Made of it.
    """
    own = bodies_of(solid)
    drawn = solid_as_is(mesh)
    if drawn.status() != m3.Error.NoError or len(shells_of(drawn)) == 1:
        return own
    found = bodies_of(drawn)
    if len(found) <= len(own):
        return own
    # Only where they are the solid again when they are put together: what was turned or rebuilt is not.
    whole = float(m3.Manifold.batch_boolean(found, m3.OpType.Add).volume())
    return found if abs(whole - float(solid.volume())) < 1e-6 * abs(float(solid.volume())) else own


def _mended(mesh: Mesh, close: bool) -> Mended:
    """A mesh that encloses a volume, as far as it can be mended to one.

    What mending cannot close, but the solid library takes as it is, is taken as it is, and that is said.
    """
    mended = mend(mesh, close)
    sound = mended.mesh is mesh or (
        not mended.holes and solid_as_is(mended.mesh).status() == m3.Error.NoError
    )
    if sound:
        return mended
    as_is = solid_as_is(mesh)
    if as_is.status() == m3.Error.NoError and as_is.volume() > 0:
        return Mended(mesh_of(as_is), (say.taken_as_it_is(open_edges(mesh)),), [], [])
    return mended


def _uncrossed(solid: Solid, again: list[Words]) -> Solid:
    """A solid rebuilt where it crosses itself; it stays as it is where that cannot be done."""
    crossing = crossing_of(mesh_of(solid))
    if crossing is None:
        return solid
    found = rebuilt(solid, crossing)
    if found is None:
        again.append(say.not_rebuilt())
        return solid
    less = float(solid.volume() - found.volume())
    again.append(say.was_rebuilt(len(crossing.pairs), less))
    return found


def apart_by_colour(pieces: list[Piece], done: list[Words]) -> list[Piece]:
    """Pieces of different colours that share no volume.

    The larger gives way, so that none vanishes inside another.
    """
    if len(pieces) < 2:
        return pieces
    out: dict[str, Solid] = {}
    shared = 0.0
    for piece in sorted(pieces, key=lambda p: float(p.solid.volume())):
        solid = (
            m3.Manifold.batch_boolean([piece.solid, *out.values()], m3.OpType.Subtract)
            if out
            else piece.solid
        )
        shared += float(piece.solid.volume() - solid.volume())
        out[piece.colour] = solid
    if shared > 1e-6 * sum(float(p.solid.volume()) for p in pieces):
        done.append(say.colours_shared(shared))
    gone = [p.colour for p in pieces if out[p.colour].is_empty()]
    if gone:
        done.append(say.bodies_filled_up(gone))
    return [Piece(p.colour, out[p.colour]) for p in pieces if not out[p.colour].is_empty()]


def _open_text(name: str, rims: list[np.ndarray]) -> str:
    largest = max(float(np.linalg.norm(np.ptp(r, axis=0))) for r in rims)
    edges = sum(len(r) for r in rims)
    holes = "a hole" if len(rims) == 1 else f"{len(rims)} holes"
    return (
        f"{name} is not watertight: {holes} with {edges} open edges, up to {largest:.1f} mm across; "
        "close them with lids, or mend the model and export it again."
    )


def check_unit(size: np.ndarray, name: str) -> None:
    """Raise UnitDoubt when a size in mm makes no sense but would in another unit.

    Parameters
    ----------
    size : ndarray, (3,), float64
        mm.
    name : str
        Of the file.

    Raises
    ------
    UnitDoubt
    """
    largest = float(size.max())
    if SMALLEST <= largest <= LARGEST:
        return
    guesses = [u for u in ("inch", "cm", "m", "mm") if u == "mm" or SMALLEST <= largest * MM_PER[u] <= 1000]
    text = format_size(tuple(size.tolist()), 2)
    if largest > LARGEST:
        raise UnitDoubt(
            f"{name} would be {text} mm, larger than any printer; say in which unit it was drawn.", ["mm"]
        )
    likely = [u for u in guesses if u != "mm"]
    sizes = [f"{_NAMES[u]} ({format_size(tuple((size * MM_PER[u]).tolist()), 1)} mm)" for u in likely]
    drawn = f"it was most likely drawn in {' or '.join(sizes)}: say" if sizes else "say"
    raise UnitDoubt(
        f"{name} would be only {text} mm; {drawn} which unit it is in (inch, cm, m or mm).", guesses
    )
