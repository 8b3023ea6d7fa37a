"""Do the spacers hold every island?"""

from __future__ import annotations

import shapely

from cutkey.core.checks.kind import Context, check
from cutkey.core.geometry.primitives import prism
from cutkey.core.model.finding import Finding
from cutkey.core.model.spacing import Gauge
from cutkey.core.spacers.setting_out import HEAD, SettingOut, piece_solid
from cutkey.core.words import placing as say


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
    if setting.free:
        says = say.not_held_fast(setting.free)
        return [Finding("setting out", "look at", says, setting.free[0], len(setting.free), 0, "islands")]
    says = say.islands_are_held(len(setting.pieces), len(setting.islands))
    return [Finding("setting out", "sound", says, figure=len(setting.pieces))]


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
