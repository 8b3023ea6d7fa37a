"""`cutkey demo`: the demo's jobs, pictures and models as files."""

from __future__ import annotations

import argparse
from pathlib import Path

from cutkey.cli.common import DONE, add_over, check_outputs, write_report


def add(commands: argparse._SubParsersAction[argparse.ArgumentParser]) -> None:
    """Add the command to the parser."""
    p = commands.add_parser("demo", help="write the demo jobs, pictures and models")
    p.add_argument("-o", "--output", type=Path, required=True, metavar="DIR")
    p.add_argument("--report", type=Path)
    add_over(p)
    p.set_defaults(run=run)


def run(o: argparse.Namespace) -> int:
    """Write the demo."""
    from cutkey.demo.jobs import write_demo

    check_outputs(o)
    names = write_demo(o.output, o.over)
    print(f"{o.output}: {len(names)} files of the Larkmoor Apiary")
    write_report(o.report, {"files": names})
    return DONE
