"""Differences and names of colours."""
