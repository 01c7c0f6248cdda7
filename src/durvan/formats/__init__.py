"""Files in and out: USD stages and pictures. Nothing here knows what a value means."""
