"""Do the spacers hold every island?"""

from __future__ import annotations

from cutkey.core.check.finding import Finding
from cutkey.core.gauge.setting_out import SettingOut


def check_setting_out(setting: SettingOut | None) -> list[Finding]:
    """Findings on the setting-out pieces; none when there are none."""
    if setting is None:
        return []
    if len(setting.islands) < 2:
        return [Finding("setting out", "look at", "Setting out", "the design is one body; it needs no spacers")]
    if setting.free:
        names = ", ".join(setting.free[:5]) + (" ..." if len(setting.free) > 5 else "")
        text = f"{names}: spacers cannot keep it from sliding or turning, use the paper template there"
        return [Finding("setting out", "look at", "Not held fast", text, setting.free[0], len(setting.free), 0, "islands")]
    text = f"{len(setting.pieces)} spacers hold {len(setting.islands)} islands, none can move"
    return [Finding("setting out", "sound", "Setting out", text, figure=len(setting.pieces))]
