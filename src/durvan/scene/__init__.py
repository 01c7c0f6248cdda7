"""The common ground: a neutral scene in open-standard terms, held in memory without any file format."""
