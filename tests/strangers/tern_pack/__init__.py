"""Tern: a small dialect of a stranger's, as a package of its own; the guide to packs builds it step by step."""
