"""Tracing a whole picture against polygonising its pixel edges (shapely) and against a general-purpose
colour tracer (vtracer)."""

from __future__ import annotations

import io
from collections.abc import Callable
from itertools import cycle

import cv2
import numpy as np
import shapely
import vtracer
from msgspec.structs import replace
from PIL import Image, ImageDraw

from bench.gallery import cartoon_of, drawn, on_a_desk, saved
from bench.timing import in_turns
from cutkey.core.engine.draw import draw_graphic
from cutkey.core.errors import BadInput
from cutkey.core.memo import Memo
from cutkey.core.model.job import GraphicSpec, Source
from cutkey.core.picture.labels import label_pixels
from cutkey.core.picture.palette import find_palette
from cutkey.core.picture.read import read_picture
from cutkey.core.trace.first import first_settings
from cutkey.core.trace.partition import regions
from cutkey.core.trace.run import trace

Row = tuple[str, float, float, str]
_ONLY = "read, warped, vtracer"


def picture(side: int) -> np.ndarray:
    """Discs and rectangles of 16 colours, anti-aliased."""
    rng = np.random.default_rng(1)
    image = Image.new("RGB", (4 * side, 4 * side), (250, 240, 220))
    draw = ImageDraw.Draw(image)
    colours = rng.integers(0, 255, (16, 3))
    for k in range(160):
        x, y = rng.integers(0, 4 * side, 2)
        r = rng.integers(side // 17, side // 2)
        (draw.ellipse if k % 2 else draw.rectangle)(
            (x - r, y - r, x + r, y + int(r * 0.8)), fill=tuple(int(v) for v in colours[k % 16])
        )
    return np.asarray(image.resize((side, side), Image.Resampling.BOX))


def pixel_edges(rgb: np.ndarray) -> None:
    """The floor: label, then polygonise the pixel edges with shapely and simplify them together."""
    labels = label_pixels(rgb, find_palette(rgb))
    p = np.pad(labels, 1, constant_values=-1)
    y, x = np.nonzero(p[:-1, 1:-1] != p[1:, 1:-1])
    v, u = np.nonzero(p[1:-1, :-1] != p[1:-1, 1:])
    flat = np.stack([np.stack([x, y], 1), np.stack([x + 1, y], 1)], 1)
    upright = np.stack([np.stack([u, v], 1), np.stack([u, v + 1], 1)], 1)
    lines = shapely.linestrings(np.concatenate([flat, upright]).astype(float))
    shapely.coverage_simplify(shapely.get_parts(shapely.polygonize(lines)), 1.0)


def other_tracer(rgb: np.ndarray) -> None:
    """The general-purpose tracer on the same pixels, with its curves; the faster of its two ways."""
    data = cv2.imencode(".png", rgb[..., ::-1], [cv2.IMWRITE_PNG_COMPRESSION, 1])[1].tobytes()
    vtracer.convert_raw_image_to_svg(
        data, img_format="png", colormode="color", hierarchical="cutout", mode="spline", filter_speckle=2
    )


def preview(rgb: np.ndarray) -> Callable[[], object]:
    """What the window shows first after a setting has changed: the number of colours, a different one
    each time."""
    buffer = io.BytesIO()
    Image.fromarray(rgb).save(buffer, "PNG")
    source, memo, counts = Source("x", "a.png", "picture"), Memo(), cycle(range(4, 12))
    spec = GraphicSpec("g", "a", "x", 100.0)

    def change() -> object:
        settings = replace(spec.trace, colours=next(counts))
        return draw_graphic(replace(spec, trace=settings), source, buffer.getvalue(), (), memo, draft=True)

    return change


def first_trace(data: bytes) -> None:
    """All that happens between a picture that is dropped and its first trace."""
    read = read_picture(data, "a.jpg")
    first = first_settings(read, 100.0, "a.jpg", whole=True)
    try:
        trace(read, first.settings, 100.0, "a.jpg", whole=True, figure=first.figure)
    except BadInput:
        # A picture of a few pixels, to see that this runs, may leave nothing.
        return


def only_squared(data: bytes) -> None:
    """The floor of a photograph: read it, warp it, trace it with the general-purpose tracer."""
    rgb = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_COLOR)[..., ::-1]
    h, w = rgb.shape[:2]
    corners = np.float32([[0.1 * w, 0.1 * h], [0.9 * w, 0.12 * h], [0.88 * w, 0.9 * h], [0.12 * w, 0.88 * h]])
    wide, high = round(w * 0.4), round(h * 0.4)
    to = cv2.getPerspectiveTransform(corners, np.float32([[0, 0], [wide, 0], [wide, high], [0, high]]))
    other_tracer(np.ascontiguousarray(cv2.warpPerspective(rgb, to, (wide, high))))


def run(small: bool = False) -> list[Row]:
    """512 and 1024 px, 12 megapixels, and the coarse picture that answers a changed setting; `small` to
    see that it runs."""
    rows = []
    rounds = 1 if small else 5
    for side in (64,) if small else (512, 1024):
        rgb = picture(side)
        own, floor = in_turns(
            lambda rgb=rgb: regions(rgb), lambda rgb=rgb: pixel_edges(rgb), rounds=min(rounds, 3)
        )
        rows.append((f"{side} x {side} px, 16 colours", own, floor, "polygonised pixel edges"))
        own, other = in_turns(lambda rgb=rgb: regions(rgb), lambda rgb=rgb: other_tracer(rgb), rounds=rounds)
        rows.append((f"{side} x {side} px, 16 colours, fitted curves", own, other, "vtracer, curves"))
    side = 96 if small else 1024
    large = cv2.resize(picture(side), (128, 96) if small else (4000, 3000), interpolation=cv2.INTER_CUBIC)
    own, other = in_turns(lambda: regions(large), lambda: other_tracer(large), rounds=1)
    rows.append(("12 megapixels, 16 colours, fitted curves", own, other, "vtracer, curves"))
    square = cv2.resize(picture(side), (90, 90) if small else (1000, 1000), interpolation=cv2.INTER_AREA)
    own, other = in_turns(preview(square), lambda: other_tracer(square), rounds=rounds)
    rows.append(("preview of a changed setting, 1000 x 1000 px", own, other, "vtracer on the whole picture"))
    data = saved(square, "JPEG", quality=80)
    own, other = in_turns(lambda: first_trace(data), lambda: other_tracer(square), rounds=min(rounds, 3))
    rows.append(("first trace of a JPEG, 1000 x 1000 px: way found, traced", own, other, "vtracer, curves"))
    size = (120, 160) if small else (3000, 4000)
    made = drawn("cartoon", cartoon_of(902))
    assert made is not None
    photo = on_a_desk(made, np.random.default_rng(5), size).data
    own, other = in_turns(lambda: first_trace(photo), lambda: only_squared(photo), rounds=1)
    rows.append(("photograph of a sheet, 12 megapixels: squared up, evened, traced", own, other, _ONLY))
    return rows
