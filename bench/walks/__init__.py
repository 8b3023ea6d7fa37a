"""Random walks: over all edits of a job, and over the real window."""
