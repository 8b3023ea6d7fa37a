"""Finding the background and taking it out of a label map."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from cutkey.core.picture.labels import Labels, components


def border_label(labels: Labels) -> int:
    """The label that covers most of the picture's border."""
    edge = np.concatenate([labels[0], labels[-1], labels[1:-1, 0], labels[1:-1, -1]])
    return int(np.bincount(edge).argmax())


def background_mask(labels: Labels, point: tuple[float, float] | None = None, touching_only: bool = True) -> NDArray[np.bool_]:
    """Pixels of the background.

    Areas inside the figure that merely share the background's colour stay, since only what touches goes.

    Parameters
    ----------
    labels : ndarray, (H, W)
    point : (x, y), optional
        A place in the background as fractions of width and height; without one it is found at the border.
    touching_only : bool
        Take only the piece at `point` (or the pieces at the border) instead of everything of that colour.
    """
    h, w = labels.shape
    if point is not None:
        x, y = min(w - 1, int(point[0] * w)), min(h - 1, int(point[1] * h))
        value = int(labels[y, x])
    else:
        value = border_label(labels)
    same = labels == value
    if not touching_only:
        return same
    piece, _, owner = components(labels)
    if point is not None:
        return piece == piece[y, x]
    edge = np.unique(np.concatenate([piece[0], piece[-1], piece[:, 0], piece[:, -1]]))
    return np.isin(piece, edge[owner[edge] == value])
