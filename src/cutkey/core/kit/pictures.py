"""Pictures of what is printed, seen from above, in the colours of the filaments: for the sheet, and as thumbnail of a file."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np

from cutkey.core.colour.difference import rgb_of
from cutkey.core.geometry.arrays import U8, Float
from cutkey.core.geometry.mesh import Mesh, face_normals

#: Faces steeper than this, by the cosine, are not seen from above; light comes from the upper left.
_SEEN, _LIGHT = 0.02, np.array([-0.35, 0.45, 0.82])
#: Bits of a pixel that places are told to.
_FINE = 4


def from_above(bodies: Sequence[tuple[Mesh, str]], size: tuple[int, int], margin: int = 4) -> U8:
    """A picture of bodies, the highest last.

    Parameters
    ----------
    bodies : sequence of (Mesh, str)
        With their colours.
    size : (int, int)
        Width and height of the picture, px.
    margin : int
        Left free around, px.

    Returns
    -------
    ndarray, (H, W, 4), uint8
        Red, green, blue and alpha; transparent where there is nothing.
    """
    out = np.zeros((size[1], size[0], 4), np.uint8)
    if not bodies:
        return out
    low = np.min([m.vertices.min(0) for m, _ in bodies], axis=0)
    high = np.max([m.vertices.max(0) for m, _ in bodies], axis=0)
    wide = np.maximum(high - low, 1e-6)
    scale = min((size[0] - 2 * margin) / wide[0], (size[1] - 2 * margin) / wide[1])
    shift = (np.array(size) - scale * wide[:2]) / 2
    triangles, heights, colours = [], [], []
    for mesh, colour in bodies:
        normals, areas = face_normals(mesh)
        seen = (normals[:, 2] > _SEEN) & (areas > 0)
        corners = mesh.vertices[mesh.triangles[seen]]
        flat = (corners[:, :, :2] - low[:2]) * scale + shift
        flat[:, :, 1] = size[1] - flat[:, :, 1]
        triangles.append(flat)
        heights.append(corners[:, :, 2].mean(1))
        colours.append(_shaded(rgb_of(colour), normals[seen]))
    order = np.argsort(np.concatenate(heights), kind="stable")
    places = np.round(np.concatenate(triangles)[order] * 2**_FINE).astype(np.int32)
    paints = np.concatenate(colours)[order].tolist()
    for place, paint in zip(places, paints, strict=True):
        cv2.fillConvexPoly(out, place, (*paint, 255), cv2.LINE_8, _FINE)
    return out


def _shaded(rgb: Sequence[int], normals: Float) -> Float:
    light = _LIGHT / np.linalg.norm(_LIGHT)
    bright = 0.72 + 0.28 * np.clip(normals @ light, 0, 1) / light[2]
    return np.asarray(np.clip(np.array(rgb, float)[None, :] * bright[:, None], 0, 255).round())


def png_of(picture: U8) -> bytes:
    """A picture as PNG.

    Parameters
    ----------
    picture : ndarray, (H, W, 4), uint8
        Red, green, blue and alpha.
    """
    return bytes(cv2.imencode(".png", cv2.cvtColor(picture, cv2.COLOR_RGBA2BGRA))[1])
