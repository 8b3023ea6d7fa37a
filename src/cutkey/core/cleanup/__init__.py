"""Edits on the light table, carried out."""
