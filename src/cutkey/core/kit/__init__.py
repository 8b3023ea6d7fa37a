"""Writing the kit."""
