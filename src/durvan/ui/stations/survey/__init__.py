"""The Survey station."""
