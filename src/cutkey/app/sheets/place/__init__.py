"""Sheet Place: graphics on the model, and how deep."""
