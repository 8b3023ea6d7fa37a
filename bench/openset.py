"""An open set of flat multi-colour drawings, fetched once by the benchmarks and never committed.

OpenMoji 17.0.0 (CC BY-SA 4.0), from the npm registry.
"""

from __future__ import annotations

import io
import subprocess
import tarfile
from pathlib import Path

import numpy as np
import resvg_py
from PIL import Image

NAME = "openmoji@17.0.0"
FOLDER = Path(__file__).parent.parent / "build" / "bench-data"


def drawings(count: int, seed: int = 1) -> list[tuple[str, str]]:
    """Names and SVG texts of drawings picked at random."""
    archive = FOLDER / f"{NAME.replace('@', '-')}.tgz"
    if not archive.exists():
        FOLDER.mkdir(parents=True, exist_ok=True)
        subprocess.run(["npm", "pack", NAME, "--silent"], cwd=FOLDER, check=True, stdout=subprocess.DEVNULL)
    with tarfile.open(archive) as tar:
        names = sorted(n for n in tar.getnames() if n.startswith("package/color/svg/") and n.endswith(".svg"))
        chosen = np.random.default_rng(seed).permutation(len(names))[:count]
        out = []
        for k in sorted(chosen.tolist()):
            member = tar.extractfile(names[k])
            assert member is not None
            out.append((Path(names[k]).name, member.read().decode()))
    return out


def painted(svg: str, size: int, crisp: bool = False, background: str | None = "white") -> np.ndarray:
    """A drawing painted by resvg, (size, size, 3), or (size, size, 4) without a background."""
    data = resvg_py.svg_to_bytes(
        svg_string=svg,
        width=size,
        height=size,
        background=background,
        skip_system_fonts=True,
        shape_rendering="crisp_edges" if crisp else "geometric_precision",
    )
    return np.asarray(Image.open(io.BytesIO(bytes(data))).convert("RGB" if background else "RGBA"))


def is_flat(svg: str) -> bool:
    """Whether a drawing has neither gradients, nor opacity, nor text."""
    return not any(word in svg for word in ("Gradient", "opacity", "<text", "<image", "filter"))


def colours_of(rgb: np.ndarray, least: float = 2e-5) -> np.ndarray:
    """Colours that cover at least a share of a crisp picture, most frequent first, (N, 3) uint8."""
    key = (rgb.astype(np.uint32) * np.array([1 << 16, 1 << 8, 1], np.uint32)).sum(-1).ravel()
    values, counts = np.unique(key, return_counts=True)
    order = np.argsort(-counts)
    order = order[counts[order] >= least * len(key)]
    return np.stack([values[order] >> 16, values[order] >> 8 & 255, values[order] & 255], 1).astype(np.uint8)
