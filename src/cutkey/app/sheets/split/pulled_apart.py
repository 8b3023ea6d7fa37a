"""The kit pulled apart on the stage: loose keys, spacers, and the step that is shown."""

from __future__ import annotations

from PySide6.QtCore import QCoreApplication

from cutkey.app.stage.item import Item
from cutkey.app.theme import theme
from cutkey.core.split.proofs.order import direction, shifts_apart
from cutkey.worker.shown_kit import KitView

#: The pull-apart slider at its end, mm between what a step of the assembly joins.
FARTHEST = 70


def _tr(text: str) -> str:
    return QCoreApplication.translate("SplitView", text)


def step_words(kit: KitView | None, share: float) -> str:
    """The step of the assembly that is being undone, in words; "" when there is none."""
    if kit and kit.assembly.stuck:
        return _tr("It does not go together: {0}").format(kit.assembly.why)
    if not kit or not kit.assembly.steps:
        return ""
    n = len(kit.assembly.steps)
    k = n - 1 - min(n - 1, int(share * n)) if share else n - 1
    step = kit.assembly.steps[k]
    names = [u.name for u in kit.units if not u.is_key]
    what, to = (" + ".join(names[i] for i in group) for group in (step.movers, step.fixed))
    return _tr("Step {0} of {1}: {2} to {3}, {4}").format(k + 1, n, what, to, direction(step.way))


def spacer_items(kit: KitView | None) -> list[Item]:
    """Setting-out pieces between their islands."""
    setting = kit.setting if kit else None
    return (
        [Item(f"spacer {n}", mesh, theme.colour("ultramarine").name()) for n, _, _, mesh in setting.pieces]
        if setting
        else []
    )


def loose_items(kit: KitView | None, share: float) -> list[Item]:
    """Loose keys half way between the sections they join."""
    if kit is None:
        return []
    count = sum(not u.is_key for u in kit.units)
    shifts = shifts_apart(count, kit.assembly, share, FARTHEST)
    out = []
    for n, key in enumerate(kit.loose):
        a, b = kit.joints[key.joint].numbers
        x, y, z = ((shifts[a] + shifts[b]) / 2).tolist()
        out.append(Item(f"key {n}", key.mesh, theme.colour("ultramarine").name(), (x, y, z)))
    return out
