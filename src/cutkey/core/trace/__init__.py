"""Tracing: a label map becomes regions that share their boundaries.

`regions` is the public entry for anyone outside; the program itself goes through `cutkey.core.trace.run`.
"""

from cutkey.core.trace.partition import Region, partition, regions

__all__ = ["Region", "partition", "regions"]
