"""Parts of the Trace sheet: preparation steps, picked pieces, edits."""
