"""Durvan carries a finished 3D scene from one offline renderer to another, and says what became of every value."""

__version__ = "0.1.0"
