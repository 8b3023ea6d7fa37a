"""What ways of tracing and kinds of picture are called."""

from __future__ import annotations

from PySide6.QtCore import QCoreApplication

from cutkey.core.model.ways import Kind, Light
from cutkey.worker.shown import WayView


def _tr(text: str) -> str:
    return QCoreApplication.translate("WaysCard", text)


def way_names() -> dict[str, tuple[str, str]]:
    """Return what each way is called, and what it is for."""
    return {
        "colours": (_tr("every colour"), _tr("One region a colour, as many as are there")),
        "gradients": (
            _tr("flat gradients"),
            _tr("What goes softly from one tone to another is one region"),
        ),
        "few": (_tr("four colours"), _tr("The four colours that stand best for it")),
        "dark": (_tr("dark on light"), _tr("What is darker than a threshold")),
        "light": (_tr("light on dark"), _tr("What is lighter than a threshold")),
        "lines": (_tr("line work"), _tr("Its strokes, each of one width")),
        "levels": (_tr("relief by level"), _tr("Five levels of brightness, to be laid at different heights")),
        "sheet": (
            _tr("square up the sheet"),
            _tr("The sheet of paper in it, as if seen from straight above"),
        ),
        "silhouette": (_tr("silhouette"), _tr("Its outline, filled")),
        "pixels": (_tr("square pixels"), _tr("Every pixel stays a square of its own colour")),
    }


def kind_names() -> dict[str, str]:
    """Return what is said of a picture of each kind."""
    return {
        "pixel art": _tr("It looks like pixel art"),
        "flat art": _tr("It looks like a drawing in flat colours"),
        "line art": _tr("It looks like line art"),
        "drawing on paper": _tr("It looks like a drawing or text on paper"),
        "light on dark": _tr("It looks like light strokes on a dark ground"),
        "soft shading": _tr("It looks softly shaded"),
        "photograph": _tr("It looks like a photograph"),
    }


def said_of(kind: Kind, light: Light) -> str:
    """Return what is said of a picture of a kind, and of the light in it."""
    said = {
        "even": "{0}",
        "uneven": _tr("{0}, unevenly lit"),
        "shadow": _tr("{0} with a hard shadow across it"),
        "glare": _tr("{0} with glare on it"),
        "halftone": _tr("{0}, printed in dots"),
    }
    return said[light].format(kind_names()[kind])


def cost_of(way: WayView) -> str:
    """Return in short how much of the picture a way explains, and what it takes."""
    share = round(100 * way.explained)
    first = _tr("explains {0} %, {1} thin").format(share, way.thin) if way.thin else _tr("explains {0} %")
    return f"{first.format(share)}\n{_in_pieces(way)}"


def measured_of(way: WayView) -> str:
    """Return the same in sentences."""
    said = _tr("It explains {0} % of what varies in the picture: {1}.")
    text = said.format(round(100 * way.explained), _in_pieces(way))
    if way.thin:
        thin = _tr("1 piece is") if way.thin == 1 else _tr("{0} pieces are").format(way.thin)
        text += " " + _tr("{0} nowhere as wide as a printed line.").format(thin)
    return text


def _in_pieces(way: WayView) -> str:
    colours = _tr("1 colour") if way.colours == 1 else _tr("{0} colours").format(way.colours)
    pieces = _tr("1 piece") if way.pieces == 1 else _tr("{0} pieces").format(way.pieces)
    return f"{colours}, {pieces}"
