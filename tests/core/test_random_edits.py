"""Random walks over all edits of a job; the bench walks farther."""

from __future__ import annotations

from bench.walks.jobs import Jobs, walk_jobs


def test_random_walks_over_all_edits_keep_every_law():
    walk_jobs(25)


def test_setting_out_takes_islands_that_leave_no_room_between_them():
    """A walk that ended in an exception once: two islands of a graphic that stands over the plate's
    corner."""
    walk = Jobs()
    walk.lay_a_graphic(0, -30.0, -30.0, "raised", 8.0)
    walk.change_the_rack(7, "#101010")
    walk.lay_a_graphic(0, -30.0, -30.0, "recessed", 0.4)
    walk.teardown()
