"""Between files and the scene: what was read gets its meaning, what is planned is written and checked."""
