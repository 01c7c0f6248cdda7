"""The stations: one module each."""
