"""Fonts and lines of text."""
