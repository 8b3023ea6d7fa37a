"""`cutkey printer`: a written 3MF on a printer that is not there."""

from __future__ import annotations

import argparse
from pathlib import Path

from msgspec.structs import replace

from cutkey.cli.common import FINDINGS, add_over, positive, progress, write_report
from cutkey.cli.rehearse import rehearse
from cutkey.core.errors import BadInput
from cutkey.core.files import may_write
from cutkey.core.model.printer import Printer
from cutkey.core.rehearse.exchange import Exchange
from cutkey.core.rehearse.loads import load_of
from cutkey.core.rehearse.printer import FAULTS, Fault, Load, StandIn
from cutkey.core.rehearse.settings import settings_of

#: Seconds of a print that go by at a time when nobody waits for it.
_STEP = 60.0


def add(commands: argparse._SubParsersAction[argparse.ArgumentParser]) -> None:
    """Add the command to the parser."""
    p = commands.add_parser("printer", help="print a 3MF on a stand-in printer, or let others talk to it")
    p.add_argument("file", type=Path, metavar="FILE.3mf")
    p.add_argument("--bed", type=int, default=1, metavar="N", help="the bed load, from 1")
    p.add_argument("--nozzle", type=positive, metavar="MM")
    p.add_argument("--layer", type=positive, metavar="MM")
    p.add_argument("--slots", type=int, default=0, metavar="N", help="filaments that it takes at once")
    p.add_argument(
        "--loaded",
        default="",
        metavar="A,B",
        help="filaments that are in it; those of the file when left out",
    )
    p.add_argument(
        "--fail", action="append", default=[], metavar="HOW@LAYER", help=f"how: {', '.join(FAULTS)}"
    )
    p.add_argument(
        "--socket",
        type=Path,
        metavar="PATH",
        help="answer at a local socket instead, as docs/printer.md tells",
    )
    p.add_argument(
        "--speed",
        type=positive,
        default=1000.0,
        metavar="N",
        help="seconds of the print for one of the clock, at a socket",
    )
    p.add_argument("--report", type=Path, help="what it said, as JSON")
    add_over(p)
    p.set_defaults(run=run)


def run(o: argparse.Namespace) -> int:
    """Print a bed load."""
    given = {k: v for k, v in (("nozzle", o.nozzle), ("layer", o.layer)) if v is not None}
    if o.report is not None:
        may_write(o.report, (o.file,), o.over)
    printer = replace(Printer(), loaded=o.slots, **given)
    looked = rehearse(o.file, settings_of(printer), progress)
    progress(1.0, "")
    loads = {r.bed: load_of(bodies, r) for bodies, r in zip(looked.beds, looked.runs, strict=True)}
    if o.bed not in loads:
        raise BadInput(f"{o.file.name} has {len(loads)} bed loads; name one of them.")
    named = [n.strip() for n in o.loaded.split(",") if n.strip()]
    stand_in = StandIn(printer, named or list(dict.fromkeys(f for x in loads.values() for f in x.filaments)))
    for text in o.fail:
        how, _, layer = text.rpartition("@")
        if how not in FAULTS or not layer.isdigit():
            raise BadInput(
                f'"{text}" is no fault; write one of {", ".join(FAULTS)}, and the layer: "jams@12".'
            )
        stand_in.plant(_fault(how), int(layer))
    if o.socket is not None:
        print(f"{o.socket}: bed loads {', '.join(map(str, loads))}")
        Exchange(stand_in, loads, o.speed).serve(o.socket)
        return 0
    code = _print(stand_in, loads[o.bed])
    log = [t._asdict() for t in stand_in.log]
    write_report(
        o.report,
        {"file": o.file.name, "bed": o.bed, "state": stand_in.state, "loaded": stand_in.loaded, "log": log},
    )
    return code


def _fault(how: str) -> Fault:
    return next(f for f in FAULTS if f == how)


def _print(stand_in: StandIn, load: Load) -> int:
    """Print a load without waiting; what the maker must do is said, and taken for done."""
    why = stand_in.start(load)
    if why:
        print(f"refused: {why}")
        return FINDINGS
    told = 0
    while stand_in.state in ("printing", "waiting", "off"):
        if stand_in.state == "printing":
            stand_in.run_on(_STEP)
        else:
            wanted = [f for f in load.filaments if f not in stand_in.loaded]
            if stand_in.resume() and wanted:
                stand_in.put_in(wanted[0], stand_in.loaded[0])
                stand_in.resume()
        for line in stand_in.log[told:]:
            hours, rest = divmod(int(line.seconds), 3600)
            print(f"{hours:3d}:{rest // 60:02d}  layer {line.layer:4d}  {line.text}")
        told = len(stand_in.log)
    return 0 if stand_in.state == "done" else FINDINGS
