"""What the commands share: reading sources, options, reports, exit codes."""

from __future__ import annotations

import argparse
import json
import re
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import Any, Literal, NoReturn

from cutkey import __version__
from cutkey.core.digest import digest_bytes
from cutkey.core.errors import BadInput
from cutkey.core.files import may_write, read_bytes, write_atomic
from cutkey.core.folders import REPORT
from cutkey.core.formats import held_by
from cutkey.core.model.finding import Finding, blocking
from cutkey.core.model.job import Source
from cutkey.core.units import parse_number

Kind = Literal["picture", "drawing", "model"]
DONE, FINDINGS, BAD = 0, 1, 2


class Parser(argparse.ArgumentParser):
    """A parser that answers bad options with one line."""

    def error(self, message: str) -> NoReturn:
        """Say what is wrong and leave with exit code 2."""
        print(f"cutkey: {message}; see {self.prog} --help.", file=sys.stderr)
        raise SystemExit(BAD)


def length(text: str) -> float:
    """Option type: a length in mm, with units and sums."""
    try:
        return parse_number(text)
    except BadInput as error:
        raise argparse.ArgumentTypeError(str(error)) from None


def positive(text: str) -> float:
    """Option type: a length above zero."""
    value = length(text)
    if value <= 0:
        raise argparse.ArgumentTypeError(f"{text} must be more than 0")
    return value


def triple(text: str) -> tuple[float, float, float]:
    """Option type: three lengths joined by commas, or by x as sizes are written."""
    parts = text.split(",") if "," in text else re.split("[xX×]", text)
    if len(parts) != 3:
        raise argparse.ArgumentTypeError(f"“{text}” must be three numbers like 235,235,250")
    x, y, z = (length(p) for p in parts)
    return x, y, z


def pair(text: str) -> tuple[float, float]:
    """Option type: two lengths joined by a comma."""
    parts = text.split(",")
    if len(parts) != 2:
        raise argparse.ArgumentTypeError(f"“{text}” must be two numbers like 10,-5")
    return length(parts[0]), length(parts[1])


def graphic_kind(path: Path) -> Kind:
    """Whether a graphic file is a vector drawing or a picture."""
    return "drawing" if held_by(path.name) == "drawing" else "picture"


def take(path: Path, kind: Kind, files: dict[str, bytes]) -> Source:
    """Read a file into the sources of a job."""
    data = read_bytes(path)
    source = Source(digest_bytes(data), path.name, kind)
    files[source.digest] = data
    return source


def add_over(parser: argparse.ArgumentParser) -> None:
    """Add the option that lets files of somebody else be written over."""
    parser.add_argument("--over", action="store_true", help="write over files that Cut Key did not write")


def check_outputs(o: argparse.Namespace, *inputs: Path) -> None:
    """Refuse outputs that cannot be, or would harm something, before any work is done."""
    if o.report is not None and o.report.resolve() in (o.output.resolve(), (o.output / REPORT).resolve()):
        raise BadInput(
            f"{o.report} cannot be the report and what is written too; choose another name for one of them."
        )
    for path in (o.output, o.report):
        # A folder is looked at when it is written, and may be made for what lies in it.
        if (
            path is not None
            and not path.is_dir()
            and not (path is o.report and path.parent.resolve() == o.output.resolve())
        ):
            may_write(path, inputs, o.over)


def progress(fraction: float, text: str) -> None:
    """Show what is being done when somebody is looking."""
    if sys.stderr.isatty():
        print(f"\r\033[K{text} {fraction:4.0%}", end="", file=sys.stderr)
        if fraction >= 1:
            print("\r\033[K", end="", file=sys.stderr)


def finish(findings: Sequence[Finding], report: dict[str, Any], path: Path | None) -> int:
    """Print the findings that matter, write the report, give the exit code."""
    for finding in findings:
        if finding.severity != "sound":
            where = f" [{finding.piece}]" if finding.piece else ""
            print(f"{finding.severity}: {finding.title}{where}: {finding.text}")
    write_report(path, {**report, "findings": [f.row() for f in findings]})
    return FINDINGS if blocking(list(findings)) else DONE


def write_report(path: Path | None, report: dict[str, Any]) -> None:
    """Write a report as JSON when a path was given."""
    if path is not None:
        report = {"made_by": f"Cut Key {__version__}", **report}
        write_atomic(path, (json.dumps(report, indent=1, ensure_ascii=False, default=str) + "\n").encode())
