"""Finding room for keys, and putting them in."""
