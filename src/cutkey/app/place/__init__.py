"""Drawings of the Place sheet: the face square on, and the depth strip."""
