"""Damaged and hostile files of every kind that is read, and what becomes of them."""
