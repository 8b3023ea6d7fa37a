"""Do the spacers hold every island?"""

from __future__ import annotations

import shapely

from cutkey.core.checks.kind import Context, check
from cutkey.core.geometry.primitives import prism
from cutkey.core.model.finding import Finding
from cutkey.core.model.spacing import Gauge
from cutkey.core.spacers.setting_out import HEAD, SettingOut, piece_solid


def check_setting_out(setting: SettingOut | None, gauge: Gauge) -> list[Finding]:
    """Findings on the setting-out pieces; none when there are none."""
    if setting is None:
        return []
    if len(setting.islands) < 2:
        return [Finding("setting out", "look at", "Setting out", "the design is one body; it needs no spacers")]
    hit = _run_into(setting, gauge)
    if hit:
        return [Finding("setting out", "stop", "Spacer runs into an island", "; ".join(hit[:4]), "", len(hit), 0, "spacers")]
    if setting.free:
        names = ", ".join(setting.free[:5]) + (" ..." if len(setting.free) > 5 else "")
        text = f"{names}: spacers cannot keep it from sliding or turning, use the paper template there"
        return [Finding("setting out", "look at", "Not held fast", text, setting.free[0], len(setting.free), 0, "islands")]
    text = f"{len(setting.pieces)} spacers hold {len(setting.islands)} islands, none can move"
    return [Finding("setting out", "sound", "Setting out", text, figure=len(setting.pieces))]


def _run_into(setting: SettingOut, gauge: Gauge) -> list[str]:
    """Spacers whose solids share room with an island, by what the finished solids have in common."""
    out = []
    for piece in setting.pieces if setting.heights else ():
        solid = piece_solid(piece, gauge)
        for (name, outline), height in zip(setting.islands, setting.heights or (), strict=True):
            if outline.distance(shapely.Point(piece.peg)) < HEAD and (solid ^ prism(outline, 0.0, height)).volume() > 1e-3:
                out.append(f"spacer {piece.number} runs into {name}")
    return out


@check(110)
def spacers_fit(c: Context) -> list[Finding]:
    """Setting-out pieces hold the islands, and run into none."""
    return check_setting_out(c.kit.setting, c.job.gauge)
