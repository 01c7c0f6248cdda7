"""The Facing station."""
