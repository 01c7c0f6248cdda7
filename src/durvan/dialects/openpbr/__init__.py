"""OpenPBR Surface with MaterialX nodes, as they stand in USD: nearly the common ground itself."""
