"""Do the spacers hold every island?"""

from __future__ import annotations

import numpy as np
import shapely

from cutkey.core.checks.kind import Context, check
from cutkey.core.geometry.arrays import Float
from cutkey.core.geometry.primitives import prism
from cutkey.core.model.finding import Finding
from cutkey.core.model.spacing import Gauge
from cutkey.core.spacers.setting_out import HEAD, SettingOut, piece_solid
from cutkey.core.words import placing as say

#: Outlines of spacers are looked at in stretches of this, which lie along an island when both ends are within
#: this of the clearance, mm.
_STRETCH, _OFF = 0.25, 0.03
#: What is held less than by this length of a straight side is not held, mm; parts of a motion that count.
_SPRING, _NOTHING, _SEEN = 0.25, 1e-6, 0.02
#: Share of the circle round it that a disc fills.
_ROUND = 0.97


def check_setting_out(setting: SettingOut | None, gauge: Gauge) -> list[Finding]:
    """Findings on the setting-out pieces; none when there are none."""
    if setting is None:
        return []
    if len(setting.islands) < 2:
        return [Finding("setting out", "look at", say.spacers_not_needed())]
    hit = _run_into(setting, gauge)
    if hit:
        return [
            Finding("setting out", "stop", say.spacer_runs_into_an_island(hit), "", len(hit), 0, "spacers")
        ]
    free = list(dict.fromkeys([*setting.free, *not_held(setting, gauge.clearance)]))
    if free:
        says = say.not_held_fast(free)
        return [Finding("setting out", "look at", says, free[0], len(free), 0, "islands")]
    says = say.islands_are_held(len(setting.pieces), len(setting.islands))
    return [Finding("setting out", "sound", says, figure=len(setting.pieces))]


def not_held(setting: SettingOut, clearance: float) -> list[str]:
    """Return the names of the islands that the finished spacers do not hold, measured on their outlines.

    Every stretch of a spacer that lies along an island, the clearance off it, is a spring square to it, as
    strong as it is long. What can move against the rest without resistance is not held; a disc may turn.

    Parameters
    ----------
    setting : SettingOut
    clearance : float
        Between spacers and islands, mm.
    """
    outlines = [o for _, o in setting.islands]
    bodies = [*outlines, *(p.spacer.outline for p in setting.pieces)]
    middles = [np.array(b.centroid.coords[0]) for b in bodies]
    size = [
        max(1.0, float(np.hypot(*(shapely.get_coordinates(b) - m).T).max()))
        for b, m in zip(bodies, middles, strict=True)
    ]
    stiff = np.zeros((3 * len(bodies), 3 * len(bodies)))
    for n, island in enumerate(outlines):
        for k in range(len(outlines), len(bodies)):
            places, ways, long = _along(bodies[k], island, clearance)
            rows = np.zeros((len(places), 3 * len(bodies)))
            for body, sign in ((n, 1.0), (k, -1.0)):
                arm = (places - middles[body]) / size[body]
                turn = arm[:, 0] * ways[:, 1] - arm[:, 1] * ways[:, 0]
                rows[:, 3 * body : 3 * body + 3] = sign * np.c_[ways, turn]
            stiff += rows.T @ (rows * long[:, None])
    for n, island in enumerate(outlines):
        if island.area > _ROUND * np.pi * shapely.minimum_bounding_radius(island) ** 2:
            stiff[3 * n + 2, 3 * n + 2] += 1.0
    return [setting.islands[n][0] for n in _moving(stiff, len(outlines))]


def _moving(stiff: Float, islands: int) -> list[int]:
    """Numbers of the islands that move in what nothing resists, the largest set that does not left out."""
    values, ways = np.linalg.eigh(stiff)
    # A chain of n is held about 1 / n^2 as stiffly as its neighbours hold one another.
    free = ways[:, values < _SPRING / islands**2]
    best = list(range(islands))
    for still in range(islands):
        _, sizes, rows = np.linalg.svd(free[3 * still : 3 * still + 3])
        rest = free @ rows[int((sizes > _NOTHING).sum()) :].T
        moving = [n for n in range(islands) if np.abs(rest[3 * n : 3 * n + 3]).max(initial=0.0) > _SEEN]
        if len(moving) < len(best):
            best = moving
    return best


def _along(spacer: shapely.Polygon, island: shapely.Geometry, clearance: float) -> tuple[Float, Float, Float]:
    """Places (N, 2) where a spacer lies along an island, its directions out of it, and lengths, mm."""
    rings = [np.asarray(r.coords)[:, :2] for r in shapely.get_rings(shapely.segmentize(spacer, _STRETCH))]
    a, b = np.concatenate([r[:-1] for r in rings]), np.concatenate([r[1:] for r in rings])
    long = np.hypot(*(b - a).T)
    near = np.max([shapely.distance(island.boundary, shapely.points(p)) for p in (a, b)], axis=0)
    keep = (near < clearance + _OFF) & (long > 1e-9)
    a, b, long = a[keep], b[keep], long[keep]
    return (a + b) / 2, np.c_[b[:, 1] - a[:, 1], a[:, 0] - b[:, 0]] / long[:, None], long


def _run_into(setting: SettingOut, gauge: Gauge) -> list[tuple[int, str]]:
    """Spacers and islands whose finished solids share room."""
    out = []
    for piece in setting.pieces if setting.heights else ():
        solid = piece_solid(piece, gauge)
        for (name, outline), height in zip(setting.islands, setting.heights or (), strict=True):
            if (
                outline.distance(shapely.Point(piece.peg)) < HEAD
                and (solid ^ prism(outline, 0.0, height)).volume() > 1e-3
            ):
                out.append((piece.number, name))
    return out


@check(110)
def spacers_fit(c: Context) -> list[Finding]:
    """Setting-out pieces hold the islands, and run into none."""
    return check_setting_out(c.kit.setting, c.job.gauge)
