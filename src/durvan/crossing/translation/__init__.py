"""One thing from dialect to dialect: inwards to the common ground, outwards from it, and the rows that account for it."""
