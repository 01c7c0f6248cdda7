"""USD Preview Surface as MaterialX has it."""
