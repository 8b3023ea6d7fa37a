"""Write docs/report.schema.json: what report.json of a kit holds."""

from __future__ import annotations

import json
from pathlib import Path

from cutkey.core.kit.report import schema

FILE = Path(__file__).parent.parent / "docs/report.schema.json"


def text() -> str:
    """The schema as it is written."""
    return json.dumps(schema(), indent=1, ensure_ascii=False) + "\n"


if __name__ == "__main__":
    FILE.write_text(text(), encoding="utf-8")
