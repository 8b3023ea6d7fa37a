"""The computing side of Cut Key. Nothing here knows Qt or VTK."""
