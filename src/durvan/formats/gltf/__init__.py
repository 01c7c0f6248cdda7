"""glTF 2.0, as text and as one binary file."""
