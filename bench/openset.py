"""Open sets of flat drawings from the npm registry, fetched once by the benchmarks and never committed."""

from __future__ import annotations

import io
import subprocess
import tarfile
from pathlib import Path

import numpy as np
import resvg_py
from PIL import Image

#: Package and folder of each set: flat figures with outlines (CC BY-SA 4.0), flat figures without (CC BY
#: 4.0), round flags (MIT), signs for maps in one colour (CC0), and signs of lines (MIT).
SETS = {
    "figures": ("openmoji@17.0.0", "package/color/svg/"),
    "plain figures": ("@twemoji/svg@15.0.0", "package/"),
    "flags": ("circle-flags@2.8.3", "package/flags/"),
    "signs": ("@mapbox/maki@8.2.0", "package/icons/"),
    "lines": ("feather-icons@4.29.2", "package/dist/icons/"),
}
FOLDER = Path(__file__).parent.parent / "build" / "bench-data"


def archive_of(package: str) -> Path:
    """The archive of a package, fetched when it is not there."""
    archive = FOLDER / f"{package.replace('/', '-').replace('@', '-').strip('-')}.tgz"
    if not archive.exists():
        FOLDER.mkdir(parents=True, exist_ok=True)
        made = subprocess.run(
            ["npm", "pack", package, "--silent"], cwd=FOLDER, check=True, capture_output=True, text=True
        )
        (FOLDER / made.stdout.split()[-1]).replace(archive)
    return archive


def drawings(count: int, seed: int = 1, of: str = "figures") -> list[tuple[str, str]]:
    """Names and SVG texts of drawings of a set, picked at random."""
    package, inner = SETS[of]
    archive = archive_of(package)
    with tarfile.open(archive) as tar:
        names = sorted(n for n in tar.getnames() if n.startswith(inner) and n.endswith(".svg"))
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
