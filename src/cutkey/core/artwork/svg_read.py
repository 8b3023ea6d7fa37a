"""Reading SVG drawings into a partition.

References
----------
W3C: Scalable Vector Graphics (SVG) 2; CSS Values and Units Level 4 (96 px = 1 in).
"""

from __future__ import annotations

from typing import NamedTuple
from xml.etree import ElementTree

import shapely

from cutkey.core.artwork.overlay import overlay
from cutkey.core.artwork.svg_walk import FLATNESS, Walker
from cutkey.core.errors import BadInput
from cutkey.core.geometry.region import Region
from cutkey.core.lettering.text import Lettering
from cutkey.core.words.kind import Words

#: Millimetres of one CSS pixel (CSS Values and Units: 96 px = 1 in).
MM_PER_PX = 25.4 / 96
#: Outlines are noded on a grid this fine, as a share of the drawing's size.
_GRID = 2e-7
#: More elements than this are no drawing that anybody could print.
MOST_ELEMENTS = 150_000


class Drawing(NamedTuple):
    """A read drawing: regions in CSS px, y down, the width it states, and what was not read as it stands."""

    regions: list[Region]
    width_mm: float
    notes: tuple[Words, ...] = ()
    open_lines: tuple[shapely.LineString, ...] = ()
    lettering: tuple[Lettering, ...] = ()


def read_svg(data: bytes, name: str, flatness: float = FLATNESS) -> Drawing:
    """Painted areas of an SVG file as regions without gap or overlap.

    What is painted later covers what is under it.

    Fills by both rules, strokes with joins, caps and dashes, clip paths, text as outlines, `use`, nested
    `svg` and `symbol`, style sheets. Gradients become their mean colour. What is not supported is named in
    the notes.

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
        When it is no SVG or paints nothing.
    """
    if not data.strip():
        raise BadInput(f"{name} is empty; choose another drawing.")
    try:
        root = ElementTree.fromstring(data)
    except (ElementTree.ParseError, ValueError, LookupError):
        root = None
    if root is None or root.tag.rpartition("}")[2] != "svg":
        raise BadInput(
            f"{name} is not an SVG drawing that can be read; save it as plain SVG and open it again."
        )
    return drawing_of(root, name, flatness)


def drawing_of(root: ElementTree.Element, name: str, flatness: float) -> Drawing:
    """What an svg element paints; see `read_svg`.

    Parameters
    ----------
    root : Element
    name : str
        Of the file.
    flatness : float
        Between curves and their chords, as a share of the drawing's size.
    """
    count = sum(1 for _ in root.iter())
    if count > MOST_ELEMENTS:
        raise BadInput(
            f"{name} holds {count} elements, more than the {MOST_ELEMENTS} that are read; join its shapes and"
            " save it again."
        )
    walker = Walker(root, flatness)
    try:
        painted = walker.painted()
    except RecursionError:
        raise BadInput(
            f"{name} refers to itself without end; save it as plain SVG and open it again."
        ) from None
    regions = overlay(painted, _GRID * max(walker.size, 1e-3)) if painted else []
    if not regions:
        raise BadInput(
            f"{name} holds no filled shape and no stroke; give its shapes a fill or stroke colour."
        )
    bounds = shapely.total_bounds([r.geometry for r in regions])
    return Drawing(
        regions,
        float(bounds[2] - bounds[0]) * MM_PER_PX,
        tuple(walker.notes),
        tuple(walker.open_lines),
        tuple(walker.lettering),
    )
