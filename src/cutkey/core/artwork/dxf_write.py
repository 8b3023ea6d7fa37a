"""Regions as a DXF drawing in millimetres: closed outlines of lines, arcs and splines, a layer a colour."""

from __future__ import annotations

import io
import math
from collections.abc import Sequence
from itertools import groupby
from typing import Any

from cutkey.core.colour.difference import rgb_of
from cutkey.core.curves.elements import Element, elements_of
from cutkey.core.curves.fitting import Curves
from cutkey.core.geometry.pieces import ARC, CUBIC


def dxf_of(curves: Curves, title: str) -> str:
    """DXF text (R2010), 1 unit = 1 mm, y up, about the middle of the graphic.

    An outline of lines and arcs is one closed polyline with bulges; one that holds Béziers is lines, arcs and
    cubic splines from end to end, Béziers that follow one another in one spline. Outlines that two colours
    share are there on both layers, so that each layer is whole by itself.

    Parameters
    ----------
    curves : Curves
        Of its boundaries.
    title : str
    """
    from ezdxf import units
    from ezdxf.filemanagement import new

    document = new("R2010", setup=False)
    document.units = units.MM
    document.header.custom_vars.append("Title", title)
    space = document.modelspace()
    for k, colour in enumerate(curves.colours):
        layer = f"colour {colour.lstrip('#')}"
        if layer not in document.layers:
            document.layers.add(layer).rgb = rgb_of(colour)
        for ring in curves.rings:
            if ring.region == k:
                _outline(space, elements_of(*curves.of_ring(ring)), layer)
    text = io.StringIO()
    document.write(text)
    return text.getvalue()


def _outline(space: Any, elements: list[Element], layer: str) -> None:
    look = {"layer": layer}
    if all(e.kind != CUBIC for e in elements):
        # The bulge is the tangent of a quarter of the angle (DXF reference, LWPOLYLINE).
        corners = [(*e.control[0].tolist(), math.tan(e.sweep / 4)) for e in elements]
        space.add_lwpolyline(corners, format="xyb", close=True, dxfattribs=look)
        return
    for bent, run in groupby(elements, key=lambda e: e.kind == CUBIC):
        if bent:
            _spline(space, list(run), look)
            continue
        for e in run:
            start, end = e.control[0].tolist(), e.control[3].tolist()
            if e.kind == ARC:
                angles = [
                    math.degrees(math.atan2(y - e.middle.imag, x - e.middle.real)) for x, y in (start, end)
                ]
                a, b = angles if e.sweep > 0 else angles[::-1]
                space.add_arc((e.middle.real, e.middle.imag), e.radius, a, b, dxfattribs=look)
            else:
                space.add_line(start, end, dxfattribs=look)


def _spline(space: Any, run: Sequence[Element], look: dict[str, str]) -> None:
    """Béziers from end to end as one cubic spline.

    With a knot of threefold multiplicity between two, it is them exactly.
    """
    spline = space.add_spline(degree=3, dxfattribs=look)
    points = [run[0].control[0].tolist(), *(p for e in run for p in e.control[1:].tolist())]
    spline.control_points = [(*p, 0.0) for p in points]
    spline.knots = (
        [0.0] * 4 + [float(k) for k in range(1, len(run)) for _ in range(3)] + [float(len(run))] * 4
    )
