"""The preview renderer: it renders a scene in a dialect, by that dialect's own looks. Small, and right in what it does."""
