"""A drawing board with exact anti-aliasing: everything is drawn large and averaged down."""

from __future__ import annotations

import math
from collections.abc import Sequence
from importlib.resources import as_file, files

import numpy as np
from PIL import Image, ImageChops, ImageDraw, ImageFont

#: Each pixel of the picture is the mean of so many squared drawn ones.
OVER = 4


class Canvas:
    """A picture in its own units: (0, 0) at the upper left, `scale` px a unit."""

    def __init__(self, width: float, height: float, scale: float, ground: str) -> None:
        self.size = (round(width * scale), round(height * scale))
        self._k = scale * OVER
        self._image = Image.new("RGB", (self.size[0] * OVER, self.size[1] * OVER), ground)

    def mask(self) -> Image.Image:
        """An empty shape."""
        return Image.new("L", self._image.size, 0)

    def ellipse(self, cx: float, cy: float, rx: float, ry: float, turn: float = 0.0) -> Image.Image:
        """Ellipse, turned clockwise by degrees."""
        t = np.linspace(0, 2 * math.pi, 721)[:-1]
        c, s = math.cos(math.radians(turn)), math.sin(math.radians(turn))
        x, y = rx * np.cos(t), ry * np.sin(t)
        return self.polygon(np.stack([cx + c * x - s * y, cy + s * x + c * y], 1).tolist())

    def polygon(self, points: Sequence[Sequence[float]]) -> Image.Image:
        """Filled polygon."""
        shape = self.mask()
        ImageDraw.Draw(shape).polygon([(x * self._k, y * self._k) for x, y in points], fill=255)
        return shape

    def hexagon(self, cx: float, cy: float, r: float) -> Image.Image:
        """Regular hexagon standing on a corner."""
        return self.polygon([(cx + r * math.sin(k * math.pi / 3), cy + r * math.cos(k * math.pi / 3)) for k in range(6)])

    def stroke(self, points: Sequence[Sequence[float]], width: float) -> Image.Image:
        """Line with round joins and ends."""
        shape = self.mask()
        draw = ImageDraw.Draw(shape)
        scaled = [(x * self._k, y * self._k) for x, y in points]
        draw.line(scaled, fill=255, width=round(width * self._k), joint="curve")
        r = width * self._k / 2
        for x, y in (scaled[0], scaled[-1]):
            draw.ellipse((x - r, y - r, x + r, y + r), fill=255)
        return shape

    def text(self, cx: float, cy: float, height: float, words: str, spacing: float = 0.0) -> Image.Image:
        """A line of capitals of a height, centred."""
        shape = self.mask()
        draw = ImageDraw.Draw(shape)
        with as_file(files("cutkey.app") / "assets" / "fonts" / "Barlow-Bold.ttf") as path:
            font = ImageFont.truetype(str(path), round(height * self._k / 0.7))
        widths = [font.getlength(c) + spacing * self._k for c in words]
        x = cx * self._k - (sum(widths) - spacing * self._k) / 2
        for c, w in zip(words, widths, strict=True):
            draw.text((x, cy * self._k + height * self._k / 2), c, font=font, fill=255, anchor="ls")
            x += w
        return shape

    def fill(self, shape: Image.Image, colour: str, inside: Image.Image | None = None) -> None:
        """Paint a shape, cut to another one when given."""
        self._image.paste(colour, (0, 0), shape if inside is None else ImageChops.multiply(shape, inside))

    def picture(self) -> np.ndarray:
        """The finished picture, (H, W, 3) uint8."""
        return np.asarray(self._image.resize(self.size, Image.Resampling.BOX))
