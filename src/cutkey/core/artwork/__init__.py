"""Reading and writing drawings."""
