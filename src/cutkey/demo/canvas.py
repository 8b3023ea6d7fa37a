"""A drawing board with exact anti-aliasing: everything is drawn large and averaged down."""

from __future__ import annotations

import math
from collections.abc import Sequence
from importlib.resources import as_file, files
from typing import NamedTuple

import numpy as np
from PIL import Image, ImageChops, ImageDraw, ImageFont

#: Each pixel of the picture is the mean of so many squared drawn ones.
OVER = 4


class Shape(NamedTuple):
    """A drawn shape: its mask, and where the mask's corner lies (drawn pixels)."""

    mask: Image.Image
    x: int
    y: int


class Canvas:
    """A picture in its own units: (0, 0) at the upper left, `scale` px a unit."""

    def __init__(self, width: float, height: float, scale: float, ground: str) -> None:
        self.size = (round(width * scale), round(height * scale))
        self._k = scale * OVER
        self._image = Image.new("RGB", (self.size[0] * OVER, self.size[1] * OVER), ground)

    def _shape(self, points: np.ndarray, margin: float = 0.0) -> tuple[Shape, np.ndarray]:
        """An empty shape around points given in units, and the points in its own pixels."""
        scaled = np.asarray(points, float) * self._k
        x0, y0 = (int(v) for v in np.floor(scaled.min(0) - margin - 2))
        x1, y1 = (int(v) for v in np.ceil(scaled.max(0) + margin + 2))
        return Shape(Image.new("L", (x1 - x0, y1 - y0), 0), x0, y0), scaled - (x0, y0)

    def polygon(self, points: Sequence[Sequence[float]] | np.ndarray) -> Shape:
        """Filled polygon."""
        shape, inside = self._shape(np.asarray(points))
        ImageDraw.Draw(shape.mask).polygon([tuple(p) for p in inside.tolist()], fill=255)
        return shape

    def ellipse(self, cx: float, cy: float, rx: float, ry: float, turn: float = 0.0) -> Shape:
        """Ellipse, turned clockwise by degrees."""
        t = np.linspace(0, 2 * math.pi, 721)[:-1]
        c, s = math.cos(math.radians(turn)), math.sin(math.radians(turn))
        x, y = rx * np.cos(t), ry * np.sin(t)
        return self.polygon(np.stack([cx + c * x - s * y, cy + s * x + c * y], 1))

    def hexagon(self, cx: float, cy: float, r: float) -> Shape:
        """Regular hexagon standing on a corner."""
        return self.polygon([(cx + r * math.sin(k * math.pi / 3), cy + r * math.cos(k * math.pi / 3)) for k in range(6)])

    def stroke(self, points: Sequence[Sequence[float]], width: float) -> Shape:
        """Line with round joins and ends."""
        r = width * self._k / 2
        shape, inside = self._shape(np.asarray(points), r)
        draw = ImageDraw.Draw(shape.mask)
        draw.line([tuple(p) for p in inside.tolist()], fill=255, width=round(2 * r), joint="curve")
        for x, y in (inside[0], inside[-1]):
            draw.ellipse((x - r, y - r, x + r, y + r), fill=255)
        return shape

    def text(self, cx: float, cy: float, height: float, words: str, spacing: float = 0.0) -> Shape:
        """A line of capitals of a height, centred."""
        with as_file(files("cutkey.app") / "assets" / "fonts" / "Barlow-Bold.ttf") as path:
            font = ImageFont.truetype(str(path), round(height * self._k / 0.7))
        widths = [font.getlength(c) + spacing * self._k for c in words]
        half = (sum(widths) / self._k - spacing) / 2
        shape, inside = self._shape(np.array([[cx - half, cy - height], [cx + half, cy + height]]))
        x, base = float(inside[0, 0]), float(inside.mean(0)[1]) + height * self._k / 2
        draw = ImageDraw.Draw(shape.mask)
        for c, w in zip(words, widths, strict=True):
            draw.text((x, base), c, font=font, fill=255, anchor="ls")
            x += w
        return shape

    def fill(self, shape: Shape, colour: str, inside: Shape | None = None) -> None:
        """Paint a shape, cut to another one when given."""
        mask = shape.mask
        if inside is not None:
            clip = Image.new("L", mask.size, 0)
            clip.paste(inside.mask, (inside.x - shape.x, inside.y - shape.y))
            mask = ImageChops.multiply(mask, clip)
        self._image.paste(colour, (shape.x, shape.y), mask)

    def picture(self) -> np.ndarray:
        """The finished picture, (H, W, 3) uint8."""
        return np.asarray(self._image.resize(self.size, Image.Resampling.BOX))
