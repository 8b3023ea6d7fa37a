"""Models that nobody here made, bundled by packages of the registry; fetched once, nothing of the
packages is run."""

from __future__ import annotations

import subprocess
import sys
import tarfile
import zipfile
from collections.abc import Iterator
from pathlib import Path

#: Packages and how they are fetched; STL, OBJ, PLY and 3MF files inside them are read.
PACKAGES = (
    ("numpy-stl==3.1.2", ("--no-binary", "numpy-stl")),
    ("pyvista==0.44.1", ()),
    ("gymnasium-robotics==1.3.1", ()),
    ("dm_control==1.0.50", ()),
    ("metaworld==3.1.1", ()),
    ("pyrender==0.1.45", ("--no-binary", "pyrender")),
)
FOLDER = Path(__file__).parent.parent / "build/bench-data/models"
KINDS = (".stl", ".obj", ".ply", ".3mf")


def fetched() -> list[Path]:
    """The packages, downloaded once."""
    FOLDER.mkdir(parents=True, exist_ok=True)
    have = {p.name.lower().replace("_", "-") for p in FOLDER.iterdir()}
    for name, how in PACKAGES:
        stem = name.replace("==", "-").lower().replace("_", "-")
        if not any(h.startswith(stem) for h in have):
            subprocess.run(
                [sys.executable, "-m", "pip", "download", "-q", "--no-deps", *how, "-d", str(FOLDER), name],
                check=True,
            )
    return sorted(p for p in FOLDER.iterdir() if p.name.endswith((".whl", ".gz", ".zip")))


def models() -> Iterator[tuple[str, bytes]]:
    """Names and bytes of every model file."""
    for path in fetched():
        package = path.stem.partition("-")[0]
        if path.suffix in (".whl", ".zip"):
            with zipfile.ZipFile(path) as z:
                for name in sorted(n for n in z.namelist() if n.lower().endswith(KINDS)):
                    yield f"{package}/{Path(name).parent.name}-{Path(name).name}", z.read(name)
        else:
            with tarfile.open(path) as t:
                for member in sorted(
                    (m for m in t.getmembers() if m.name.lower().endswith(KINDS)), key=lambda m: m.name
                ):
                    file = t.extractfile(member)
                    yield (
                        f"{package}/{Path(member.name).parent.name}-{Path(member.name).name}",
                        file.read() if file else b"",
                    )
