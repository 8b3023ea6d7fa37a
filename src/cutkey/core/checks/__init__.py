"""What is measured on a kit before it is called sound: a file each.

Each file has a function marked with `kind.check`; `all_checks` finds them.
"""

from __future__ import annotations

from cutkey.core.checks.kind import Check
from cutkey.core.kinds import objects_of


def all_checks() -> tuple[Check, ...]:
    """Every check, in the order in which their findings are told."""
    return objects_of(__name__, Check)
