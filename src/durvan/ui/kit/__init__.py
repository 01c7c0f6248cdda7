"""What every view is made of: the theme, marks, words and small widgets."""
