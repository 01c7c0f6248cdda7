"""Files of every format made up at random, over all that a format has; whole, or spoilt at random. The same for the same seed."""
