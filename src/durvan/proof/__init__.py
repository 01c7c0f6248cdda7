"""Two pictures held against each other: how far they are apart, and what of it is whose."""
