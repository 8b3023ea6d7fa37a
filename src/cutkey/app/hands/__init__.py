"""Hands on what lies on the model: picked, moved, turned and sized."""
