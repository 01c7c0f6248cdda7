"""A dialect pack."""
