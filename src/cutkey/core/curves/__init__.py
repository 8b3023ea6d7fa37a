"""The lines, arcs and Béziers that the boundaries of regions are made of."""
