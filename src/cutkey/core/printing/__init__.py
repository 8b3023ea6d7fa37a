"""What is printed, and how it lies on the bed."""
