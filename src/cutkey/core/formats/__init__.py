"""File formats: a file each, with the endings, the first bytes, and the reader.

`kind.Format` says what each file must give; the functions here find the one that fits a file.
"""

from __future__ import annotations

from functools import cache
from pathlib import Path
from typing import TYPE_CHECKING

from cutkey.core.errors import BadInput
from cutkey.core.files import write_atomic
from cutkey.core.formats.kind import FLATNESS, Drawing, Format, Holds, Shapes
from cutkey.core.kinds import classes_of
from cutkey.core.limits import reading

if TYPE_CHECKING:
    from cutkey.core.curves.fitting import Curves
    from cutkey.core.geometry.graphic import Graphic
    from cutkey.core.geometry.pieces import Flattened


@cache
def all_formats() -> tuple[Format, ...]:
    """Every format, as dialogs list them."""
    return tuple(kind() for kind in classes_of(__name__, Format))


def suffixes_of(holds: Holds) -> tuple[str, ...]:
    """Endings of the files that hold pictures, drawings or models."""
    return tuple(s for f in all_formats() if f.holds == holds for s in f.suffixes)


def held_by(name: str) -> Holds | None:
    """What a file holds by the ending of its name, None when that says nothing."""
    ending = "." + name.lower().rpartition(".")[2]
    return next((f.holds for f in all_formats() if ending in f.suffixes), None)


def _format_of(name: str, data: bytes, holds: Holds, otherwise: str) -> Format:
    """The format of a file: by its first bytes where these tell it, else by its ending, else a usual one."""
    ending = "." + name.lower().rpartition(".")[2]
    mine = [f for f in all_formats() if f.holds == holds]
    found = next((f for f in mine if f.begins(data)), None) or next(
        (f for f in mine if ending in f.suffixes), None
    )
    return found or next(f for f in mine if f.id == otherwise)


def read_shapes(data: bytes, name: str) -> Shapes:
    """Objects of a model file.

    Raises
    ------
    BadInput
        When it is empty, cut short, of another kind, or holds no triangles.
    """
    with reading(name):
        if not data:
            raise BadInput(f"{name} is empty (0 bytes); export the model again.")
        found = _format_of(name, data, "model", "stl").shapes(data, name)
        if not any(len(s.mesh.triangles) for s in found.shapes):
            raise BadInput(f"{name} holds no triangle with an area; export the model again.")
        return found._replace(shapes=[s for s in found.shapes if len(s.mesh.triangles)])


def read_drawing(data: bytes, name: str, flatness: float = FLATNESS) -> Drawing:
    """Regions of a vector drawing.

    Parameters
    ----------
    data : bytes
    name : str
        Of the file.
    flatness : float
        Between curves and their chords, as a share of the drawing's size.

    Raises
    ------
    BadInput
        When it cannot be read.
    """
    with reading(name):
        return _format_of(name, data, "drawing", "svg").drawing(data, name, flatness)


def drawing_format(path: Path) -> Format:
    """The format that a drawing of this name is written in.

    Raises
    ------
    BadInput
        When drawings of this kind are not written.
    """
    written = [f for f in all_formats() if f.writes]
    found = next((f for f in written if path.suffix.lower() in f.suffixes), None)
    if found is None:
        endings = " or ".join(s for f in written for s in f.suffixes)
        raise BadInput(f"{path.name} would be a drawing of an unknown kind; end its name in {endings}.")
    return found


def write_drawing(path: Path, graphic: Graphic, title: str, known: Flattened | None = None) -> None:
    """Write a graphic as a drawing in mm, whole or not at all.

    Parameters
    ----------
    path : Path
        Its suffix says the format.
    graphic : Graphic
    title : str
    known : Flattened, optional
        Curves that its boundaries were flattened from.

    Raises
    ------
    BadInput
        When it cannot be written, or drawings of this kind are not.
    """
    write_atomic(path, drawing_format(path).written(_curves(graphic, known), title).encode())


def drawings_of(graphic: Graphic, title: str, known: Flattened | None = None) -> dict[str, bytes]:
    """A graphic as a drawing in mm of every format that is written, by suffix.

    Parameters
    ----------
    graphic, title, known
        As for `write_drawing`.
    """
    curves = _curves(graphic, known)
    return {f.suffixes[0]: f.written(curves, title).encode() for f in all_formats() if f.writes}


def _curves(graphic: Graphic, known: Flattened | None) -> Curves:
    from cutkey.core.curves.fitting import curves_of

    return curves_of(graphic.regions, known)
