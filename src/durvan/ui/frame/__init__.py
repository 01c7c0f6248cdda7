"""The frame round every station: window, strip, Evidence, Findings, and what they share."""
