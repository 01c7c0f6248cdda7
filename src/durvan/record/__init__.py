"""The record of a crossing: what was changed, approximated or lost, as a web page and as JSON."""
