"""Which history the database tells: a new one begins when it was set back to an earlier state."""
