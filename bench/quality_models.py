"""Models that nobody here made, bundled by packages of the registry: each opens with a statement, or is
refused in one sentence."""

from __future__ import annotations

import sys
import time
from collections import Counter
from collections.abc import Iterable

import manifold3d as m3
import numpy as np

from bench.strangers import models
from cutkey.core.errors import BadInput
from cutkey.core.formats import read_shapes
from cutkey.core.geometry.mesh import open_edges, signed_volume
from cutkey.core.solids.read import OpenModel, UnitDoubt, read_model
from cutkey.core.units import MM_PER


def answer(data: bytes, name: str) -> tuple[str, str]:
    """What opening a model ends in, and what is said; a doubtful unit is answered with the first guess,
    large holes are closed."""
    unit, close, said = "", False, []
    for _ in range(3):
        try:
            model = read_model(data, name, unit, close)  # type: ignore[arg-type]
        except UnitDoubt as doubt:
            said.append(f"asked for the unit ({', '.join(doubt.guesses)})")
            unit = doubt.guesses[0] if doubt.guesses else "mm"
            continue
        except OpenModel as error:
            said.append(str(error))
            close = True
            continue
        except BadInput as error:
            return "refused", str(error)
        if model.solid.status() != m3.Error.NoError or model.solid.volume() <= 0:
            return "wrong", "opened, but encloses nothing"
        kind = "closed with lids" if close else "mended" if model.done else "sound"
        changed = _changed(data, name, unit, model.solid.volume()) if kind == "sound" else 0.0
        if changed > 1e-6:
            return "wrong", f"its volume changed by {changed:.1e}"
        return kind, "; ".join(map(str, [*said, *model.done]))
    return "wrong", "asked again and again"


def _changed(data: bytes, name: str, unit: str, volume: float) -> float:
    """Relative change of the volume of a model that was sound to begin with, 0 for one whose volume is
    not that of its triangles."""
    found = read_shapes(data, name)
    scale = MM_PER[unit or "mm"] if not found.in_mm else 1.0
    if any(open_edges(s.mesh) for s in found.shapes):
        return 0.0
    total = sum(signed_volume(s.mesh) for s in found.shapes) * scale**3
    return abs(volume / total - 1) if total > 0 else 0.0


def measure(some: Iterable[tuple[str, bytes]]) -> tuple[Counter[str], list[tuple[str, str, str, float]]]:
    """How opening every model ends, and each of them with its seconds."""
    rows = []
    for name, data in some:
        begun = time.perf_counter()
        kind, text = answer(data, name)
        rows.append((name, kind, text, time.perf_counter() - begun))
    return Counter(r[1] for r in rows), rows


if __name__ == "__main__":
    count, rows = measure(models())
    for name, kind, text, seconds in rows:
        if kind != "sound" or "-v" in sys.argv:
            print(f"{kind:16s} {seconds:5.2f} s  {name}: {text}")
    print(dict(count), f"{np.sum([r[3] for r in rows]):.1f} s")
