"""The Files station."""
