"""The square-on view of a face."""
