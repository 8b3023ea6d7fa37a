"""Sides of a piece in words: what they are called, and what speaks for and against them."""

from __future__ import annotations

import numpy as np

from cutkey.core.model.printer import Printer
from cutkey.core.printing.resting import NARROW, Measures, Vector
from cutkey.core.words import printing as say
from cutkey.core.words.kind import Words


def side_name(down: Vector) -> str:
    """A side in words: what of the design is on the bed."""
    names = {
        (0, 0, -1): "as it stands",
        (0, 0, 1): "turned over",
        (0, -1, 0): "on its front",
        (0, 1, 0): "on its back",
    }
    names |= {(-1, 0, 0): "on its left side", (1, 0, 0): "on its right side"}
    key = tuple(int(v) for v in np.round(down))
    return names[key] if key in names and np.dot(key, down) > 0.9998 else "on a slanting side"


def reasons(m: Measures, printer: Printer) -> list[Words]:
    """What speaks for and against a side, with figures.

    Parameters
    ----------
    m : Measures
    printer : Printer
    """
    out = [] if m.fits else [say.does_not_fit(printer.name)]
    if not m.stands:
        out.append(say.stands_not_by_itself())
    out.append(say.on_the_bed(m.contact))
    out.append(say.needs_support(m.support))
    if m.shown >= 1:
        out.append(say.support_on_a_show_face(m.shown))
    if m.face_down >= 1:
        out.append(say.show_face_down())
    if m.weak:
        out.append(say.layers_across_keys(m.weak))
    if m.changes:
        out.append(say.layers_of_several(m.changes))
    out.append(say.layers(m.layers))
    if m.stands and m.slim > NARROW:
        out.append(say.slim(m.slim))
    return out
