"""Who did what to which thing, and when."""
