"""The `cutkey` command: the same core without a window."""
