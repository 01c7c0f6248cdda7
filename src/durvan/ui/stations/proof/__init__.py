"""The Proof station: both pictures, what is between them, and why."""
