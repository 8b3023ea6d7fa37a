"""Where in a print something was found."""

from __future__ import annotations

from typing import NamedTuple

from cutkey.core.model.finding import Finding


class Told(NamedTuple):
    """A finding, and where in the print it is."""

    finding: Finding
    bed: int = 1
    first: int = 1  # layers
    last: int = 1
