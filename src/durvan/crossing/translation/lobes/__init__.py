"""Surfaces that are built up of parts: parts become whole surfaces on their way in, and whole ones parts on their way out."""
