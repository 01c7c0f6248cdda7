"""The window: Qt widgets over the core. Nothing in the core knows of it."""
