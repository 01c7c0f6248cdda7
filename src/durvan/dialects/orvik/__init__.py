"""Orvik: an older, artist-driven dialect that speaks of polish, mirror tints and gains."""
