"""Opening models: repair, bodies."""
