"""Finding the background and taking it out of a label map."""

from __future__ import annotations

import numpy as np

from cutkey.core.geometry.arrays import Bool
from cutkey.core.picture.specks import Labels, components


def border_label(labels: Labels, counted: Bool | None = None) -> int:
    """The label that covers most of the picture's border, of the pixels counted there; -1 when there are none.

    Parameters
    ----------
    labels : ndarray, (H, W), int32
    counted : ndarray, (H, W), bool, optional
    """
    edge = np.zeros(labels.shape, bool)
    edge[[0, -1]] = edge[:, [0, -1]] = True
    if counted is not None:
        edge &= counted
    return int(np.bincount(labels[edge]).argmax()) if edge.any() else -1


def background_mask(labels: Labels, value: int, touching_only: bool = True) -> Bool:
    """Pixels of a label, or only its pieces that touch the picture's border.

    Areas inside the figure that merely share the background's colour stay, since only what touches goes.

    Parameters
    ----------
    labels : ndarray, (H, W), int32
    value : int
        The label.
    touching_only : bool

    Returns
    -------
    ndarray, (H, W), bool
    """
    if not touching_only:
        return np.asarray(labels == value)
    piece, _, owner = components(labels)
    edge = np.unique(np.concatenate([piece[0], piece[-1], piece[:, 0], piece[:, -1]]))
    return np.isin(piece, edge[owner[edge] == value])
