"""Files outside the scene, seen from a crossing: what uses them, where they are, what is to be readied."""
