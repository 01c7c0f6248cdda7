"""What the packs of MaterialX surfaces have in common: its node definitions, its words in files, what its nodes look like."""
