"""Links over time."""
