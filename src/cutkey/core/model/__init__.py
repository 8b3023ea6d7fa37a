"""The nouns of a job, as data: what it holds, how it is changed, checked, kept and read."""
