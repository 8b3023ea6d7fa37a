"""Proofs of a kit: one way only, and how it goes together."""
