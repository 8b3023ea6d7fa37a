"""Trying mends: what goes, what comes, and all at once that costs nothing."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable
from typing import TYPE_CHECKING, NamedTuple

from msgspec.structs import replace

from cutkey.core.errors import BadInput
from cutkey.core.mends import mends_of
from cutkey.core.mends.kind import Mend
from cutkey.core.mends.propose_cuts import ProposeCuts
from cutkey.core.model.finding import Finding, changes
from cutkey.core.model.job import Job
from cutkey.core.model.validate import problem_of

if TYPE_CHECKING:
    from cutkey.core.engine.evaluate import Evaluator, Progress

#: So many mends at most, one after the other.
_MOST = 40


class Mended(NamedTuple):
    """A job with its mends."""

    job: Job
    done: tuple[str, ...]  # what was done, in words
    left: tuple[Finding, ...]  # what still waits


def mended(job: Job, evaluator: Evaluator, costly: bool = False, progress: Progress | None = None) -> Mended:
    """A job with every mend that takes its finding away and makes no other.

    Parameters
    ----------
    job : Job
    evaluator : Evaluator
        Whose results are used again.
    costly : bool
        Also those that cost something.
    progress : callable, optional
    """
    done: list[str] = []
    vain: set[tuple[tuple[str, ...], str]] = set()
    findings = _findings(job, evaluator)
    best = Mended(job, (), tuple(f for f in findings if f.waits))
    for n in range(_MOST):
        offered = [
            (f, m) for f in findings if f.waits for m in mends_of(job, f) if (f.about, m.id) not in vain
        ]
        next_one = min(offered, key=lambda o: o[1].rank, default=None)
        if next_one is None:
            break
        finding, mend = next_one
        vain.add((finding.about, mend.id))
        if (mend.command or mend.cost(job, finding)) and not costly:
            continue
        if progress:
            progress(n / _MOST, f"trying to {mend.label}")
        tried = _recut(job, evaluator) if isinstance(mend, ProposeCuts) else mend.apply(job, finding)
        if tried == job or problem_of(tried):
            continue
        after, said = _tried(tried, evaluator), mend.label
        if after is None:
            continue
        if costly and finding.severity == "stop" and finding.about in {f.about for f in after if f.waits}:
            tried, after, said = _with_another(tried, after, finding, mend, evaluator)
        gone, new = changes(findings, after)
        # What stops a kit may go for something that is to be looked at; sections that are named anew bring
        # nothing new.
        more = _count(after) - _count(findings)
        worse = [
            f
            for f in new
            if finding.severity != "stop" or (f.severity == "stop" and more[f.kind, f.title] > 0)
        ]
        if costly:
            # What has a mend of its own is dealt with in its turn.
            worse = [f for f in worse if all((f.about, m.id) in vain for m in mends_of(tried, f))]
        if finding.about in {f.about for f in gone} and not worse:
            job, findings = tried, after
            done.append(f"{said}: {finding.piece or finding.title}")
            best = min(best, Mended(job, tuple(done), tuple(f for f in findings if f.waits)), key=_stops)
    return best


def _with_another(
    tried: Job, after: list[Finding], finding: Finding, mend: Mend, evaluator: Evaluator
) -> tuple[Job, list[Finding], str]:
    """What one mend did not take away with another one too; as it was where that does not either."""
    (still,) = [f for f in after if f.about == finding.about][:1]
    for other in mends_of(tried, still):
        if other.id != mend.id and not other.command and not other.rank:
            both = other.apply(tried, still)
            if both != tried and not problem_of(both):
                found = _tried(both, evaluator)
                if found is not None and finding.about not in {f.about for f in found if f.waits}:
                    return both, found, f"{mend.label} and {other.label}"
    return tried, after, mend.label


def _stops(found: Mended) -> int:
    """What still stops the kit, and what was done for it: more of the same is no worse."""
    return sum(f.severity == "stop" for f in found.left) * 1000 - len(found.done)


def _count(findings: Iterable[Finding]) -> Counter[tuple[str, str]]:
    """How many findings of each kind stop a kit."""
    return Counter((f.kind, f.title) for f in findings if f.severity == "stop")


def _recut(job: Job, evaluator: Evaluator) -> Job:
    """A job with the cuts of the best plan; those that are pinned are in it."""
    plans = evaluator.plans(job)
    return replace(job, cuts=plans[0].cuts) if plans else job


def _tried(job: Job, evaluator: Evaluator) -> list[Finding] | None:
    """What is found after a mend; None where it leaves nothing to be built, and so mends nothing."""
    try:
        return _findings(job, evaluator)
    except BadInput:
        return None


def _findings(job: Job, evaluator: Evaluator) -> list[Finding]:
    kit = evaluator.kit(job)
    return kit.findings if kit is not None else []
