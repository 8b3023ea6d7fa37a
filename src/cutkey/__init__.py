"""Cut Key: from a picture to a kit of printable, colour-separated parts."""

__version__ = "0.1.0"
