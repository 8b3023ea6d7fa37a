"""Regions as an SVG drawing in millimetres, with the lines, arcs and Béziers that they are made of."""

from __future__ import annotations

import math

from cutkey.core.curves.elements import Element, elements_of
from cutkey.core.curves.fitting import Curves
from cutkey.core.geometry.pieces import ARC, LINE, flatten


def svg_of(curves: Curves, title: str) -> str:
    """SVG 1.1 text, one path a colour, 1 user unit = 1 mm.

    Neighbouring paths repeat the very same numbers along their shared boundary.

    Parameters
    ----------
    curves : Curves
        Of its boundaries.
    title : str
    """
    from xml.sax.saxutils import escape

    # Curves reach a little beyond their chords.
    points = flatten(curves.pieces, 1e-4)[0]
    (left, bottom), (right, top) = points.min(0), points.max(0)
    w, h = right - left, top - bottom
    lines = [
        '<?xml version="1.0" encoding="UTF-8"?>',
        (
            f'<svg xmlns="http://www.w3.org/2000/svg" width="{w:.5g}mm" height="{h:.5g}mm" viewBox="0 0'
            f' {w:.6f} {h:.6f}">'
        ),
        "<!-- Made with Cut Key -->",
        f"<title>{escape(title)}</title>",
    ]
    for k, colour in enumerate(curves.colours):
        lines.append(f'<path fill="{colour}" fill-rule="evenodd" d="{_path(curves, k, left, top)}"/>')
    lines.append("</svg>")
    return "\n".join(lines) + "\n"


def _path(curves: Curves, region: int, left: float, top: float) -> str:
    out = []
    for ring in curves.rings:
        if ring.region != region:
            continue
        elements = elements_of(*curves.of_ring(ring))
        x, y = elements[0].control[0].tolist()
        out.append(f"M{x - left:.5f} {top - y:.5f}" + "".join(_command(e, left, top) for e in elements) + "Z")
    return "".join(out)


def _command(element: Element, left: float, top: float) -> str:
    points = [f"{x - left:.5f} {top - y:.5f}" for x, y in element.control.tolist()]
    if element.kind == LINE:
        return f"L{points[3]}"
    if element.kind == ARC:
        # With y down a counter-clockwise arc turns the other way.
        return (
            f"A{element.radius:.5f} {element.radius:.5f} 0 {int(abs(element.sweep) > math.pi)}"
            f" {int(element.sweep < 0)} {points[3]}"
        )
    return f"C{points[1]} {points[2]} {points[3]}"
