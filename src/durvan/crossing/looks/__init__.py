"""What both sides look like: drift and fit, and the process that renders for the window."""
