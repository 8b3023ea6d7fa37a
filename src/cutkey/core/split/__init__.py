"""Cutting a design into sections."""
