"""Drawing sheets of paper."""
