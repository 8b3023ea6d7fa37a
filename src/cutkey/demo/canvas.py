"""A drawing board with exact anti-aliasing: everything is drawn large and averaged down."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from functools import cached_property
from importlib.resources import as_file, files
from typing import Any

import numpy as np
from PIL import Image, ImageChops, ImageDraw, ImageFont

#: Draws a shape with a pen, at points or shifted by them, in a colour.
Draws = Callable[[ImageDraw.ImageDraw, np.ndarray, Any], None]
#: Each pixel of the picture is the mean of so many squared drawn ones.
OVER = 4


class Shape:
    """A shape to be drawn: how, and the box that holds it (drawn pixels)."""

    def __init__(self, draw: Draws, size: tuple[int, int], x: int, y: int, soft: bool) -> None:
        self.draw, self.size, self.x, self.y = draw, size, x, y
        self.soft = soft  # its edge is blended by whoever draws it, so it goes through a mask

    @cached_property
    def mask(self) -> Image.Image:
        """The shape in white, in its own box."""
        mask = Image.new("L", self.size, 0)
        self.draw(ImageDraw.Draw(mask), np.zeros(2), 255)
        return mask


class Canvas:
    """A picture in its own units: (0, 0) at the upper left, `scale` px a unit."""

    def __init__(self, width: float, height: float, scale: float, ground: str) -> None:
        self.size = (round(width * scale), round(height * scale))
        self._k = scale * OVER
        self._image = Image.new("RGB", (self.size[0] * OVER, self.size[1] * OVER), ground)

    def _shape(
        self,
        points: np.ndarray,
        draw: Draws,
        margin: float = 0.0,
        soft: bool = False,
    ) -> Shape:
        """A shape around points given in units.

        `draw` gets a pen, the points as drawn pixels, and a colour.
        """
        scaled = np.asarray(points, float) * self._k
        x0, y0 = (int(v) for v in np.floor(scaled.min(0) - margin - 2))
        x1, y1 = (int(v) for v in np.ceil(scaled.max(0) + margin + 2))
        inside = scaled - (x0, y0)
        return Shape(
            lambda pen, shift, fill: draw(pen, inside + shift, fill), (x1 - x0, y1 - y0), x0, y0, soft
        )

    def polygon(self, points: Sequence[Sequence[float]] | np.ndarray) -> Shape:
        """Filled polygon."""
        return self._shape(
            np.asarray(points), lambda pen, at, fill: pen.polygon([tuple(p) for p in at.tolist()], fill=fill)
        )

    def ellipse(self, cx: float, cy: float, rx: float, ry: float, turn: float = 0.0) -> Shape:
        """Ellipse, turned clockwise by degrees."""
        t = np.linspace(0, 2 * math.pi, 721)[:-1]
        c, s = math.cos(math.radians(turn)), math.sin(math.radians(turn))
        x, y = rx * np.cos(t), ry * np.sin(t)
        return self.polygon(np.stack([cx + c * x - s * y, cy + s * x + c * y], 1))

    def hexagon(self, cx: float, cy: float, r: float) -> Shape:
        """Regular hexagon standing on a corner."""
        return self.polygon(
            [(cx + r * math.sin(k * math.pi / 3), cy + r * math.cos(k * math.pi / 3)) for k in range(6)]
        )

    def stroke(self, points: Sequence[Sequence[float]], width: float) -> Shape:
        """Line with round joins and ends."""
        r = width * self._k / 2

        def draw(pen: ImageDraw.ImageDraw, at: np.ndarray, fill: Any) -> None:
            pen.line([tuple(p) for p in at.tolist()], fill=fill, width=round(2 * r), joint="curve")
            for x, y in (at[0], at[-1]):
                pen.ellipse((x - r, y - r, x + r, y + r), fill=fill)

        return self._shape(np.asarray(points), draw, r)

    def text(self, cx: float, cy: float, height: float, words: str, spacing: float = 0.0) -> Shape:
        """A line of capitals of a height, centred."""
        with as_file(files("cutkey.app") / "assets" / "fonts" / "Barlow-Bold.ttf") as path:
            font = ImageFont.truetype(str(path), round(height * self._k / 0.7))
        widths = [font.getlength(c) + spacing * self._k for c in words]
        half = (sum(widths) / self._k - spacing) / 2

        def draw(pen: ImageDraw.ImageDraw, at: np.ndarray, fill: Any) -> None:
            x, base = float(at[0, 0]), float(at.mean(0)[1]) + height * self._k / 2
            for c, w in zip(words, widths, strict=True):
                pen.text((x, base), c, font=font, fill=fill, anchor="ls")
                x += w

        return self._shape(np.array([[cx - half, cy - height], [cx + half, cy + height]]), draw, soft=True)

    def fill(self, shape: Shape, colour: str, inside: Shape | None = None) -> None:
        """Paint a shape, cut to another one when given."""
        if inside is None and not shape.soft:
            shape.draw(ImageDraw.Draw(self._image), np.array([shape.x, shape.y]), colour)
            return
        mask = shape.mask
        if inside is not None:
            clip = Image.new("L", mask.size, 0)
            clip.paste(inside.mask, (inside.x - shape.x, inside.y - shape.y))
            mask = ImageChops.multiply(mask, clip)
        self._image.paste(colour, (shape.x, shape.y), mask)

    def picture(self) -> np.ndarray:
        """The finished picture, (H, W, 3) uint8."""
        return np.asarray(self._image.reduce(OVER))
