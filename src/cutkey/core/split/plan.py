"""Proposing cuts: as few sections as the bed allows, of equal size."""

from __future__ import annotations

import numpy as np

from cutkey.core.split.printer import Printer
from cutkey.core.split.settings import AXES, Cut


def propose_cuts(low: np.ndarray, high: np.ndarray, printer: Printer) -> list[Cut]:
    """Equally spaced cuts that make every section fit the bed.

    Both ways of turning the sections on the bed are tried and the one with fewer sections is taken.

    Parameters
    ----------
    low, high : (3,)
        Corners of the design's bounding box, mm.
    """
    size = np.asarray(high, float) - np.asarray(low, float)
    ux, uy, uz = printer.usable
    plans = [np.maximum(1, np.ceil(size / np.array(limit) - 1e-9)).astype(int) for limit in ((ux, uy, uz), (uy, ux, uz))]
    counts = min(plans, key=lambda c: int(np.prod(c)))
    return [Cut(axis, round(float(low[k] + size[k] * i / counts[k]), 3)) for k, axis in enumerate(AXES) for i in range(1, int(counts[k]))]


def cut_letters(cuts: list[Cut] | tuple[Cut, ...]) -> dict[Cut, str]:
    """Letter of every cut as on a drawing: A-A, B-B ... by axis, then position."""
    ordered = sorted(cuts, key=lambda c: (AXES.index(c.axis), c.at))
    return {cut: letters(i) for i, cut in enumerate(ordered)}


def letters(i: int) -> str:
    return chr(65 + i) if i < 26 else letters(i // 26 - 1) + chr(65 + i % 26)
