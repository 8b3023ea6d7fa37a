"""The demo's pictures as they ship.

Drawing them anew takes a second of the start. `python -m cutkey.demo.shipped` draws them again.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from importlib.resources import files
from pathlib import Path

_FOLDER = files("cutkey.demo") / "drawn"


def _drawings() -> dict[str, Callable[[], bytes]]:
    """How each picture is drawn, by its file's name."""
    from cutkey.demo import pictures as p

    return {
        "bee.png": lambda: p.png_bytes(p.bee()),
        "sprig.png": lambda: p.png_bytes(p.sprig()),
        "lettering.png": lambda: p.png_bytes(p.lettering()),
        "hexagons.png": lambda: p.png_bytes(p.hexagons()),
        "gate-sign.png": lambda: p.png_bytes(p.gate_sign()),
        "panel.svg": p.panel,
        "bee-photo.jpg": lambda: p.jpeg_bytes(p.photographed(p.bee())),
        "gate-sign-photo.jpg": lambda: p.jpeg_bytes(p.photographed(p.gate_sign())),
    }


NAMES = (
    "bee.png",
    "sprig.png",
    "lettering.png",
    "hexagons.png",
    "gate-sign.png",
    "panel.svg",
    "bee-photo.jpg",
    "gate-sign-photo.jpg",
)


@lru_cache(maxsize=16)
def picture(name: str) -> bytes:
    """A picture of the demo; drawn where it does not ship."""
    shipped = _FOLDER / name
    return shipped.read_bytes() if shipped.is_file() else _drawings()[name]()


def draw_all(folder: Path) -> None:
    """Draw the pictures of the demo jobs into a folder.

    What only `cutkey demo` writes is drawn when it is wanted.
    """
    for name, draw in _drawings().items():
        if name != "gate-sign-photo.jpg":
            (folder / name).write_bytes(draw())


if __name__ == "__main__":
    draw_all(Path(str(_FOLDER)))
