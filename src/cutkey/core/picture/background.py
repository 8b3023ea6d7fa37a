"""Finding the background and taking it out of a label map."""

from __future__ import annotations

import numpy as np

from cutkey.core.geometry.arrays import Bool, Float
from cutkey.core.picture.specks import Labels, components

#: Side of the patches in the corners of a picture, as a share of its shorter side.
_CORNER = 0.01
#: A ground this light is paper (CIELAB lightness).
_PAPER = 93.0


def border_label(labels: Labels, counted: Bool | None = None, lightness: Float | None = None) -> int:
    """The label of the background, of the pixels counted; -1 when there are none at the border.

    It is the one that covers most of the border, unless the corners tell another: a figure that is cropped
    tightly covers the border, but hardly all corners. Of two that have two corners each it is the one as
    light as paper.

    Parameters
    ----------
    labels : ndarray, (H, W), int32
    counted : ndarray, (H, W), bool, optional
    lightness : ndarray, (N,), float64, optional
        Of each label's colour, 0 to 100.

    Returns
    -------
    int
    """
    edge = np.zeros(labels.shape, bool)
    edge[[0, -1]] = edge[:, [0, -1]] = True
    if counted is not None:
        edge &= counted
    if not edge.any():
        return -1
    count = np.bincount(labels[edge])
    most = int(count.argmax())
    n = max(1, round(_CORNER * min(labels.shape)))
    ends = (slice(None, n), slice(-n, None))
    corners = [
        int(np.bincount(labels[y, x].ravel()).argmax())
        for y in ends
        for x in ends
        if counted is None or counted[y, x].all()
    ]
    votes = np.bincount(corners, minlength=len(count)) if len(corners) == 4 else np.zeros(len(count), int)
    if votes.max() >= 3:
        return int(votes.argmax())
    if lightness is not None and votes[most] == 2:
        light = [k for k in np.flatnonzero(votes == 2).tolist() if lightness[k] >= _PAPER]
        return light[0] if light else most
    return most


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
