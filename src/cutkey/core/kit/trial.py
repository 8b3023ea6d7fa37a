"""The clearance test piece as a file."""

from __future__ import annotations

from pathlib import Path

from cutkey.core.files import write_atomic
from cutkey.core.kit.loads import lay_out
from cutkey.core.kit.pieces import key_unit
from cutkey.core.kit.threemf import bytes_3mf
from cutkey.core.model.filament import Filament
from cutkey.core.model.printer import Printer
from cutkey.core.split.trial import trial_piece


def write_trial(path: Path, printer: Printer, filament: Filament) -> None:
    """Write the block with its sockets and the pin, side by side on the bed, as 3MF."""
    block, pin = trial_piece()
    units = [
        key_unit("Clearance test block", block, filament, 1),
        key_unit("Clearance test pin", pin, filament, 1),
    ]
    write_atomic(path, bytes_3mf("Clearance test piece", units, lay_out(units, printer), printer))
