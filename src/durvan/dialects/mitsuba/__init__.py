"""Mitsuba 3, the open-source renderer: its BSDFs, textures, emitters and sensors as its scene files have them."""
