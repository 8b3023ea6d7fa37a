"""Regions as an SVG drawing in millimetres."""

from __future__ import annotations

from cutkey.core.geometry.graphic import Graphic, box_of, rings_of


def svg_of(graphic: Graphic, title: str) -> str:
    """SVG 1.1 text, one path a colour, 1 user unit = 1 mm.

    Neighbouring paths repeat the very same numbers along their shared boundary.
    """
    from xml.sax.saxutils import escape

    w, h = graphic.width, graphic.height
    left, _, _, top = box_of(graphic.regions)
    lines = [
        '<?xml version="1.0" encoding="UTF-8"?>',
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{w:.5g}mm" height="{h:.5g}mm" viewBox="0 0 {w:.6f} {h:.6f}">',
        "<!-- Made with Cut Key -->",
        f"<title>{escape(title)}</title>",
    ]
    for region in graphic.regions:
        path = ["M" + "L".join(f"{x - left:.5f} {top - y:.5f}" for x, y in xy.tolist()) + "Z" for xy in rings_of(region.geometry)]
        lines.append(f'<path fill="{region.colour}" fill-rule="evenodd" d="{"".join(path)}"/>')
    lines.append("</svg>")
    return "\n".join(lines) + "\n"
