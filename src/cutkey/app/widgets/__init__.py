"""Widgets that several sheets use."""
