"""Painting over, erasing and restoring."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Annotated, Literal

from cutkey.core.fields import Field, number
from cutkey.core.steps.kind import Point, Step, Tool

if TYPE_CHECKING:
    from cutkey.core.geometry.arrays import U8
    from cutkey.core.imaging.work import Work

#: Width of the brush, as a fraction of the picture's, until it is changed.
BRUSH = 0.03


class Paint(Step, frozen=True, tag="paint"):
    """Paint over with a brush, inside a lasso, or over an area of one colour."""

    title, rank, group, local = "Paint over", 90, 1, True

    tool: Literal["brush", "lasso", "area"]
    points: tuple[Point, ...]
    ink: str  # "#rrggbb", "erase" or "restore"
    # of the picture's width
    width: Annotated[float, number(0, 2, "Brush, % of width", low=0.1, high=50.0, step=0.5, factor=100.0)] = (
        0.02
    )
    tolerance: Annotated[float, number(0, 200, "Tolerance", high=100.0)] = 12.0  # of an area

    @classmethod
    def tools(cls) -> tuple[Tool, ...]:
        """Brush and lasso to erase, restore and paint; an area with one click."""

        def brush(text: str, what: str, ink: str = "") -> Tool:
            return Tool(text, _stroke, "stroke", f"draw with the brush to {what}", True, ink, BRUSH)

        def lasso(text: str, what: str, ink: str = "") -> Tool:
            return Tool(
                text,
                lambda f, c: cls("lasso", _thinned(f), c),
                "lasso",
                f"draw round a patch to {what}",
                True,
                ink,
            )

        fill = "click an area of one colour to make it {}"
        return (
            brush("Erase with a brush", "erase", "erase"),
            lasso("Erase inside a lasso", "erase it", "erase"),
            brush("Restore with a brush", "restore", "restore"),
            lasso("Restore inside a lasso", "restore it", "restore"),
            brush("Paint over with a brush", "paint over"),
            lasso("Paint over inside a lasso", "make it {}"),
            lasso("Make a patch black (lasso)", "make it {}", "#000000"),
            lasso("Make a patch white (lasso)", "make it {}", "#ffffff"),
            Tool(
                "Fill an area of one colour",
                lambda f, c: cls("area", (f[0],), c),
                "point",
                fill,
                True,
            ),
        )

    def words(self, size: tuple[int, int] | None = None) -> tuple[str, str]:
        """With what, and in which colour."""
        if self.ink in ("erase", "restore"):
            return self.ink.capitalize(), self.tool
        return self.title, f"{self.tool}, {self.ink}"

    def fields(self, size: tuple[int, int] | None = None) -> tuple[Field, ...]:
        """The brush's width, or the tolerance of an area."""
        of = {"brush": "width", "area": "tolerance"}.get(self.tool)
        return tuple(f for f in super().fields(size) if f.name == of)

    @property
    def swatch(self) -> str:
        """The ink."""
        return self.ink if self.ink.startswith("#") else ""

    def do(self, work: Work) -> None:
        """Cover what was drawn."""
        import cv2
        import numpy as np

        from cutkey.core.colour.difference import rgb_of
        from cutkey.core.imaging.work import area_like

        if self.tool == "area":
            x, y = work.pixel(self.points[0])
            cover = area_like(work.rgb, x, y, self.tolerance, True).astype(np.uint8) * 255
        else:
            cover = _drawn(self, work)
        share = (cover.astype(np.float32) / 255)[..., None]
        alpha = np.full(cover.shape, 255, np.uint8) if work.alpha is None else work.alpha
        if self.ink == "erase":
            work.alpha = np.minimum(alpha, 255 - cover)
            return
        ink = work.plain if self.ink == "restore" else np.array(rgb_of(self.ink), np.float32)
        work.rgb = np.round(work.rgb * (1 - share) + ink * share).astype(np.uint8)
        work.away = work.away & (cover < 128)
        if work.alpha is not None:
            # What is left of an edge pixel and what comes back of it add up.
            work.alpha = np.asarray(cv2.add(alpha, cover))


def _thinned(points: list[Point], least: float = 0.0008) -> tuple[Point, ...]:
    """A drawn path without points nearer together than a fraction of the picture."""
    out = points[:1]
    for p in points[1:]:
        if math.dist(p, out[-1]) >= least:
            out.append(p)
    return tuple((round(x, 5), round(y, 5)) for x, y in out)


def _stroke(points: list[Point], ink: str) -> Paint:
    return Paint("brush", _thinned(points), ink, BRUSH)


def _drawn(step: Paint, work: Work) -> U8:
    """How much of each pixel a brush stroke or a lasso covers."""
    import cv2
    import numpy as np

    cover = np.zeros(work.rgb.shape[:2], np.uint8)
    # Four fractional bits of OpenCV's drawing; its coordinates count from pixel centres.
    p = np.round((work.places(step.points) - 0.5) * 16).astype(np.int32)
    if step.tool == "lasso":
        if len(p) >= 3:
            cv2.fillPoly(cover, [p], 255, cv2.LINE_AA, 4)
        return cover
    # The brush grows and shrinks with the picture: its width is measured where it starts.
    x, y = step.points[0]
    ends = work.places([(x - step.width / 2, y), (x + step.width / 2, y)])
    radius = max(0.5, math.dist(*ends) / 2)
    if len(p) > 1:
        cv2.polylines(cover, [p], False, 255, max(1, round(2 * radius)), cv2.LINE_AA, 4)
    for x, y in (p[0], p[-1]):
        cv2.circle(cover, (int(x), int(y)), round(radius * 16), 255, -1, cv2.LINE_AA, 4)
    return cover
