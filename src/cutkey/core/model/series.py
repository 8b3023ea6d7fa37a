"""One job, many kits: text whose {} takes one value of a series after another.

Such as ten lids with ten numbers.
"""

from __future__ import annotations

import re

from msgspec.structs import replace

from cutkey.core.errors import BadInput
from cutkey.core.model.job import Job
from cutkey.core.model.table_edits import AddText, Edit

#: What stands for the value in a text.
SLOT = "{}"
_MOST = 500
_RANGE = re.compile(r"(\d+)\s*(?:-|–|\.\.)\s*(\d+)")


def values_of(series: str) -> list[str]:
    """The values a series stands for.

    Numbers ``1-10`` (``01-10`` keeps two digits), names ``Ann, Ben``, or both.

    Raises
    ------
    BadInput
        When there are too many.

    Examples
    --------
    >>> values_of("08-10, spare")
    ['08', '09', '10', 'spare']
    """
    out: list[str] = []
    for word in re.split(r"[,;\n]", series):
        word = word.strip()
        found = _RANGE.fullmatch(word)
        if found:
            first, last = int(found[1]), int(found[2])
            step = 1 if last >= first else -1
            if abs(last - first) >= _MOST:
                raise BadInput(f"The series {word} has more than {_MOST} values; make it shorter.")
            out += [
                str(n).zfill(len(found[1]) if found[1].startswith("0") else 1)
                for n in range(first, last + step, step)
            ]
        elif word:
            out.append(word)
    if len(out) > _MOST:
        raise BadInput(f"The series has {len(out)} values; {_MOST} are the most.")
    return list(dict.fromkeys(out))


def with_value(job: Job, value: str) -> Job:
    """The job with a value in every text that asks for one."""

    def filled(edit: Edit) -> Edit:
        return (
            replace(edit, text=edit.text.replace(SLOT, value))
            if isinstance(edit, AddText) and SLOT in edit.text
            else edit
        )

    return replace(
        job, graphics=tuple(replace(g, edits=tuple(filled(e) for e in g.edits)) for g in job.graphics)
    )


def takes_series(job: Job) -> bool:
    """Whether any text of the job asks for the values of a series."""
    return any(isinstance(e, AddText) and e.on and SLOT in e.text for g in job.graphics for e in g.edits)


def single(job: Job, value: str) -> Job:
    """The job for one value of its series.

    The series stays in it only where no text takes it, which the findings then say.
    """
    return replace(with_value(job, value), series="" if takes_series(job) else job.series)


def as_shown(job: Job) -> Job:
    """The job with the first value of its series, as the window shows it."""
    values = values_of(job.series)
    return single(job, values[0]) if values else job
