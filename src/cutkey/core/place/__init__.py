"""Graphics and add-ons on a model."""
