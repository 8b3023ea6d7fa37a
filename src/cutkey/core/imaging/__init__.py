"""Pixels: light, noise, geometry."""
