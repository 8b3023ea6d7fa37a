"""Forms of a shaped seam: steps, waves or tabs along the whole of it."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from cutkey.core.keys.kind import Form, Key, seam_form
from cutkey.core.split.setting.forms import stands
from cutkey.core.split.setting.places import from_the_back
from cutkey.core.words import splitting as say
from cutkey.core.words.kind import Words

if TYPE_CHECKING:
    from cutkey.core.split.setting.setter import Setter

#: Ways of setting the forms that are tried until they fit one way only.
_SEAM_TRIES = 200
#: Material behind the seam where a form of a shaped seam starts, mm.
_ROOM_BEHIND = 0.3


def set_seam(s: Setter) -> tuple[list[Key], Words | None, bool]:
    """Steps, waves or tabs along the face, one by one from either section."""
    form = seam_form(s.cut.seam, s.high, s.settings.wall)
    both = form.of.both_sides
    grid = s.grid(form)
    if both:
        back = s.slices.room(s.face, form.depth + form.end_gap, _ROOM_BEHIND)
        other = from_the_back(back, back, form.half[0], 0.5 * s.thickness, form.wall)
        grid = np.array([g for g in grid if len(other) and np.abs(other[:, 0] - g[0]).min() < 0.6]).reshape(
            -1, 2
        )
    if not stands(form):
        return [], s.no_room(form, []), False
    if len(grid) == 0:
        return [], say.no_room_for_forms(s.cut.seam.shape, form.size, form.depth), False
    first: list[Key] = []
    for attempt in range(_SEAM_TRIES):
        keys = _along(s, form, grid, both, np.random.default_rng(attempt))
        one_way = len(keys) >= 2 and s.one_way(keys)
        if one_way:
            return keys, None, False
        first = first or keys
    keys = first
    note = say.one_form_only() if len(keys) < 2 else say.forms_fit_another_way()
    return keys, note, False


def _along(s: Setter, form: Form, grid: np.ndarray, both: bool, chance: np.random.Generator) -> list[Key]:
    """Forms at the seam's pitch, some gaps wider than others, so that the seam fits in one place only."""
    keys: list[Key] = []
    pitch = s.cut.seam.pitch / 2 if both else s.cut.seam.pitch
    at = float(grid[:, 0].min())
    while at <= grid[:, 0].max() + 1e-6:
        near = int(np.argmin(np.abs(grid[:, 0] - at)))
        if abs(grid[near, 0] - at) < 0.6:
            key = s.key(form, at, grid[near, 1])._replace(owner=-1 if not both or len(keys) % 2 == 0 else 1)
            if s.holds(key):
                keys.append(key)
        at += pitch * (1.05 + 0.15 * chance.integers(0, 3))
    return keys
