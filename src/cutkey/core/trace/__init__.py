"""Regions that share their boundaries, from pixels."""
