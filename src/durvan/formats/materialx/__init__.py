"""MaterialX documents."""
