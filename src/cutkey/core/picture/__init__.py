"""Opening pictures, and which colours they have."""
