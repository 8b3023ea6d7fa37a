"""Pictures of the demo: a bee, a sprig, hexagons, the gate sign; clean, and as if photographed."""

from __future__ import annotations

import io
import math

import cv2
import numpy as np
from PIL import Image

from cutkey.demo.canvas import Canvas

AMBER, SOOT, LINEN, MOSS, BRICK = "#e0a32a", "#26241f", "#efe4c6", "#4f6b35", "#9c4330"
WHITE = "#ffffff"


def draw_bee(c: Canvas, x: float, y: float, s: float) -> None:
    """A bee seen from above, about 2 s tall, head up."""
    for side in (-1, 1):
        c.fill(c.ellipse(x + side * 0.62 * s, y - 0.22 * s, 0.56 * s, 0.3 * s, side * -22), SOOT)
        c.fill(c.ellipse(x + side * 0.62 * s, y - 0.22 * s, 0.5 * s, 0.24 * s, side * -22), LINEN)
        c.fill(c.ellipse(x + side * 0.52 * s, y + 0.16 * s, 0.4 * s, 0.2 * s, side * 24), SOOT)
        c.fill(c.ellipse(x + side * 0.52 * s, y + 0.16 * s, 0.34 * s, 0.14 * s, side * 24), LINEN)
        bend = [
            (x + side * s * (0.1 + 0.3 * t), y - s * (0.78 + 0.3 * math.sin(t * 1.5)))
            for t in np.linspace(0, 1, 24)
        ]
        c.fill(c.stroke(bend, 0.055 * s), SOOT)
        c.fill(c.ellipse(bend[-1][0], bend[-1][1], 0.06 * s, 0.06 * s), SOOT)
    c.fill(c.ellipse(x, y + 0.3 * s, 0.42 * s, 0.72 * s), SOOT)
    body = c.ellipse(x, y + 0.3 * s, 0.37 * s, 0.67 * s)
    c.fill(body, AMBER)
    for k in range(3):
        top = y + (0.1 + 0.27 * k) * s
        band = c.polygon([(x - s, top), (x + s, top), (x + s, top + 0.13 * s), (x - s, top + 0.13 * s)])
        c.fill(band, SOOT, body)
    c.fill(c.ellipse(x, y - 0.3 * s, 0.34 * s, 0.3 * s), AMBER)
    c.fill(c.ellipse(x, y - 0.64 * s, 0.24 * s, 0.22 * s), SOOT)


def draw_sprig(c: Canvas, x: float, y: float, length: float, lean: float) -> None:
    """A stem with leaves, growing from (x, y) at an angle of `lean` degrees from upright."""
    a = math.radians(lean)
    up = np.array([math.sin(a), -math.cos(a)])
    side = np.array([math.cos(a), math.sin(a)])
    stem = [
        np.array([x, y]) + up * length * t + side * 0.1 * length * math.sin(2.2 * t)
        for t in np.linspace(0, 1, 40)
    ]
    c.fill(c.stroke([p.tolist() for p in stem], 0.032 * length), MOSS)
    for k in range(1, 7):
        p = stem[k * 6]
        for hand in (-1, 1):
            leaf = p + (side * hand * 0.13 + up * 0.07) * length * (1.1 - 0.09 * k)
            c.fill(
                c.ellipse(
                    leaf[0], leaf[1], 0.145 * length * (1.05 - 0.09 * k), 0.055 * length, lean + hand * -28
                ),
                MOSS,
            )
    c.fill(c.ellipse(stem[-1][0], stem[-1][1], 0.06 * length, 0.06 * length), BRICK)


def bee() -> np.ndarray:
    """The bee alone on white, 900 x 900 px."""
    c = Canvas(100, 100, 9, WHITE)
    draw_bee(c, 50, 50, 42)
    return c.picture()


def sprig() -> np.ndarray:
    """The sprig alone on white, 700 x 900 px."""
    c = Canvas(70, 90, 10, WHITE)
    draw_sprig(c, 30, 84, 72, 6)
    return c.picture()


def lettering() -> np.ndarray:
    """The cooperative's name in one colour, 1400 x 300 px."""
    c = Canvas(140, 30, 10, WHITE)
    c.fill(c.text(70, 15, 14, "LARKMOOR", 1.6), SOOT)
    return c.picture()


def hexagons() -> np.ndarray:
    """Seven hexagons that do not touch, for a wall, 1000 x 1000 px."""
    c = Canvas(100, 100, 10, WHITE)
    c.fill(c.hexagon(50, 50, 15), AMBER)
    for k in range(6):
        a = k * math.pi / 3
        c.fill(c.hexagon(50 + 28.5 * math.cos(a), 50 + 28.5 * math.sin(a), 15), (SOOT, AMBER, LINEN)[k % 3])
    return c.picture()


def gate_sign() -> np.ndarray:
    """The big sign's graphic, 480 x 260 mm at 5 px a mm."""
    c = Canvas(500, 280, 5, WHITE)
    for column in range(3):
        for row in range(5):
            cx, cy = 36 + 34 * column + (17 if row % 2 else 0), 40 + 29.5 * row
            if column + row < 4:
                c.fill(c.hexagon(cx, cy, 16), AMBER if (column + 2 * row) % 3 else BRICK)
    draw_bee(c, 250, 92, 70)
    draw_sprig(c, 404, 172, 132, -14)
    draw_sprig(c, 440, 172, 108, 20)
    c.fill(c.text(250, 208, 35, "LARKMOOR APIARY", 4.2), SOOT)
    c.fill(c.text(250, 252, 14.5, "HONEY FROM THE MOOR · RING AT THE GATE", 1.0), MOSS)
    return c.picture()


def panel() -> bytes:
    """The front of the scale's panel as an SVG drawing, 180 x 110 mm, larger than the panel.

    Comb over its edge, scales, marks, vents.
    """
    out = []

    def hexagon(x: float, y: float, r: float) -> str:
        return " ".join(
            f"{x + r * math.sin(k * math.pi / 3):.3f},{y + r * math.cos(k * math.pi / 3):.3f}"
            for k in range(6)
        )

    for row in range(3):
        for column in range(11):
            x, y = 8 + 15.6 * column + (7.8 if row % 2 else 0), 66 + 13.5 * row
            if y > 80 or x < 14 or x > 160:
                out.append(
                    f'<polygon points="{hexagon(x, y, 7.2)}" fill="none" stroke="{AMBER}"'
                    ' stroke-width="1.6"/>'
                )
    for gauge in (42, 90):
        for k in range(11):
            a = math.radians(-225 + 27 * k)
            ends = [
                (gauge + r * math.cos(a), 43 + r * math.sin(a)) for r in (16.5, 20.5 if k % 5 == 0 else 18.8)
            ]
            (x0, y0), (x1, y1) = ends
            wide = 1.6 if k % 5 == 0 else 1.0
            out.append(
                f'<path d="M {x0:.3f},{y0:.3f} L {x1:.3f},{y1:.3f}" stroke="{LINEN}" stroke-width="{wide}"/>'
            )
        out.append(f'<circle cx="{gauge}" cy="20.5" r="1.6" fill="{BRICK}"/>')
    out += [
        f'<rect x="{118 + 6 * k}" y="60" width="2.4" height="12" rx="1.2" fill="{SOOT}"/>' for k in range(7)
    ]
    head = '<svg xmlns="http://www.w3.org/2000/svg" width="180mm" height="110mm" viewBox="0 0 180 110">'
    return "\n".join([head, *out, "</svg>", ""]).encode()


def photographed(rgb: np.ndarray, seed: int = 7) -> np.ndarray:
    """The picture as a hand-held photograph would show it.

    Tilted a little, lit from one side, soft, noisy.
    """
    h, w = rgb.shape[:2]
    rng = np.random.default_rng(seed)
    pad = cv2.copyMakeBorder(
        rgb, h // 12, h // 12, w // 12, w // 12, cv2.BORDER_CONSTANT, value=(255, 255, 255)
    )
    ph, pw = pad.shape[:2]
    corners = np.array([[0, 0], [pw, 0], [pw, ph], [0, ph]], np.float32)
    moved = corners + np.array(
        [[0.02, 0.015], [-0.012, 0.0], [0.0, -0.01], [0.008, 0.0]], np.float32
    ) * np.array([pw, ph], np.float32)
    tilted = cv2.warpPerspective(
        pad,
        cv2.getPerspectiveTransform(corners, moved),
        (pw, ph),
        flags=cv2.INTER_AREA,
        borderValue=(255, 255, 255),
    )
    gx, gy = np.meshgrid(np.linspace(-1, 1, pw), np.linspace(-1, 1, ph))
    light = (0.86 - 0.13 * gx + 0.06 * gy - 0.05 * gx * gx)[..., None]
    soft = cv2.GaussianBlur(tilted.astype(np.float32) * light.astype(np.float32), (0, 0), 1.1)
    noisy = soft + rng.normal(0, 4.0, soft.shape)
    return np.asarray(np.clip(noisy, 0, 255).astype(np.uint8))


def png_bytes(rgb: np.ndarray) -> bytes:
    """PNG file of a picture."""
    buffer = io.BytesIO()
    Image.fromarray(rgb).save(buffer, "PNG", compress_level=2)
    return buffer.getvalue()


def jpeg_bytes(rgb: np.ndarray, quality: int = 78) -> bytes:
    """JPEG file of a picture."""
    buffer = io.BytesIO()
    Image.fromarray(rgb).save(buffer, "JPEG", quality=quality)
    return buffer.getvalue()
