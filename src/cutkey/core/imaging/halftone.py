"""The dots that a printed picture is made of, found and taken out.

A halftone prints its tones as dots on a square lattice, one lattice an ink, each turned differently. In the
spectrum of a picture such a lattice is a pair of sharp peaks, equally far from the middle and at right angles
to each other; what is drawn has no such pair.
"""

from __future__ import annotations

from collections.abc import Iterator
from itertools import combinations, product
from typing import NamedTuple

import cv2
import numpy as np
from scipy import fft

from cutkey.core.geometry.arrays import F32, U8, Float

#: Longest side, px, of the tiles whose spectra are averaged; a picture that is narrower than the least one
#: tells nothing.
_TILE, _LEAST = 256, 96
#: So many tiles are looked at, those that vary most.
_TILES = 9
#: Dots lie nearer than this, px; larger ones are drawn, and are looked for up to so many times as large,
#: lest their multiples be taken for a print.
PITCH, _COARSE = 8.0, 2.0
#: A peak is so many times (natural logarithm, of the amplitude) as high as anything in a ring about it, px.
_SHARP, _RING = 0.9, (5, 9)
#: So many of the sharpest peaks are paired.
_PEAKS = 16
#: The two of a pair are as long as each other, and at right angles, within this.
_ALIKE = 0.06
#: A lattice is one of another's multiples when it lies so near to it, cycles per px.
_SAME = 0.01
#: The dots of all inks are about as far apart; what is finer by this came of the pixels.
_FINER = 1.25
#: Multiples of a lattice up to this are taken out with it, each within a width that is this share of its
#: frequency.
_MULTIPLES, _WIDTH = 2, 0.15
#: The picture is continued by so many px at its border, mirrored.
_BORDER = 24
#: Weights of red, green and blue: unequal, so that dots of two inks do not hide each other.
_MIXED = np.array([0.45, 0.33, 0.22], np.float32)


class Lattice(NamedTuple):
    """The dots of an ink: two waves at right angles, cycles per px (x, y)."""

    u: Float
    v: Float

    @property
    def pitch(self) -> float:
        """Distance of neighbouring dots, px."""
        return 1 / float(np.hypot(*self.u))

    def waves(self) -> Iterator[Float]:
        """Return the two and those of their multiples that a picture can show."""
        for m, n in product(range(-_MULTIPLES, _MULTIPLES + 1), repeat=2):
            wave = m * self.u + n * self.v
            if (m or n) and max(abs(wave)) <= 0.5:
                yield wave


def find_halftone(rgb: U8) -> tuple[Lattice, ...]:
    """Return the lattices of dots that a picture is printed in, none of one that is not printed so.

    Parameters
    ----------
    rgb : ndarray, (H, W, 3), uint8
    """
    if min(rgb.shape[:2]) < _LEAST:
        return ()
    found: list[Lattice] = []
    pairs = [Lattice(a, b) for a, b in combinations(_peaks(_spectrum(rgb @ _MIXED)), 2) if _is_square(a, b)]
    for one in sorted(pairs, key=lambda p: -p.pitch):
        if not any(_is_within(one, other) for other in found):
            found.append(one)
    if found and found[0].pitch >= PITCH:
        return ()
    return tuple(f for f in found if f.pitch > found[0].pitch / _FINER)


def without_halftone(rgb: U8) -> U8:
    """Return a picture with the dots it is printed in averaged to the tones they stand for.

    Their waves and the multiples of these are taken out of the whole picture's spectrum.

    Parameters
    ----------
    rgb : ndarray, (H, W, 3), uint8

    Returns
    -------
    ndarray, (H, W, 3), uint8
        The picture itself where there are none.
    """
    lattices = find_halftone(rgb)
    if not lattices:
        return rgb
    h, w = rgb.shape[:2]
    sides = [fft.next_fast_len(n + 2 * _BORDER, real=True) for n in (h, w)]
    down, right = (s - n - _BORDER for s, n in zip(sides, (h, w), strict=True))
    large = cv2.copyMakeBorder(rgb, _BORDER, down, _BORDER, right, cv2.BORDER_REFLECT_101)
    keep = _kept(lattices, sides[0], sides[1])
    out = np.empty_like(rgb)
    for channel in range(3):
        waves = fft.rfft2(large[..., channel].astype(np.float32)) * keep
        back = fft.irfft2(waves, sides)[_BORDER : _BORDER + h, _BORDER : _BORDER + w]
        out[..., channel] = np.clip(np.round(back), 0, 255)
    return out


def _kept(lattices: tuple[Lattice, ...], h: int, w: int) -> F32:
    """What is kept of each wave of a picture, (h, w // 2 + 1), 0 to 1."""
    fy, fx = fft.fftfreq(h), fft.rfftfreq(w)
    keep = np.ones((h, len(fx)), np.float32)
    for lattice in lattices:
        width = _WIDTH / lattice.pitch
        for wave in lattice.waves():
            across, along = (
                np.exp(-((_off(f, at) / width) ** 2) / 2) for f, at in ((fx, wave[0]), (fy, wave[1]))
            )
            keep *= 1 - np.outer(along, across).astype(np.float32)
    return keep


def _off(f: Float, at: float) -> Float:
    """How far frequencies are from one; a picture tells those a whole cycle per px apart alike."""
    return np.asarray((f - at + 0.5) % 1 - 0.5)


def _spectrum(grey: F32) -> F32:
    """Natural logarithm of the amplitude of each wave, averaged over tiles; the middle is the mean."""
    h, w = grey.shape
    side = min(_TILE, h, w) // 2 * 2
    rows, columns = (np.linspace(0, n - side, max(1, round(2 * n / side) - 1)).astype(int) for n in (h, w))
    tiles = [grey[y : y + side, x : x + side] for y in rows for x in columns]
    tiles.sort(key=lambda t: -float(t.std()))
    window = np.outer(np.hanning(side), np.hanning(side)).astype(np.float32)
    power = np.mean([np.abs(fft.fft2((t - t.mean()) * window)) ** 2 for t in tiles[:_TILES]], axis=0)
    power = cv2.GaussianBlur(fft.fftshift(power).astype(np.float32), (0, 0), 0.7)
    return np.asarray(np.log(power + 1e-3) / 2, np.float32)


def _peaks(spectrum: F32) -> list[Float]:
    """Waves that stand alone in a spectrum, cycles per px (x, y), the sharpest first, one of each two."""
    least, most = _RING
    y, x = np.mgrid[-most : most + 1, -most : most + 1]
    ring = ((np.hypot(x, y) >= least) & (np.hypot(x, y) <= most)).astype(np.uint8)
    sharp = spectrum - cv2.dilate(spectrum, ring)
    side = len(spectrum)
    fy, fx = np.mgrid[-side // 2 : side // 2, -side // 2 : side // 2] / side
    is_peak = (
        (np.hypot(fx, fy) > 1 / (_COARSE * PITCH))
        & (spectrum >= cv2.dilate(spectrum, np.ones((3, 3), np.uint8)))
        & (sharp > _SHARP)
        & ((fy > 0) | ((fy == 0) & (fx > 0)))
    )
    at = np.flatnonzero(is_peak)
    at = at[np.argsort(-sharp.ravel()[at])][:_PEAKS]
    return [np.array([fx.ravel()[k], fy.ravel()[k]]) for k in at]


def _is_square(u: Float, v: Float) -> bool:
    """Whether two waves are as long as each other and at right angles."""
    long, other = float(np.hypot(*u)), float(np.hypot(*v))
    return abs(long / other - 1) < _ALIKE and abs(float(u @ v)) < _ALIKE * long * other


def _is_within(one: Lattice, other: Lattice) -> bool:
    """Whether the waves of a lattice are multiples of another's."""
    waves = np.array(list(other.waves()))
    return all(float(np.hypot(*(waves - w).T).min()) < _SAME for w in one)
