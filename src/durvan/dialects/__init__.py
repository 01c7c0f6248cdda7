"""Dialect packs: all that Durvan knows of a renderer, described in data."""
