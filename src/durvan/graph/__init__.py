"""Formulas and networks: read formulas, work them out on numbers, and act with them on maps."""
