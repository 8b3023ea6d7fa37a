"""Everything that is printed of a job: sections, keys, spacers, inlays."""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple

from cutkey.core.kit.pieces import key_unit, section_unit
from cutkey.core.model.filament import BODY
from cutkey.core.model.job import Job
from cutkey.core.printing.piece import PrintUnit
from cutkey.core.spacers.setting_out import SettingOut, piece_solid
from cutkey.core.split.split import Split, loose_keys, printed_key

if TYPE_CHECKING:
    from cutkey.core.engine.evaluate import Evaluator


class Printed(NamedTuple):
    """What is printed."""

    units: list[PrintUnit]
    sections: float  # volume of sections and keys with all copies, mm3
    keys: float  # of the keys, mm3
    beside: float  # of what is no part of the design: spacers and inlays, mm3


def all_units(e: Evaluator, job: Job, split: Split, setting: SettingOut | None) -> Printed:
    """Units of a job, each on the side it is printed on.

    Parameters
    ----------
    e : Evaluator
    job : Job
    split : Split
    setting : SettingOut or None
        Spacers, where they are wanted.
    """
    filaments = e.filaments(job)
    plain = filaments.get(BODY, job.rack[0])
    lying = e.ways_up(job)
    units = [section_unit(s, filaments, lying[s.name].now.down) for s in split.sections]
    keys = beside = 0.0
    for loose in loose_keys(split.joints, printed=True):
        solid = printed_key(loose.form)
        keys += loose.copies * solid.volume()
        units.append(key_unit(loose.name, solid, filaments.get(loose.colour) or plain, loose.copies))
    sections = sum(p.volume * u.copies for u in units for p in u.pieces)
    for piece in setting.pieces if setting else ():
        solid = piece_solid(piece, job.gauge)
        beside += solid.volume()
        units.append(key_unit(f"Spacer {piece.number}", solid, plain, 1))
    inlays = e.inlays(job)
    for inlay in inlays.inlays if inlays else ():
        solid = inlay.solid(job.colouring.lead, job.printer.layer)
        beside += solid.volume()
        units.append(key_unit(f"Inlay {inlay.number}", solid, filaments[inlay.colour], 1))
    return Printed(units, sections, keys, beside)
