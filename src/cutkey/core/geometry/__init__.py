"""The nouns of geometry: areas, regions, solids, meshes, parts, and their helpers."""
