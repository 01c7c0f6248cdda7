"""Pellune: a physical dialect of metal and roughness, metres and nits."""
