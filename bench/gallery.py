"""Pictures as the world delivers them, of drawings whose every pixel is known.

A drawing is painted four times as large without anti-aliasing (the truth), then reduced, compressed,
shadowed, scanned or photographed by one of the functions of `KINDS`.
"""

from __future__ import annotations

import io
import json
import math
import tarfile
from collections.abc import Callable, Iterator
from functools import cache
from typing import NamedTuple

import cv2
import numpy as np
from PIL import Image, ImageFilter

from bench.openset import archive_of, colours_of, is_flat, painted

#: Longer side of a picture, px; the truth is so many times as large.
SIDE, OVER = 480, 4
#: Sets that no other benchmark uses: flat figures (Apache-2.0), flags of countries (MIT), signs in one colour
#: (MIT).
SETS = {
    "faces": "@iconify-json/fxemoji@1.2.2",
    "flags": "flag-icons@7.5.0",
    "signs": "@phosphor-icons/core@2.1.1",
}
#: So many drawings are put through everything, each kind beginning with another one.
POOL = 30
#: A drawing is taken when each of its colours covers so much of it.
LEAST = 0.004
_INKS = ("#1b1a20", "#243a8c", "#7a1f2b", "#0d5c4a")
_FILLS = ("#e2681c", "#fae8be", "#16808e", "#c8283c", "#f0c828", "#6a4fa3", "#8cb84a")


class Drawn(NamedTuple):
    """A drawing, and what colour each place of it truly has."""

    name: str
    svg: str
    labels: np.ndarray  # (H, W) int32, into the palette
    palette: np.ndarray  # (N, 3) uint8, the ground first


class Shown(NamedTuple):
    """A file as it is delivered, and the truth it shows."""

    kind: str
    name: str
    data: bytes
    labels: np.ndarray  # (H, W) int32, lies on the whole picture, -1 where it is no part of it
    palette: np.ndarray  # (N, 3) uint8
    corners: np.ndarray | None = None  # (4, 2) of the sheet, as fractions, clockwise from the upper left
    size: tuple[float, float] | None = None  # of the sheet, mm


def cartoon_of(seed: int) -> str:
    """Overlapping shapes with outlines of 2 to 3 px."""
    r = np.random.default_rng(seed)
    ink, out = _INKS[seed % 4], []
    for _ in range(6):
        cx, cy, a, b = r.uniform(130, 350), r.uniform(130, 350), r.uniform(35, 110), r.uniform(35, 100)
        n, turn = int(r.integers(5, 60)), r.uniform(0, 6)
        u = np.linspace(0, 2 * math.pi, n, endpoint=False) + turn
        points = " ".join(
            f"{x:.2f},{y:.2f}" for x, y in zip(cx + a * np.cos(u), cy + b * np.sin(u), strict=True)
        )
        out.append(
            f'<polygon points="{points}" fill="{_FILLS[int(r.integers(7))]}" stroke="{ink}"'
            f' stroke-width="{r.choice([2, 2.5, 3])}" stroke-linejoin="round"/>'
        )
    return svg_of("".join(out))


def _badge(seed: int) -> str:
    """A ring, a star and bars: a badge without outlines."""
    r = np.random.default_rng(seed)
    a, b, c = (_FILLS[k] for k in r.permutation(7)[:3])
    u = np.linspace(0, 2 * math.pi, 2 * int(r.integers(4, 9)), endpoint=False)
    d = np.where(np.arange(len(u)) % 2, r.uniform(40, 60), r.uniform(80, 100))
    star = " ".join(f"{240 + x:.2f},{220 + y:.2f}" for x, y in zip(d * np.cos(u), d * np.sin(u), strict=True))
    return svg_of(
        f'<circle cx="240" cy="240" r="200" fill="{a}"/><circle cx="240" cy="240" r="168" fill="#ffffff"/>'
        f'<polygon points="{star}" fill="{b}"/>'
        f'<rect x="110" y="338" width="260" height="22" rx="6" fill="{c}"/>'
    )


def strokes_of(seed: int, wide: tuple[float, float] = (3.0, 7.0), ink: str = "#20242c") -> str:
    """Curved strokes and rings in one ink."""
    r = np.random.default_rng(seed)
    out = []
    for _ in range(7):
        p = r.uniform(50, 430, (4, 2)).round(1)
        w = r.uniform(*wide)
        (x0, y0), (x1, y1), (x2, y2), (x3, y3) = p.tolist()
        out.append(
            f'<path d="M{x0} {y0}C{x1} {y1} {x2} {y2} {x3} {y3}" fill="none" stroke="{ink}"'
            f' stroke-width="{w:.1f}" stroke-linecap="round"/>'
        )
    x, y = r.uniform(120, 360, 2).round(1)
    out.append(f'<circle cx="{x}" cy="{y}" r="64" fill="none" stroke="{ink}" stroke-width="{wide[1]}"/>')
    return svg_of("".join(out))


def svg_of(inside: str, box: str = "0 0 480 480") -> str:
    return f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="{box}">{inside}</svg>'


@cache
def _of_set(name: str, count: int) -> tuple[tuple[str, str], ...]:
    """Names and texts of flat drawings of a set, picked at random."""
    rng = np.random.default_rng(7)
    out = []
    with tarfile.open(archive_of(SETS[name])) as tar:

        def text(member: str) -> bytes:
            found = tar.extractfile(member)
            assert found is not None
            return found.read()

        if name == "faces":
            icons = json.loads(text("package/icons.json"))["icons"]
            names = sorted(icons)
            chosen = [names[k] for k in rng.permutation(len(names))[:count].tolist()]
            out = [(n, svg_of(icons[n]["body"], "0 0 512 512")) for n in chosen]
        else:
            inner = {"flags": "package/flags/1x1/", "signs": "package/assets/fill/"}[name]
            files = sorted(n for n in tar.getnames() if n.startswith(inner) and n.endswith(".svg"))
            for k in rng.permutation(len(files))[:count].tolist():
                svg = text(files[k]).decode()
                if name == "signs":
                    svg = svg.replace("currentColor", _INKS[k % 4])
                out.append((files[k].rsplit("/", 1)[1], svg))
    return tuple(out)


def drawn(name: str, svg: str, side: int = SIDE) -> Drawn | None:
    """A drawing with its truth; None when it has colours too small to be asked for, or is not flat."""
    if not is_flat(svg):
        return None
    large = painted(_inset(svg), side * OVER, crisp=True)
    palette = colours_of(large, LEAST)
    key = (large.astype(np.uint32) * np.array([1 << 16, 1 << 8, 1], np.uint32)).sum(-1)
    keys = (palette.astype(np.uint32) * np.array([1 << 16, 1 << 8, 1], np.uint32)).sum(-1)
    if not 2 <= len(palette) <= 9 or np.isin(key, keys).mean() < 1 or (palette != 255).any(1).all():
        return None
    gap = np.abs(palette[:, None].astype(int) - palette[None]).sum(-1) + 999 * np.eye(len(palette), dtype=int)
    if gap.min() < 60:
        return None
    # The ground first.
    order = np.argsort((palette != 255).any(1), kind="stable")
    place = np.argsort(keys[order])
    labels = place[np.searchsorted(keys[order][place], key)].astype(np.int8)
    return Drawn(name, svg, labels, palette[order])


def _inset(svg: str) -> str:
    """A drawing with a margin round it, so that its ground is the border."""
    return svg_of(f'<svg x="40" y="40" width="400" height="400" {svg[svg.index("<svg") + 4 :]}')


def drawings(own_only: bool = False) -> Iterator[Drawn]:
    """Drawings without end: own ones, and those of the sets, which are fetched, in turn."""
    own = {"cartoon": cartoon_of, "badge": _badge, "strokes": strokes_of}
    sets = {} if own_only else {n: iter(_of_set(n, 150)) for n in SETS}
    n = 0
    while True:
        for name, make in own.items():
            found = drawn(f"{name} {n}", make(900 + n))
            if found is not None:
                yield found
        for name, some in sets.items():
            for file, svg in some:
                found = drawn(f"{name} {file}", svg)
                if found is not None:
                    yield found
                    break
        n += 1


# -- what the world does


def _large(d: Drawn) -> np.ndarray:
    return d.palette[d.labels]


def reduced(
    large: np.ndarray, how: Image.Resampling = Image.Resampling.BOX, over: float = OVER
) -> np.ndarray:
    """A picture reduced by a filter."""
    h, w = large.shape[:2]
    return np.asarray(Image.fromarray(large).resize((round(w / over), round(h / over)), how))


def png(rgb: np.ndarray) -> bytes:
    """A picture as PNG."""
    return saved(rgb, "PNG")


def saved(rgb: np.ndarray, how: str, **options: object) -> bytes:
    """A picture in a format."""
    out = io.BytesIO()
    Image.fromarray(rgb).save(out, how, **options)
    return out.getvalue()


def _filtered(how: Image.Resampling) -> Callable[[Drawn, np.random.Generator], bytes]:
    return lambda d, r: png(reduced(_large(d), how))


def _jpeg(quality: int, subsampling: int = 2) -> Callable[[Drawn, np.random.Generator], bytes]:
    return lambda d, r: saved(
        reduced(_large(d), Image.Resampling.LANCZOS), "JPEG", quality=quality, subsampling=subsampling
    )


def _unsharp(d: Drawn, r: np.random.Generator) -> bytes:
    image = Image.fromarray(reduced(_large(d))).filter(ImageFilter.UnsharpMask(1.5, 120, 2))
    return png(np.asarray(image))


def _webp(d: Drawn, r: np.random.Generator) -> bytes:
    return saved(reduced(_large(d), Image.Resampling.BICUBIC), "WEBP", quality=75)


def _palette_png(d: Drawn, r: np.random.Generator) -> bytes:
    few = Image.fromarray(reduced(_large(d))).quantize(int(r.integers(16, 64)), dither=Image.Dither.NONE)
    out = io.BytesIO()
    few.save(out, "PNG")
    return out.getvalue()


def _screenshot(d: Drawn, r: np.random.Generator) -> bytes:
    scale = float(r.choice([1.25, 1.5]))
    small = reduced(_large(d), over=OVER * scale)
    h, w = d.labels.shape
    return png(np.asarray(Image.fromarray(small).resize((w // OVER, h // OVER), Image.Resampling.BILINEAR)))


def _figure_alpha(d: Drawn) -> tuple[np.ndarray, np.ndarray]:
    """The figure's own colours out to its edge, and how much of each pixel it covers."""
    share = cv2.resize(
        (d.labels > 0).astype(np.float32), None, fx=1 / OVER, fy=1 / OVER, interpolation=cv2.INTER_AREA
    )
    sums = cv2.resize(
        (_large(d) * (d.labels > 0)[..., None]).astype(np.float32),
        share.shape[::-1],
        interpolation=cv2.INTER_AREA,
    )
    return sums / np.maximum(share, 1e-6)[..., None], share


def _cast(share: np.ndarray, r: np.random.Generator) -> np.ndarray:
    """A soft shadow of the figure, 0 to 1."""
    move = np.float32([[1, 0, r.uniform(4, 9)], [0, 1, r.uniform(4, 9)]])
    moved = cv2.warpAffine(share, move, share.shape[::-1])
    return np.asarray(cv2.GaussianBlur(moved, (0, 0), r.uniform(4, 8))) * 0.5


def _soft_shadow(d: Drawn, r: np.random.Generator) -> bytes:
    """Half-transparent black behind the figure."""
    rgb, share = _figure_alpha(d)
    return png(_behind(rgb, share, np.zeros(3), _cast(share, r)))


def _glow(d: Drawn, r: np.random.Generator) -> bytes:
    """Half-transparent white round the figure."""
    rgb, share = _figure_alpha(d)
    return png(_behind(rgb, share, np.full(3, 255.0), np.asarray(cv2.GaussianBlur(share, (0, 0), 7)) * 0.8))


def _behind(rgb: np.ndarray, share: np.ndarray, colour: np.ndarray, soft: np.ndarray) -> np.ndarray:
    alpha = share + soft * (1 - share)
    out = (rgb * share[..., None] + colour * (soft * (1 - share))[..., None]) / np.maximum(alpha, 1e-6)[
        ..., None
    ]
    return np.dstack([out, 255 * alpha]).round().clip(0, 255).astype(np.uint8)


def _shadow_on_white(d: Drawn, r: np.random.Generator) -> bytes:
    rgb, share = _figure_alpha(d)
    ground = 255 * (1 - _cast(share, r))[..., None]
    return png(
        (rgb * share[..., None] + ground * (1 - share[..., None])).round().clip(0, 255).astype(np.uint8)
    )


def _grain(shape: tuple[int, ...], r: np.random.Generator, deep: float) -> np.ndarray:
    fine = r.normal(0, 1, shape[:2])
    coarse = cv2.GaussianBlur(r.normal(0, 1, shape[:2]), (0, 0), 2.5)
    return deep * (0.6 * fine + 3.0 * coarse)[..., None]


def _scan(d: Drawn, r: np.random.Generator) -> bytes:
    """Grain of paper, a back page that shines through, a little blur."""
    rgb = reduced(_large(d)).astype(float)
    back = cv2.GaussianBlur(rgb[:, ::-1].mean(-1), (0, 0), 2.0)[..., None]
    paper = np.array([247.0, 244.0, 236.0]) / 255
    out = rgb * paper * (1 - 0.05 * (1 - back / 255)) + _grain(rgb.shape, r, 2.0)
    out = cv2.GaussianBlur(out, (0, 0), 0.6)
    return saved(out.clip(0, 255).astype(np.uint8), "JPEG", quality=88)


def _slope(h: int, w: int, r: np.random.Generator, deep: float) -> np.ndarray:
    """Uneven light, 1 - deep to 1."""
    turn = r.uniform(0, 2 * math.pi)
    y, x = np.mgrid[-1 : 1 : h * 1j, -1 : 1 : w * 1j]
    along = (x * math.cos(turn) + y * math.sin(turn)) / 1.5
    return (1 - deep * (0.5 + 0.5 * along))[..., None]


def _uneven(d: Drawn, r: np.random.Generator) -> bytes:
    rgb = reduced(_large(d)).astype(float)
    out = rgb * 0.93 * _slope(*rgb.shape[:2], r, 0.35) + _grain(rgb.shape, r, 1.0)
    return saved(out.clip(0, 255).astype(np.uint8), "JPEG", quality=90)


def _hard_shadow(d: Drawn, r: np.random.Generator) -> bytes:
    rgb = reduced(_large(d)).astype(float)
    h, w = rgb.shape[:2]
    turn, off = r.uniform(0, math.pi), r.uniform(-60, 60)
    y, x = np.mgrid[:h, :w]
    side = (x - w / 2) * math.cos(turn) + (y - h / 2) * math.sin(turn) - off
    light = 1 - 0.35 * np.clip(side / 4 + 0.5, 0, 1)[..., None]
    return saved((rgb * 0.95 * light).clip(0, 255).astype(np.uint8), "JPEG", quality=92)


def _glare(d: Drawn, r: np.random.Generator) -> bytes:
    rgb = reduced(_large(d)).astype(float) * 0.88
    h, w = rgb.shape[:2]
    y, x = np.mgrid[:h, :w]
    far = ((x - r.uniform(0.3, 0.7) * w) ** 2 + (y - r.uniform(0.3, 0.7) * h) ** 2) / (0.12 * w) ** 2
    out = rgb + (235 - rgb) * 0.45 * np.exp(-far / 2)[..., None]
    return saved(out.clip(0, 255).astype(np.uint8), "JPEG", quality=92)


def _motion(d: Drawn, r: np.random.Generator) -> bytes:
    kernel = np.zeros((7, 7), np.float32)
    turn = r.uniform(0, math.pi)
    for t in np.linspace(-2.5, 2.5, 41):
        kernel[round(3 + t * math.sin(turn)), round(3 + t * math.cos(turn))] += 1
    return saved(cv2.filter2D(reduced(_large(d)), -1, kernel / kernel.sum()), "JPEG", quality=92)


def _focus(d: Drawn, r: np.random.Generator) -> bytes:
    return saved(cv2.GaussianBlur(reduced(_large(d)), (0, 0), r.uniform(1.3, 2.2)), "JPEG", quality=92)


def _halftone(d: Drawn, r: np.random.Generator) -> bytes:
    """Printed in dots, and scanned: every colour is dots of ink, larger where it is darker."""
    large = _large(d)
    h, w = large.shape[:2]
    turn, pitch = r.uniform(0.3, 0.6), OVER * r.uniform(3.2, 4.2)
    y, x = np.mgrid[:h, :w].astype(np.float32)
    screen = (
        np.cos(2 * np.pi * (x * math.cos(turn) + y * math.sin(turn)) / pitch)
        + np.cos(2 * np.pi * (y * math.cos(turn) - x * math.sin(turn)) / pitch)
    ) / 4 + 0.5
    ink = 255 - large.astype(np.float32)
    dots = 255 * np.clip((ink / 255 - screen[..., None]) * 2 + 0.5, 0, 1)
    soft = cv2.GaussianBlur(255 - (0.25 * dots + 0.75 * ink), (0, 0), OVER * 0.6)
    return saved(reduced(soft.clip(0, 255).astype(np.uint8)), "JPEG", quality=90)


# -- drawings of their own kind


def _pale(d: Drawn, r: np.random.Generator) -> bytes:
    return png(reduced(_large(d)))


def _pale_of(d: Drawn, r: np.random.Generator) -> Drawn:
    """One colour, hardly darker than the ground."""
    grey = int(r.integers(226, 241))
    return Drawn(d.name, d.svg, (d.labels > 0).astype(np.int8), np.array([[255] * 3, [grey] * 3], np.uint8))


def _light_of(d: Drawn, r: np.random.Generator) -> Drawn:
    """Light strokes on a dark ground: chalk, a blueprint."""
    ground = [(34, 52, 46), (20, 56, 120), (38, 38, 40)][int(r.integers(3))]
    return Drawn(d.name, d.svg, (d.labels > 0).astype(np.int8), np.array([ground, (236, 238, 232)], np.uint8))


def _chalk(d: Drawn, r: np.random.Generator) -> bytes:
    rgb = reduced(_large(d)).astype(float)
    out = rgb * _slope(*rgb.shape[:2], r, 0.25) + _grain(rgb.shape, r, 3.0)
    return saved(out.clip(0, 255).astype(np.uint8), "JPEG", quality=88)


def _pencil_of(d: Drawn, r: np.random.Generator) -> Drawn:
    """The drawing's outlines in strokes of 3 px."""
    kernel = np.ones((3, 3), np.uint8)
    edge = cv2.dilate(d.labels.view(np.uint8), kernel) != d.labels.view(np.uint8)
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (3 * OVER, 3 * OVER))
    lines = cv2.dilate(edge.view(np.uint8), disc).view(np.int8)
    return Drawn(d.name, d.svg, lines, np.array([[255] * 3, [98, 96, 94]], np.uint8))


def _pencil(d: Drawn, r: np.random.Generator) -> bytes:
    rgb = reduced(_large(d)).astype(float)
    ink = 255 - rgb
    # Graphite catches the grain of the paper.
    rough = np.clip(0.8 + _grain(rgb.shape, r, 0.25), 0.35, 1.2)
    out = (255 - ink * rough) * 0.96 * _slope(*rgb.shape[:2], r, 0.15) + _grain(rgb.shape, r, 1.5)
    return saved(out.clip(0, 255).astype(np.uint8), "JPEG", quality=90)


def _gradient(d: Drawn, r: np.random.Generator) -> bytes:
    """The largest colour of the figure goes softly from one tone to another."""
    main = 1 + int(np.argmax(np.bincount(d.labels.ravel(), minlength=len(d.palette))[1:]))
    large = _large(d).astype(np.float32)
    h, w = d.labels.shape
    tone = 1 + 0.16 * (np.linspace(-1, 1, h)[:, None, None] + np.zeros((h, w, 1)))
    large = np.where((d.labels == main)[..., None], large * tone, large)
    return png(reduced(large.clip(0, 255).astype(np.uint8)))


def _sprite_of(d: Drawn, r: np.random.Generator) -> Drawn:
    """A sprite: so few squares that each is meant."""
    n = int(r.choice([12, 16, 24, 32]))
    h, w = d.labels.shape
    labels = d.labels[h // (2 * n) :: h // n, w // (2 * n) :: w // n][:n, :n]
    used, labels = np.unique(labels, return_inverse=True)
    return Drawn(d.name, d.svg, labels.reshape(n, n), d.palette[used])


def _sprite(d: Drawn, r: np.random.Generator) -> bytes:
    return png(_large(d))


def _large_sprite(d: Drawn, r: np.random.Generator) -> bytes:
    n = d.labels.shape[0]
    wide = int(r.integers(8, 400 // n + 1)) if n < 50 else 8
    rgb = np.kron(_large(d), np.ones((wide, wide, 1), np.uint8))
    return saved(rgb, "JPEG", quality=85)


#: Of each kind: what is drawn (None: the drawing as it is), and how it is delivered.
Change = Callable[[Drawn, np.random.Generator], Drawn]
KINDS: dict[str, tuple[Change | None, Callable[[Drawn, np.random.Generator], bytes]]] = {
    "area mean": (None, _filtered(Image.Resampling.BOX)),
    "Lanczos": (None, _filtered(Image.Resampling.LANCZOS)),
    "bicubic": (None, _filtered(Image.Resampling.BICUBIC)),
    "unsharp mask": (None, _unsharp),
    "JPEG 95, full chroma": (None, _jpeg(95, 0)),
    "JPEG 80": (None, _jpeg(80)),
    "JPEG 60": (None, _jpeg(60)),
    "JPEG 40": (None, _jpeg(40)),
    "WebP": (None, _webp),
    "palette PNG": (None, _palette_png),
    "screenshot": (None, _screenshot),
    "soft shadow": (None, _soft_shadow),
    "glow": (None, _glow),
    "shadow on white": (None, _shadow_on_white),
    "pale on white": (_pale_of, _pale),
    "sprite": (_sprite_of, _sprite),
    "sprite, enlarged": (_sprite_of, _large_sprite),
    "soft gradient": (None, _gradient),
    "light on dark": (_light_of, _chalk),
    "pencil": (_pencil_of, _pencil),
    "scan": (None, _scan),
    "uneven light": (None, _uneven),
    "hard shadow": (None, _hard_shadow),
    "glare": (None, _glare),
    "motion blur": (None, _motion),
    "out of focus": (None, _focus),
    "halftone": (None, _halftone),
    "sheet on a desk": (None, None),  # type: ignore[dict-item]  # see `on_a_desk`
}


@cache
def _source(own_only: bool) -> tuple[list[Drawn], Iterator[Drawn]]:
    return [], drawings(own_only)


def _pool(n: int, own_only: bool) -> Drawn:
    """The n-th drawing; each is painted once."""
    known, more = _source(own_only)
    while len(known) <= n:
        known.append(next(more))
    return known[n]


def pictures(kind: str, count: int, own_only: bool = False) -> Iterator[Shown]:
    """Pictures of a kind, always the same ones; `own_only` fetches nothing."""
    change, deliver = KINDS[kind]
    r = np.random.default_rng(sum(map(ord, kind)))
    first = 0 if own_only else int(r.integers(POOL))
    for n in range(count):
        d = _pool((first + n) % POOL, own_only)
        if change is not None:
            d = change(d, r)
        if kind == "sheet on a desk":
            yield on_a_desk(d, r)
            continue
        palette = d.palette
        yield Shown(kind, d.name, deliver(d, r), d.labels, palette)


#: Sheets, mm.
SHEETS = {"A4": (210.0, 297.0), "A5": (148.0, 210.0), "Letter": (215.9, 279.4), "card": (85.6, 54.0)}


def on_a_desk(d: Drawn, r: np.random.Generator, size: tuple[int, int] = (1200, 1600)) -> Shown:
    """A drawing on a sheet on a desk, photographed by hand: perspective, lens, light, shadow, noise."""
    sheet = list(SHEETS)[int(r.integers(len(SHEETS)))]
    w, h = SHEETS[sheet]
    over = 6.0 if sheet == "card" else 4.0
    page = np.zeros((round(h * over), round(w * over)), np.int32)
    side = round(0.8 * min(page.shape))
    y0, x0 = (page.shape[0] - side) // 2, (page.shape[1] - side) // 2
    page[y0 : y0 + side, x0 : x0 + side] = cv2.resize(
        d.labels.astype(np.int16), (side, side), interpolation=cv2.INTER_NEAREST
    )
    # The camera looks from somewhere above, tilted and turned.
    W, H = size
    tilt, way, roll = np.radians(r.uniform(8, 28)), r.uniform(0, 2 * np.pi), np.radians(r.uniform(-18, 18))
    axis = np.array([math.cos(way), math.sin(way), 0.0]) * tilt
    turn = cv2.Rodrigues(axis)[0] @ cv2.Rodrigues(np.array([0, 0, roll]))[0]
    focal = 1.15 * max(W, H)
    box = np.array([[0, 0], [w, 0], [w, h], [0, h]], float)
    flat = np.c_[box - [w / 2, h / 2], np.zeros(4)] @ turn.T
    reach = 0.78 * min(W / np.ptp(flat[:, 0]), H / np.ptp(flat[:, 1]))
    distance = focal / reach
    place = turn[:, :2] @ np.array([[1, 0], [0, 1]])
    homography = (
        np.array([[focal, 0, W / 2], [0, focal, H / 2], [0, 0, 1]])
        @ np.c_[
            place,
            -turn[:, :2] @ np.array([w / 2, h / 2]) + np.array([r.uniform(-0.03, 0.03) * w, 0, distance]),
        ]
    )
    to = homography @ np.diag([1 / over, 1 / over, 1.0])
    labels = cv2.warpPerspective(
        page.astype(np.int16), to, (W, H), flags=cv2.INTER_NEAREST, borderValue=-1
    ).astype(np.int32)
    paper = np.where((page == 0)[..., None], 250, d.palette[page].astype(int)).astype(np.uint8)
    desk = _desk(H, W, r)
    soft = cv2.warpPerspective(paper, to, (W, H), flags=cv2.INTER_AREA, borderMode=cv2.BORDER_CONSTANT)
    share = cv2.warpPerspective(np.ones(page.shape, np.float32), to, (W, H), flags=cv2.INTER_LINEAR)[
        ..., None
    ]
    shadow = cv2.GaussianBlur(np.roll(share[..., 0], (9, 7), (0, 1)), (0, 0), 7)[..., None]
    out = soft * share + desk * (1 - 0.45 * shadow) * (1 - share)
    out = out * 0.92 * _slope(H, W, r, 0.3)
    # A lens that bends outwards a little.
    bend = float(r.uniform(-0.03, 0.03))
    camera = np.array([[focal, 0, W / 2], [0, focal, H / 2], [0, 0, 1]])
    lens = np.array([bend, 0, 0, 0])
    out = cv2.undistort(out.astype(np.float32), camera, lens)
    bent = cv2.undistort(labels.astype(np.float32), camera, lens)
    labels = np.where(np.abs(bent - bent.round()) < 0.01, bent.round(), labels).astype(np.int32)
    corners = cv2.perspectiveTransform(box[None], homography)[0]
    corners = cv2.undistortPoints(corners[None], camera, lens, P=camera).reshape(-1, 2)
    out = cv2.GaussianBlur(out, (0, 0), 0.7) + r.normal(0, 2.5, out.shape)
    data = saved(out.clip(0, 255).astype(np.uint8), "JPEG", quality=90)
    return Shown(
        "sheet on a desk", f"{d.name} on {sheet}", data, labels, d.palette, corners / [W, H], SHEETS[sheet]
    )


def _desk(h: int, w: int, r: np.random.Generator) -> np.ndarray:
    """Wood, cloth or stone."""
    colour = np.array(
        [(150, 108, 72), (92, 96, 104), (176, 168, 156), (60, 48, 40)][int(r.integers(4))], float
    )
    grain = cv2.GaussianBlur(r.normal(0, 1, (h, w)), (0, 0), sigmaX=float(r.uniform(4, 40)), sigmaY=1.2)
    grain *= 14 / max(grain.std(), 1e-9)
    return (colour + grain[..., None]).clip(0, 255)
