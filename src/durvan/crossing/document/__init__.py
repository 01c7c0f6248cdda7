"""What a person decided about a crossing: the document, the changes that are made to it, and the file that keeps it."""
