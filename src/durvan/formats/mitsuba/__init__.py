"""Mitsuba 3's scene files."""
