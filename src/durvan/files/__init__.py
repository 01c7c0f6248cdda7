"""Files outside the scene: what is said of them, where they are, how to find them again, how they are read and readied."""
