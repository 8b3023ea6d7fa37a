"""The five sheets, in the order of the work."""
