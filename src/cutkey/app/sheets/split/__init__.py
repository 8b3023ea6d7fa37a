"""Sheet Split: sections that fit the bed, with keys."""
