"""Cropping to a rectangle."""

from __future__ import annotations

from typing import TYPE_CHECKING

from cutkey.core.steps.kind import Point, Step, Tool

if TYPE_CHECKING:
    from cutkey.core.imaging.work import Work


class Crop(Step, frozen=True, tag="crop"):
    """Keep the rectangle between two opposite corners."""

    title, rank, moves, local = "Crop", 10, True, True

    first: Point
    second: Point

    @classmethod
    def tools(cls) -> tuple[Tool, ...]:
        """Drag a rectangle."""
        return (
            Tool(
                "Crop to a rectangle",
                lambda f, _: cls(f[0], f[1]),
                "box",
                "drag a rectangle round what to keep",
            ),
        )

    def words(self, size: tuple[int, int] | None = None) -> tuple[str, str]:
        """That it crops."""
        return self.title, "to a rectangle"

    def do(self, work: Work) -> None:
        """Cut the picture."""
        import numpy as np

        from cutkey.core.imaging.work import LEAST

        h, w = work.rgb.shape[:2]
        p = work.places([self.first, self.second])
        x0, y0 = np.clip(np.floor(p.min(0) + 1e-6).astype(int), 0, [w - LEAST, h - LEAST])
        x1, y1 = np.clip(np.ceil(p.max(0) - 1e-6).astype(int), [x0 + LEAST, y0 + LEAST], [w, h])
        cut = np.s_[y0:y1, x0:x1]
        work.each(lambda picture: np.ascontiguousarray(picture[cut]))
        work.away = work.away[cut]
        work.alpha = None if work.alpha is None else np.ascontiguousarray(work.alpha[cut])
        work.matrix = np.array([[1, 0, -x0], [0, 1, -y0], [0, 0, 1.0]]) @ work.matrix
