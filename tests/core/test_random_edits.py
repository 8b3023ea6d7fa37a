"""Random walks over all edits of a job; the bench walks farther."""

from __future__ import annotations

from bench.walks.jobs import walk_jobs


def test_random_walks_over_all_edits_keep_every_law():
    walk_jobs(80)
