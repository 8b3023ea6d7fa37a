"""Entry of the `cutkey` command."""

from __future__ import annotations

import sys
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from cutkey.cli.common import Parser

COMMANDS = ("trace", "build", "place", "split", "colour", "check", "rehearse", "printer", "demo")


def main(argv: Sequence[str] | None = None) -> int:
    """Run a command, or open the window; gives the exit code."""
    words = list(sys.argv[1:] if argv is None else argv)
    from cutkey.cli.common import BAD, Parser
    from cutkey.core.errors import BadInput
    from cutkey.demo.names import NAMES

    try:
        if words and words[0] in COMMANDS:
            options = _parser().parse_args(words)
            code: int = options.run(options)
            return code
        window = Parser(
            prog="cutkey",
            description="From a picture to a kit of printable parts.",
            epilog=f"Commands: {', '.join(COMMANDS)}.",
        )
        window.add_argument("job", nargs="?", type=Path, metavar="JOB.cutkey")
        window.add_argument(
            "--demo",
            nargs="?",
            const="",
            metavar="NAME",
            help=f"open a finished demo job: {', '.join(NAMES)}",
        )
        window.add_argument("--version", action="store_true")
        options = window.parse_args(words)
        if options.version:
            from cutkey import __version__

            print(__version__)
            return 0
        from cutkey.app.main import run

        return run(options.job, options.demo)
    except BadInput as error:
        print(f"cutkey: {error}", file=sys.stderr)
        return BAD
    except KeyboardInterrupt:
        print("cutkey: stopped.", file=sys.stderr)
        return 130


def _parser() -> Parser:
    from cutkey.cli import build, check, colour, demo, place, printer, rehearse, split, trace
    from cutkey.cli.common import Parser

    parser = Parser(prog="cutkey")
    commands = parser.add_subparsers(dest="command", required=True, parser_class=Parser)
    for module in (trace, build, place, split, colour, check, rehearse, printer, demo):
        module.add(commands)
    return parser


if __name__ == "__main__":
    raise SystemExit(main())
