"""Vector drawings in PDF files, as logos often come."""

from __future__ import annotations

from cutkey.core.formats.kind import FLATNESS, Drawing, Format


class Pdf(Format):
    """PDF, and files of drawing programs that hold one.

    Of PostScript it is said that it is not read.
    """

    id, rank, holds, suffixes = "pdf", 80, "drawing", (".pdf", ".ai", ".eps")

    def begins(self, data: bytes) -> bool:
        """By its mark."""
        return b"%PDF-" in data[:1024] or data[:64].lstrip().startswith(b"%!PS")

    def drawing(self, data: bytes, name: str, flatness: float = FLATNESS) -> Drawing:
        """What its first page paints."""
        from cutkey.core.artwork.pdf_read import read_pdf

        return read_pdf(data, name, flatness)
