"""Parts that several packs have in common."""
